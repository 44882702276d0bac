"""What was done, by whom and in whose name."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import and_, delete, func, or_, select
from sqlalchemy.orm import aliased

from openlatch.core.inventory.activity import Activity
from openlatch.core.model import Account, Party
from openlatch.store.bulk import add_rows
from openlatch.store.codec import Codec
from openlatch.store.inventory.accounts import ACCOUNT
from openlatch.store.inventory.parties import PARTY
from openlatch.store.inventory.rows import AccountRow, ActivityRow, EntryRow, PartyRow
from openlatch.store.noun import Noun
from openlatch.store.pages import Page, Sort, page
from openlatch.store.providers.rows import ProviderRow
from openlatch.words import How

__all__ = ["Activities", "Done"]


@dataclass(frozen=True, slots=True)
class Done:
    """An activity with the names of what it is about, and the short form of the entry that was used."""

    activity: Activity
    party: Party
    behalf_of: Party | None
    account: Account
    provider: str
    entry_ref: str | None


_ACTIVITY = Codec(ActivityRow, Activity)


class Activities(Noun):
    """Queries over activity."""

    def add(self, activities: Iterable[Activity]) -> None:
        """Store what is new; what a provider shows once more is not stored twice."""
        add_rows(self._session, ActivityRow, self._rows_of(_ACTIVITY, activities), skip_known=True)

    def known(self, provider_id: UUID, keys: Iterable[str]) -> set[str]:
        """Return which of a provider's keys are stored already."""
        query = select(ActivityRow.key).where(
            ActivityRow.provider_id == provider_id, ActivityRow.key == func.any(list(keys))
        )
        return set(self._session.scalars(query))

    def forget(self, before: datetime) -> None:
        """Delete what was done before an instant."""
        self._session.execute(delete(ActivityRow).where(ActivityRow.at < before))

    def counts(self, account_id: UUID | None, party_id: UUID | None) -> dict[How, int]:
        """Return how much was done how: on an account, by or on behalf of a party."""
        query = select(ActivityRow.how, func.count()).where(*_about(account_id, party_id)).group_by(ActivityRow.how)
        counts_by_key = dict(self._session.execute(query).all())
        return {how: counts_by_key.get(how.value, 0) for how in How}

    def browse(
        self, *, account_id: UUID | None, party_id: UUID | None, how: How | None, limit: int, cursor: str | None
    ) -> Page[Done]:
        behalf = aliased(PartyRow)
        same = ActivityRow.workspace_id
        query: Any = (
            select(ActivityRow, PartyRow, behalf, AccountRow, ProviderRow.name, EntryRow.ref)
            .join(PartyRow, and_(PartyRow.workspace_id == same, PartyRow.id == ActivityRow.party_id))
            .join(AccountRow, and_(AccountRow.workspace_id == same, AccountRow.id == ActivityRow.account_id))
            .join(ProviderRow, and_(ProviderRow.workspace_id == same, ProviderRow.id == ActivityRow.provider_id))
            .outerjoin(behalf, and_(behalf.workspace_id == same, behalf.id == ActivityRow.behalf_of))
            .outerjoin(EntryRow, and_(EntryRow.workspace_id == same, EntryRow.id == ActivityRow.entry_id))
            .where(*_about(account_id, party_id))
        )
        if how is not None:
            query = query.where(ActivityRow.how == how.value)
        sort = Sort("latest", (ActivityRow.at, ActivityRow.id), descending=True)
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=_done)


def _about(account_id: UUID | None, party_id: UUID | None) -> list[Any]:
    wanted: list[Any] = []
    if account_id is not None:
        wanted.append(ActivityRow.account_id == account_id)
    if party_id is not None:
        wanted.append(or_(ActivityRow.party_id == party_id, ActivityRow.behalf_of == party_id))
    return wanted


def _done(row: Any) -> Done:
    activity, party, behalf, account, provider, ref = row[:6]
    behalf_of = None if behalf is None else PARTY.read(behalf)
    return Done(_ACTIVITY.read(activity), PARTY.read(party), behalf_of, ACCOUNT.read(account), provider, ref)
