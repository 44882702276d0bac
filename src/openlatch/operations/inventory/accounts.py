"""Accounts, and how many parties each is shared with."""

from __future__ import annotations

from dataclasses import replace

from openlatch.core.model import Account
from openlatch.operations.call import Call, operation
from openlatch.operations.rules import flags
from openlatch.store.pages import Page
from openlatch.words import Criticality

__all__ = ["browse", "describe", "show"]


@operation("accounts.browse")
def browse(call: Call, q: str, provider: str, limit: int, cursor: str | None) -> Page[tuple[Account, int]]:
    """Accounts by name, each with the number of parties it is shared with."""
    wanted = call.tx.providers.find(provider).id if provider else None
    return call.tx.accounts.browse(provider_id=wanted, q=q, limit=limit, cursor=cursor)


@operation("accounts.describe")
def describe(call: Call, text: str, criticality: Criticality | None, practice: bool | None) -> tuple[Account, int]:
    """Say how vital an account is, and whether it is only for practice; readings leave that as it is."""
    call.tx.facts.take_turns()
    account, shared = call.tx.accounts.find(text)
    after = replace(
        account,
        criticality=criticality or account.criticality,
        practice=account.practice if practice is None else practice,
        version=account.version + 1,
    )
    if (after.criticality, after.practice) == (account.criticality, account.practice):
        return account, shared
    call.tx.accounts.save_all([after])
    before = {"criticality": account.criticality.value, "practice": account.practice}
    now = {"criticality": after.criticality.value, "practice": after.practice}
    flags.evaluate(call, call.tx.entries.on([account.id]), accounts=[account.id])
    call.log("account.described", "account", account.id, before=before, after=now)
    return after, shared


@operation("accounts.show")
def show(call: Call, text: str) -> tuple[Account, int]:
    """One account, by id, short form or name."""
    return call.tx.accounts.find(text)
