"""Accounts, and how many parties each is shared with."""

from __future__ import annotations

from openlatch.core.model import Account
from openlatch.operations.gate import Call, operation
from openlatch.store.pages import Page

__all__ = ["browse", "show"]


@operation("accounts.browse")
def browse(call: Call, q: str, provider: str, limit: int, cursor: str | None) -> Page[tuple[Account, int]]:
    """Accounts by name, each with the number of parties it is shared with."""
    wanted = call.tx.providers.find(provider).id if provider else None
    return call.tx.accounts.browse(provider_id=wanted, q=q, limit=limit, cursor=cursor)


@operation("accounts.show")
def show(call: Call, text: str) -> tuple[Account, int]:
    """One account, by id, short form or name."""
    return call.tx.accounts.find(text)
