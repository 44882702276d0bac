"""Accounts."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import and_, case, func, or_, select, update

from openlatch.core.model import Account
from openlatch.store.bulk import change_rows
from openlatch.store.codec import Codec
from openlatch.store.inventory.rows import AccountRow, DocumentRow, EntryRow
from openlatch.store.inventory.standing import AccountStanding, of_accounts
from openlatch.store.noun import Noun, id_or_ref, the_one
from openlatch.store.pages import Page, Sort, any_of, folded, page
from openlatch.store.providers.rows import ProviderRow
from openlatch.words import AccountOrder, Criticality

__all__ = ["ACCOUNT", "AccountFilter", "Accounts", "ListedAccount"]


ACCOUNT = Codec(AccountRow, Account)


_THERE = AccountRow.removed_at.is_(None)
"""Its provider was not removed."""


_SAME_PROVIDER = and_(ProviderRow.workspace_id == AccountRow.workspace_id, ProviderRow.id == AccountRow.provider_id)
_CRITICALITY = case({word.value: -place for place, word in enumerate(Criticality)}, value=AccountRow.criticality)
_BY_NAME = (folded(AccountRow.name), AccountRow.id)
_SORTS = {
    AccountOrder.NAME: Sort("name", _BY_NAME),
    AccountOrder.RISK: Sort("risk", (-AccountRow.risk, *_BY_NAME)),
    AccountOrder.PROVIDER: Sort("provider", (folded(ProviderRow.name), *_BY_NAME)),
    AccountOrder.CRITICALITY: Sort("criticality", (_CRITICALITY, *_BY_NAME)),
}


@dataclass(frozen=True, slots=True)
class AccountFilter:
    """Which accounts are wanted."""

    q: str = ""
    provider_id: UUID | None = None
    criticality: Criticality | None = None
    practice: bool | None = None
    risk: int = 0


@dataclass(frozen=True, slots=True)
class ListedAccount:
    """An account with its risk and what is on it."""

    account: Account
    risk: int
    standing: AccountStanding


class Accounts(Noun):
    """Queries over accounts."""

    def add(self, accounts: Iterable[Account]) -> None:
        self._add(ACCOUNT, accounts)

    def save_all(self, accounts: Iterable[Account]) -> None:
        change_rows(self._session, AccountRow, self._rows_of(ACCOUNT, accounts), versioned=False)

    def of(self, provider_id: UUID, keys: Iterable[str] | None = None) -> tuple[Account, ...]:
        """Return a provider's accounts: all, or those with these keys."""
        query = select(AccountRow).where(AccountRow.provider_id == provider_id)
        if keys is not None:
            query = query.where(AccountRow.key == func.any(list(keys)))
        return tuple(self._values(ACCOUNT, query))

    def lock(self, account_ids: Iterable[UUID]) -> None:
        """Keep others from letting anyone in to these accounts until this transaction is over."""
        query = select(AccountRow.id).where(AccountRow.id == func.any(list(account_ids))).order_by(AccountRow.id)
        self._session.execute(query.with_for_update())

    def names(self, account_ids: Iterable[UUID]) -> dict[UUID, str]:
        return self._called(AccountRow, AccountRow.name, account_ids)

    def parts(self, account_id: UUID) -> tuple[str, ...]:
        """Return the parts of an account that any entry on it, or any sharing document of it, has ever named."""
        of_entries = select(func.unnest(EntryRow.resources)).where(EntryRow.account_id == account_id)
        of_documents = select(DocumentRow.resource).where(
            DocumentRow.account_id == account_id, DocumentRow.resource != ""
        )
        return tuple(sorted(self._session.scalars(of_entries.union(of_documents))))

    def some(self, account_ids: Iterable[UUID]) -> dict[UUID, Account]:
        query = select(AccountRow).where(AccountRow.id == func.any(list(account_ids)))
        return {account.id: account for account in self._values(ACCOUNT, query)}

    def ids(self) -> tuple[UUID, ...]:
        return tuple(self._session.scalars(select(AccountRow.id).where(_THERE)))

    def named(self, names: Iterable[str]) -> dict[str, tuple[UUID, ...]]:
        """Return the accounts that names or short forms mean, by the name in small letters."""
        wanted = {name.casefold() for name in names}
        query = select(AccountRow.id, AccountRow.name, AccountRow.ref).where(
            _THERE, or_(func.lower(AccountRow.name) == any_of(wanted), AccountRow.ref == any_of(wanted))
        )
        document: dict[str, tuple[UUID, ...]] = {}
        for row in self._session.execute(query) if wanted else ():
            for name in {row.name.casefold(), row.ref} & wanted:
                document[name] = (*document.get(name, ()), row.id)
        return document

    def remove_all(self, provider_id: UUID, at: datetime) -> int:
        """Keep that a provider was removed, and its accounts with it; returns how many there were."""
        where = (AccountRow.provider_id == provider_id, _THERE)
        return len(self._session.execute(update(AccountRow).where(*where).values(removed_at=at).returning(1)).all())

    def get(self, account_id: UUID) -> Account:
        """Return the account with an id, also one whose provider was removed."""
        return self.find(str(account_id), ever=True)

    def find(self, text: str, *, ever: bool = False) -> Account:
        """Return the account that a person means, by id, short form, or name.

        With `ever`, it may be one whose provider was removed, if they give its id or its short form.
        """
        return ACCOUNT.read(self._meant(text, ever=ever))

    def find_listed(self, text: str, now: datetime) -> ListedAccount:
        """Return the account that a person means as it is listed."""
        return self._listed([self._meant(text, ever=False)], now)[0]

    def _meant(self, text: str, *, ever: bool) -> AccountRow:
        wanted = id_or_ref(text)
        query = select(AccountRow, ProviderRow.name).join(ProviderRow, _SAME_PROVIDER)
        if isinstance(wanted, UUID):
            query = query.where(AccountRow.id == wanted)
        else:
            named = and_(func.lower(AccountRow.name) == text.strip().lower(), _THERE)
            query = query.where(or_(named, AccountRow.ref == wanted)).order_by(AccountRow.id)
        query = query if ever else query.where(_THERE)
        rows = self._session.execute(query.limit(20)).all()
        found: AccountRow = the_one("account", text, rows, lambda row: (row[0].id, row[0].name, row[1]))[0]
        return found

    def browse(
        self, wanted: AccountFilter, sort: AccountOrder, *, limit: int, cursor: str | None, now: datetime
    ) -> Page[ListedAccount]:
        query = select(AccountRow).where(_THERE, AccountRow.risk >= wanted.risk)
        if sort is AccountOrder.PROVIDER:
            query = query.join(ProviderRow, _SAME_PROVIDER)
        if wanted.provider_id is not None:
            query = query.where(AccountRow.provider_id == wanted.provider_id)
        if wanted.criticality is not None:
            query = query.where(AccountRow.criticality == wanted.criticality.value)
        if wanted.practice is not None:
            query = query.where(AccountRow.practice.is_(wanted.practice))
        if wanted.q:
            query = query.where(AccountRow.name.icontains(wanted.q, autoescape=True))
        some = page(self._session, query, _SORTS[sort], limit=limit, cursor=cursor, read=lambda row: row[0])
        return Page(self._listed(some.items, now), some.next)

    def listed(self, account_id: UUID, now: datetime) -> ListedAccount:
        """Return one account as it is listed, also one whose provider was removed."""
        return self._listed(self._session.scalars(select(AccountRow).where(AccountRow.id == account_id)), now)[0]

    def _listed(self, rows: Iterable[AccountRow], now: datetime) -> tuple[ListedAccount, ...]:
        every = list(rows)
        standing = of_accounts(self._session, [row.id for row in every], now)
        return tuple(ListedAccount(ACCOUNT.read(row), row.risk, standing[row.id]) for row in every)
