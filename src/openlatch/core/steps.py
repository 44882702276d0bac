"""What plans are made of: actions, what is asked, steps, and the plan as a value."""

from __future__ import annotations

import hashlib
from dataclasses import asdict, dataclass
from datetime import datetime, time
from enum import StrEnum
from typing import Any
from uuid import UUID

from openlatch.core.impact import Consequence, Situation
from openlatch.core.ledger import canonical
from openlatch.core.model import Entry
from openlatch.core.ports import Change, Gift

__all__ = ["Action", "Ask", "Plan", "Step", "WayOut", "asked", "changed", "key_of", "read_step", "receipt_step"]


class Action(StrEnum):
    """What an order does."""

    END = "end"
    """the holder takes the access back"""
    GIVE_UP = "give-up"
    """the party no longer wants it"""
    NARROW = "narrow"
    """to a level that gives less, or to some of the resources"""
    PAUSE = "pause"
    RESUME = "resume"
    END_ON = "end-on"
    """at the end of a last day"""
    CLOSE_SESSIONS = "close-sessions"
    """the open ones of the party on the account; they may sign in again"""
    CHANGE_SECRET = "change-secret"  # noqa: S105 - the act, not a secret
    """somebody gives the account a new password, key or code; whoever was told the old one has nothing any more"""
    GIVE_BACK = "give-back"
    """what has ended is given again, as it was"""
    HAND_OVER = "hand-over"
    """the account itself goes to somebody else, once whoever owns it has agreed by a link"""
    LET_IN = "let-in"
    """what was offered is given, now that it was taken up"""

    @property
    def ends(self) -> bool:
        """Whether the entry is to be gone in the end."""
        return self in (Action.END, Action.GIVE_UP, Action.CHANGE_SECRET)


@dataclass(frozen=True, slots=True)
class Ask:
    """What is wanted of an entry; `successor` is the entry of whoever is to be made an administrator first.

    `until` is the instant after the last day.
    """

    action: Action = Action.END
    level: str = ""
    resources: tuple[str, ...] | None = None
    until: datetime | None = None
    successor: UUID | None = None


@dataclass(frozen=True, slots=True)
class Step:
    """One step of a plan, and how it went: `at` is None while it is still to be done.

    `call` is one of change, end and give (the provider is asked), ask (a person is asked), consent (whoever has the
    entry is asked, by a link), withdraw (an offer that was made here), wait, read and receipt.
    `entry` and `party` are the provider's own keys.
    """

    call: str
    text: str
    entry: str = ""
    party: str = ""
    change: Change | None = None
    gift: Gift | None = None
    until: datetime | None = None
    at: datetime | None = None
    said: str = ""


@dataclass(frozen=True, slots=True)
class WayOut:
    """Somebody who could be made an administrator first, by their entry."""

    entry: str
    name: str
    level: str


@dataclass(frozen=True, slots=True)
class Plan:
    """What is done about one entry: what happens, gravest first, and how it is done.

    With a `stop` it is not carried out; each of `ways_out` would lift it.
    """

    action: str
    entry: str
    consequences: tuple[Consequence, ...]
    steps: tuple[Step, ...]
    stop: str = ""
    ways_out: tuple[WayOut, ...] = ()

    @property
    def digest(self) -> str:
        """64 hex digits that differ whenever anything in the plan differs."""
        return hashlib.sha256(canonical(self._plain())).hexdigest()

    def as_dict(self) -> dict[str, Any]:
        return {**self._plain(), "digest": self.digest}

    def _plain(self) -> dict[str, Any]:
        return asdict(self, dict_factory=_plainly)


def _plainly(fields: list[tuple[str, Any]]) -> dict[str, Any]:
    """The fields of a value in a form that JSON has, in one order."""
    sets = {name: sorted(value) for name, value in fields if isinstance(value, frozenset)}
    times = {name: value.isoformat() for name, value in fields if isinstance(value, time)}
    return {**dict(fields), **sets, **times}


def receipt_step() -> Step:
    """The last step of every plan."""
    return Step("receipt", "Write the receipt, with what was seen, and seal it into the log.")


def read_step(s: Situation, entry: Entry, why: str) -> Step:
    """A fresh reading of the party of an entry."""
    return Step("read", f"Read {s.provider} again and {why}.", party=key_of(s, entry))


def changed(s: Situation, entry: Entry, change: Change, text: str) -> Step:
    """The provider is asked to change an entry."""
    return Step("change", text, entry.key, key_of(s, entry), change)


def asked(s: Situation, entry: Entry, text: str) -> Step:
    """A person is asked to do something about an entry."""
    return Step("ask", text, entry.key, key_of(s, entry))


def key_of(s: Situation, entry: Entry) -> str:
    """The provider's own name for the party of an entry."""
    return s.keys[entry.party_id]
