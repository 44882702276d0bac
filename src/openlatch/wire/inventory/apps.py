"""Connected apps."""

from __future__ import annotations

from openlatch.wire.base import Page, Sent
from openlatch.wire.inventory.entries import Entry
from openlatch.wire.inventory.parties import PartyOverview

__all__ = ["App", "AppList"]


class App(Sent):
    """A connected app with what it holds on each account; `accounts` counts those it is on."""

    party: PartyOverview
    accounts: int
    entries: list[Entry]


class AppList(Page[App]):
    """Connected apps, by name."""
