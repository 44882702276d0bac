"""Accounts, and what is on each."""

from __future__ import annotations

from dataclasses import replace

from openlatch.operations.call import Call, operation
from openlatch.operations.rules import flags
from openlatch.store.inventory.accounts import AccountFilter, ListedAccount
from openlatch.store.pages import Page
from openlatch.wire.inventory.parties import AccountFilter as Wanted
from openlatch.words import Criticality

__all__ = ["browse", "describe", "show"]


@operation("accounts.browse")
def browse(call: Call, wanted: Wanted, limit: int, cursor: str | None) -> Page[ListedAccount]:
    """Accounts in the order that is wanted, each with what is on it."""
    chosen = AccountFilter(
        q=wanted.q,
        provider_id=call.tx.providers.find(wanted.provider).id if wanted.provider else None,
        criticality=wanted.criticality,
        practice=wanted.practice,
        risk=wanted.risk,
    )
    return call.tx.accounts.browse(chosen, wanted.sort, limit=limit, cursor=cursor, now=call.now)


@operation("accounts.describe")
def describe(call: Call, text: str, criticality: Criticality | None, practice: bool | None) -> ListedAccount:
    """Say how vital an account is, and whether it is only for practice; readings leave that as it is."""
    call.tx.facts.take_turns()
    account = call.tx.accounts.find(text)
    after = replace(
        account,
        criticality=criticality or account.criticality,
        practice=account.practice if practice is None else practice,
        version=account.version + 1,
    )
    if (after.criticality, after.practice) == (account.criticality, account.practice):
        return call.tx.accounts.listed(account.id, call.now)
    call.tx.accounts.save_all([after])
    before = {"criticality": account.criticality.value, "practice": account.practice}
    now = {"criticality": after.criticality.value, "practice": after.practice}
    flags.evaluate(call, call.tx.entries.on([account.id]), accounts=[account.id])
    call.log("account.described", "account", account.id, before=before, after=now)
    return call.tx.accounts.listed(account.id, call.now)


@operation("accounts.show")
def show(call: Call, text: str) -> ListedAccount:
    """One account, by id, short form or name, with what is on it."""
    return call.tx.accounts.find_listed(text, call.now)
