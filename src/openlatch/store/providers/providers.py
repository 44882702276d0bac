"""Providers, and the secrets that go with them, which are stored encrypted and read only to connect."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import case, select, update
from sqlalchemy.exc import IntegrityError

from openlatch.core.model import Abilities, Provider
from openlatch.errors import Changed, Conflict
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun, missing, the_one
from openlatch.store.providers.rows import ProviderRow

__all__ = ["PROVIDER", "Providers"]

PROVIDER = Codec(ProviderRow, Provider)


class Providers(Noun):
    """Queries over providers."""

    def add(self, provider: Provider, secret: bytes) -> None:
        try:
            with self._session.begin_nested():
                self._add(PROVIDER, [provider], secret=secret)
        except IntegrityError as error:
            raise _same_name(provider.name, "added") from error

    def change(self, provider: Provider, secret: bytes | None = None, **changes: Any) -> None:
        """Store what is different of a provider, and nothing else of it: a reading may be writing the rest."""
        values = {name: PROVIDER.column(name, value) for name, value in changes.items()}
        values |= {} if secret is None else {"secret": secret}
        if not values:
            return
        try:
            with self._session.begin_nested():
                self._session.execute(update(ProviderRow).where(ProviderRow.id == provider.id).values(**values))
        except IntegrityError as error:
            if "providers_says_who" in str(error.orig):
                raise Changed(
                    "Someone else said at the same moment which provider says who people are. Nothing was changed.",
                    next_step="Look at what they said, then try again.",
                ) from error
            raise _same_name(str(changes.get("name", provider.name)), "changed") from error

    def all(self) -> tuple[Provider, ...]:
        """Return the providers that there are, without those that were removed."""
        query = select(ProviderRow).where(ProviderRow.removed_at.is_(None)).order_by(ProviderRow.name)
        return tuple(map(PROVIDER.read, self._session.scalars(query)))

    def saying_who(self) -> Provider | None:
        """Return the provider whose word on who people are goes first, if there is one."""
        row = self._session.scalars(select(ProviderRow).where(ProviderRow.says_who)).first()
        return None if row is None or row.removed_at is not None else PROVIDER.read(row)

    def names(self) -> dict[UUID, str]:
        """Return what every provider is called, also those that were removed."""
        return dict(self._session.execute(select(ProviderRow.id, ProviderRow.name)).all())

    def get(self, provider_id: UUID) -> Provider:
        """Return the provider with an id, also one that was removed."""
        row = self._session.get(ProviderRow, (self._workspace_id, provider_id), populate_existing=True)
        if row is None:
            raise missing("provider", provider_id)
        return PROVIDER.read(row)

    def find(self, text: str) -> Provider:
        """Return the provider that a person means: by id, short form, or name."""
        return the_one("provider", text, self.all(), lambda provider: (provider.id, provider.name, provider.connector))

    def reached_by(self, provider_id: UUID, settings: Mapping[str, str]) -> None:
        """Change where a provider is reached."""
        self._session.execute(update(ProviderRow).where(ProviderRow.id == provider_id).values(settings=dict(settings)))

    def lock(self, provider_id: UUID) -> None:
        """Keep two readings of one provider from being stored at the same time, and it from being removed meanwhile.

        Refuses (Changed) one that was removed.
        """
        query = select(ProviderRow.name, ProviderRow.removed_at).where(ProviderRow.id == provider_id)
        name, removed_at = self._session.execute(query.with_for_update()).one()
        if removed_at is not None:
            raise Changed(f"{name} has been removed. Nothing was changed.", next_step="Look at: openlatch log")

    def down_until(self, provider_id: UUID) -> datetime | None:
        """Return until when nobody is to ask a provider, since it did not answer someone else."""
        return self._session.scalars(select(ProviderRow.down_until).where(ProviderRow.id == provider_id)).one()

    def down(self, provider_id: UUID, until: datetime | None) -> None:
        """Keep that a provider does not answer, or with None that it does."""
        self._session.execute(update(ProviderRow).where(ProviderRow.id == provider_id).values(down_until=until))

    def secret(self, provider_id: UUID) -> bytes:
        return self._session.scalars(select(ProviderRow.secret).where(ProviderRow.id == provider_id)).one()

    def due(self, now: datetime) -> tuple[Provider, ...]:
        rows = self._session.scalars(select(ProviderRow).where(ProviderRow.next_reading <= now))
        return tuple(map(PROVIDER.read, rows))

    def read(
        self, provider_id: UUID, next_reading: datetime, complete: datetime | None, abilities: Abilities | None
    ) -> None:
        """Record when the provider is to be read next, and what the reading that was made has shown."""
        # One that is paused is not read again by itself.
        values: dict[str, Any] = {"next_reading": case((ProviderRow.paused, None), else_=next_reading)}
        if complete is not None:
            values["last_complete"] = complete
        if abilities is not None:
            values["abilities"] = PROVIDER.column("abilities", abilities)
        there = (ProviderRow.id == provider_id, ProviderRow.removed_at.is_(None))
        self._session.execute(update(ProviderRow).where(*there).values(**values))


def _same_name(name: str, done: str) -> Conflict:
    return Conflict(
        f"There is a provider called “{name}” already. Nothing was {done}.", next_step="Choose another name."
    )
