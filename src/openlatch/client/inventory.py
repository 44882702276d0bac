"""The inventory, as the client asks for it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Unpack
from uuid import UUID

from openlatch.client.transport import Transport, part, plain
from openlatch.client.wanted import AccountFile, EntriesWanted, EntryFile, EntryFilter, KeptFields, PartyFile
from openlatch.wire import messages as wire
from openlatch.words import AccountOrder, Criticality, Listable, PartyOrder

__all__ = ["InventoryCalls"]


class InventoryCalls(Transport):
    """The inventory."""

    def entries(self, **wanted: Unpack[EntriesWanted]) -> Iterator[wire.Entry]:
        """Return the entries that a filter leaves, such as state="live", flagged=True, sort="party"."""
        return self._pages(wire.EntryList, "/entries", wanted)

    def export(self, file_format: str = "csv", **wanted: Unpack[EntryFile]) -> bytes:
        """Return the entries that a filter leaves as a file: `csv`, `jsonl` or `xlsx`; `wanted` as for `entries`."""
        return b"".join(self.export_pieces(file_format, **wanted))

    def export_pieces(self, file_format: str = "csv", **wanted: Unpack[EntryFile]) -> Iterator[bytes]:
        """Return the same file piece by piece, as the service reads it."""
        return self._pieces("/entries/export", params=plain(wanted) | {"format": file_format})

    def summary(self, **wanted: Unpack[EntryFilter]) -> wire.Summary:
        """Return how many entries a filter leaves, and how many of them have a flag."""
        return self._send(wire.Summary, "GET", "/entries/summary", params=plain(wanted))

    def entry(self, entry: str) -> wire.Entry:
        """Return one entry, by id or short form, with its flags and its latest order."""
        return self._send(wire.Entry, "GET", f"/entries/{part(entry)}")

    def views(self) -> list[wire.View]:
        """Return one's own saved views, by name."""
        return self._send(wire.ViewList, "GET", "/views").items

    def save_view(self, name: str, query: str, *, of: Listable | str = Listable.ENTRIES) -> wire.View:
        """Save a view of a list; `query` is written as in an address, such as kind=app&flagged=true."""
        return self._send(wire.View, "PUT", "/views", json={"of": of, "name": name, "query": query})

    def remove_view(self, view_id: UUID) -> None:
        """Delete one of one's own views."""
        self._request("DELETE", f"/views/{view_id}")

    def accounts(
        self,
        q: str = "",
        *,
        provider: str = "",
        criticality: Criticality | None = None,
        practice: bool | None = None,
        risk: int = 0,
        sort: AccountOrder | str = AccountOrder.NAME,
    ) -> Iterator[wire.Account]:
        """Return the accounts with part of a name, of this criticality, and of at least this risk, from 0 to 100."""
        wanted = {"q": q, "provider": provider, "criticality": criticality, "practice": practice, "risk": risk}
        return self._pages(wire.AccountList, "/accounts", {**wanted, "sort": sort})

    def accounts_export(self, file_format: str = "csv", **wanted: Unpack[AccountFile]) -> Iterator[bytes]:
        """Return them as a file, piece by piece: `csv`, `jsonl` or `xlsx`; `wanted` as for `accounts`."""
        return self._pieces("/accounts/export", params=plain(wanted) | {"format": file_format})

    def account(self, account: str) -> wire.Account:
        """Return one account, by id, short form or name."""
        return self._send(wire.Account, "GET", f"/accounts/{part(account)}")

    def describe_account(
        self, account: str, *, criticality: str | None = None, practice: bool | None = None
    ) -> wire.Account:
        """Say how vital an account is (minor, normal, vital), and whether it is only for practice."""
        body = {"criticality": criticality, "practice": practice}
        return self._send(wire.Account, "PUT", f"/accounts/{part(account)}", json=body)

    def apps(
        self, q: str = "", *, outside: bool | None = None, risk: int = 0, sort: PartyOrder | str = PartyOrder.NAME
    ) -> Iterator[wire.App]:
        """Return connected apps in order, each with what it holds on every account."""
        return self._pages(wire.AppList, "/apps", {"q": q, "outside": outside, "risk": risk, "sort": sort})

    def apps_export(self, file_format: str = "csv", **wanted: Unpack[PartyFile]) -> Iterator[bytes]:
        """Return them as a file, piece by piece: `csv`, `jsonl` or `xlsx`; `wanted` as for `apps`."""
        return self._pieces("/apps/export", params=plain(wanted) | {"format": file_format})

    def activity(
        self, *, account: str = "", party: str = "", how: str = "", limit: int | None = None
    ) -> Iterator[wire.Activity]:
        """Return what was done, the latest first; `how` is own, delegate or app."""
        wanted = {"account": account, "party": party, "how": how, "limit": limit}
        return self._pages(wire.ActivityList, "/activity", wanted)

    def keep(self, provider: str, **fields: Unpack[KeptFields]) -> wire.Entry:
        """Keep an entry of a provider by hand, or correct it; `fields` are those of KeptEntry, such as account."""
        body = wire.KeptEntry.model_validate(fields).model_dump(mode="json")
        return self._send(wire.Entry, "POST", f"/providers/{part(provider)}/entries", json=body)

    def vouch(self, entry: str) -> wire.Entry:
        """Say that an entry that is recorded by hand is still there as it is written."""
        return self._send(wire.Entry, "POST", f"/entries/{part(entry)}/vouch")

    def gone(self, entry: str, reason: str = "") -> wire.Entry:
        """Record that an entry recorded by hand has ended at its provider."""
        return self._send(wire.Entry, "POST", f"/entries/{part(entry)}/gone", json={"reason": reason})

    def record_secret(
        self,
        account: str,
        who: str,
        what: str = "",
        *,
        powers: Sequence[str] = (),
        reason: str = "",
        somebody_else: bool = False,
    ) -> wire.Entry:
        """Record that someone knows a password, key or code of an account.

        An address that comes close to a known one is refused (Invalid), unless it is `somebody_else`'s.
        """
        body = {
            "account": account,
            "who": who,
            "what": what,
            "powers": list(powers),
            "reason": reason,
            "somebody_else": somebody_else,
        }
        return self._send(wire.Entry, "POST", "/secrets", json=body)
