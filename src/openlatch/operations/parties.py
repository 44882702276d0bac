"""Parties, and how many accounts each has access to."""

from __future__ import annotations

from openlatch.core.model import Party
from openlatch.operations.gate import Call, operation
from openlatch.store.pages import Page

__all__ = ["browse", "show"]


@operation("parties.browse")
def browse(call: Call, q: str, limit: int, cursor: str | None) -> Page[tuple[Party, int]]:
    """Parties by name, each with the number of accounts it has access to."""
    return call.tx.parties.browse(q=q, limit=limit, cursor=cursor)


@operation("parties.show")
def show(call: Call, text: str) -> tuple[Party, int]:
    """One party, by id, short form or address."""
    return call.tx.parties.find(text)
