"""How providers were reached, version by version, the last of them as it is now."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select

from openlatch.core.model import Author, Provider
from openlatch.store.noun import Noun
from openlatch.store.providers.rows import ProviderVersionRow

__all__ = ["ProviderVersion", "ProviderVersions"]


@dataclass(frozen=True, slots=True)
class ProviderVersion:
    """The settings of a provider as someone set them; `at` is None for what was set before versions were kept."""

    number: int
    settings: Mapping[str, str]
    by: Author
    at: datetime | None


class ProviderVersions(Noun):
    """Queries over the versions of providers' settings; secrets are in none."""

    def of(self, provider: Provider) -> tuple[ProviderVersion, ...]:
        """Return the versions of a provider, the latest first; its settings as they are, where none was kept yet."""
        mine = ProviderVersionRow.provider_id == provider.id
        query = select(ProviderVersionRow).where(mine).order_by(ProviderVersionRow.number.desc())
        kept = tuple(
            ProviderVersion(row.number, row.settings, Author(row.set_by, row.set_by_id), row.set_at)
            for row in self._session.scalars(query)
        )
        return kept or (ProviderVersion(1, provider.settings, Author(""), None),)

    def keep(self, before: Provider | None, after: Provider, by: Author, at: datetime) -> None:
        """Keep how a provider is reached from now on; and how it was `before`, where nothing was kept of that."""
        mine = ProviderVersionRow.provider_id == after.id
        last = self._session.scalar(select(func.max(ProviderVersionRow.number)).where(mine)) or 0
        if before is not None and not last:
            last = 1
            self._put(before, last, Author(""), None)
        self._put(after, last + 1, by, at)

    def _put(self, provider: Provider, number: int, by: Author, at: datetime | None) -> None:
        self._session.add(
            ProviderVersionRow(
                workspace_id=self._workspace_id,
                provider_id=provider.id,
                number=number,
                settings=dict(provider.settings),
                set_by=by.name,
                set_by_id=by.id,
                set_at=at,
            )
        )
        self._session.flush()
