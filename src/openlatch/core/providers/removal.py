"""Removing a provider: what stands in its way, what becomes of what was read there, and what nobody does any more.

Nothing is taken back by it: whoever was let in there may still get in, only nobody here looks at it any more.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from types import MappingProxyType

from openlatch.core.model import Entry
from openlatch.core.phrases import counted, listed
from openlatch.words import EndReason

__all__ = ["MATTERS", "Hindrance", "Removal", "let_go"]


MOST_NAMED = 3
"""short forms in a sentence; of more than that, the number is told"""


@dataclass(frozen=True, slots=True)
class _Matter:
    """What may go on at a provider: what one and what several are called, and what can be done about them."""

    single: str
    several: str
    going_on: str
    next_step: str


MATTERS: Mapping[str, _Matter] = MappingProxyType(
    {
        "order": _Matter("order", "orders", "in progress there", "Wait until they are over, or cancel them."),
        "batch": _Matter("batch", "batches", "with something to take back there", "Wait until they are over."),
        "offer": _Matter("offer", "offers", "to give access there", "Wait for the answers, or withdraw them."),
        "request": _Matter("request", "requests", "for access there", "Answer them."),
        "round": _Matter("round", "rounds", "that ask about access there", "Finish or cancel them."),
        "import": _Matter("list", "lists", "being taken in there", "Wait until they are in."),
    }
)
"""What must have come to its end before a provider is removed, by what it is."""


@dataclass(frozen=True, slots=True)
class Hindrance:
    """Matters of one sort that go on at a provider, by their short forms."""

    matter: str
    refs: tuple[str, ...]

    @property
    def says(self) -> str:
        matter, number = MATTERS[self.matter], len(self.refs)
        some = listed([*self.refs[:MOST_NAMED], *([f"{number - MOST_NAMED} more"] if number > MOST_NAMED else [])])
        return f"{counted(number, matter.single, matter.several)} {matter.going_on}: {some}."

    @property
    def next_step(self) -> str:
        return MATTERS[self.matter].next_step


@dataclass(frozen=True, slots=True)
class Removal:
    """What removing a provider comes to: of its entries, which stay as history, and of what was to be done there.

    `nowhere_else` are parties that have no entry at any other provider. `to_end` are entries with a last day that is
    still to come. `reviews` are those that ask about this provider by name.
    """

    provider: str
    by_hand: bool = False
    entries: int = 0
    accounts: int = 0
    memberships: int = 0
    nowhere_else: int = 0
    to_end: int = 0
    reviews: tuple[str, ...] = ()
    hindrances: tuple[Hindrance, ...] = field(default_factory=tuple)

    @property
    def says(self) -> tuple[str, ...]:
        """What comes of it, in sentences."""
        entries = counted(self.entries, "entry", "entries")
        said = [
            f"{entries} on {counted(self.accounts, 'account', 'accounts')} will not be looked at any more."
            if self.entries
            else "It has no entries.",
        ]
        if self.entries:
            said.append(f"None of that access is ended: whoever has it at {self.provider} keeps it.")
        if self.to_end:
            have = "has its last day" if self.to_end == 1 else "have their last day"
            said.append(f"{self.to_end:,} of them {have} still to come; nothing here will end it.")
        if self.nowhere_else:
            nobody = counted(self.nowhere_else, "party has", "parties have")
            said.append(f"{nobody} no access anywhere else, as far as is known here.")
        if self.memberships:
            said.append(f"{counted(self.memberships, 'membership', 'memberships')} of teams there will not count.")
        if self.reviews:
            asks = "asks" if len(self.reviews) == 1 else "ask"
            said.append(f"{listed(self.reviews)} {asks} about {self.provider}, and will find nothing there.")
        if not self.by_hand:
            said.append("Its credentials are deleted here. Revoke them at the provider as well.")
        said.append("What was read there stays in the log and in the history. This cannot be undone.")
        return tuple(said)


def let_go(entries: Iterable[Entry], at: datetime) -> tuple[Entry, ...]:
    """Return entries as they are once their provider is removed: nobody says that they have ended there."""
    return tuple(entry.ended(EndReason.PROVIDER_REMOVED, at) for entry in entries)
