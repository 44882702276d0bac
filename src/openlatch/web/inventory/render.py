"""Accounts, parties and what was done as messages of the API."""

from __future__ import annotations

from openlatch.core import model
from openlatch.core.ids import ref_of
from openlatch.store.inventory.activity import Done
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["account_of", "activity_of", "named", "party_of"]


def named(one: model.Party | model.Account | model.Provider) -> wire.Ref:
    return filled(wire.Ref, one)


def account_of(account: model.Account, shared_with: int, provider: str) -> wire.Account:
    by = account.provider_id
    return filled(
        wire.Account, account, provider=wire.Ref(id=by, ref=ref_of(by), name=provider), shared_with=shared_with
    )


def party_of(party: model.Party, outside: bool, on_accounts: int | None = None) -> wire.Party:
    return filled(wire.Party, party, outside=outside, on_accounts=on_accounts)


def activity_of(done: Done) -> wire.Activity:
    return filled(wire.Activity, done, done.activity, entry=done.entry_ref)
