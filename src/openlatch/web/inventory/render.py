"""Accounts, parties and what was done as messages of the API."""

from __future__ import annotations

from openlatch.core import model
from openlatch.core.ids import ref_of
from openlatch.store.inventory.accounts import ListedAccount
from openlatch.store.inventory.activity import Done
from openlatch.store.inventory.parties import ListedParty
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["account_of", "activity_of", "named", "overview_of", "party_of"]


def named(one: model.Party | model.Account | model.Provider) -> wire.Ref:
    return filled(wire.Ref, one)


def account_of(listed: ListedAccount, provider: str) -> wire.Account:
    by = listed.account.provider_id
    provider_of = wire.Ref(id=by, ref=ref_of(by), name=provider)
    return filled(wire.Account, listed.account, listed.standing, provider=provider_of, risk=listed.risk)


def party_of(party: model.Party, outside: bool) -> wire.Party:
    return filled(wire.Party, party, outside=outside, service=bool(party.service))


def overview_of(listed: ListedParty, outside: bool) -> wire.PartyOverview:
    party = party_of(listed.party, outside)
    return filled(wire.PartyOverview, party, listed.standing, risk=listed.risk)


def activity_of(done: Done) -> wire.Activity:
    return filled(wire.Activity, done, done.activity, entry=done.entry_ref)
