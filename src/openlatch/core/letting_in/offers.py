"""Offers: access that is held out to someone, in one piece or several, and what becomes of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from enum import StrEnum
from types import MappingProxyType
from uuid import UUID

from openlatch.core.hours import Hours, day_in, last_day
from openlatch.core.ids import ref_of
from openlatch.core.model import Author
from openlatch.core.moves import Moves
from openlatch.core.phrases import listed
from openlatch.core.powers import in_order
from openlatch.core.rules.tasks import Choice, fit
from openlatch.errors import Conflict
from openlatch.words import EndReason, Kind, OfferState, Power

__all__ = [
    "MOVES",
    "Offer",
    "OfferMove",
    "Part",
    "Stage",
    "said_of",
    "sentence",
    "stages",
    "why_ended",
]


class OfferMove(StrEnum):
    """What can happen to an offer."""

    CORRECT = "correct"
    SEND_AGAIN = "send-again"
    LEAVE = "leave"
    """the other side has seen it, and leaves it for later"""
    TAKE_UP = "take-up"
    DECLINE = "decline"
    WITHDRAW = "withdraw"
    LAPSE = "lapse"


TABLE: MappingProxyType[tuple[OfferState, OfferMove], OfferState] = MappingProxyType(
    {
        (OfferState.WAITING, OfferMove.CORRECT): OfferState.WAITING,
        (OfferState.WAITING, OfferMove.SEND_AGAIN): OfferState.WAITING,
        (OfferState.WAITING, OfferMove.LEAVE): OfferState.WAITING,
        (OfferState.WAITING, OfferMove.TAKE_UP): OfferState.TAKEN_UP,
        (OfferState.WAITING, OfferMove.DECLINE): OfferState.DECLINED,
        (OfferState.WAITING, OfferMove.WITHDRAW): OfferState.WITHDRAWN,
        (OfferState.WAITING, OfferMove.LAPSE): OfferState.LAPSED,
    }
)
"""Every move that is possible; whatever is not in here is refused. What was answered is offered anew, not again."""

_ENDED = {
    OfferState.TAKEN_UP: EndReason.REPLACED,
    OfferState.DECLINED: EndReason.DECLINED,
    OfferState.LAPSED: EndReason.LAPSED,
    OfferState.WITHDRAWN: EndReason.WITHDRAWN,
}
_SAYS = {
    OfferState.TAKEN_UP: "was accepted already",
    OfferState.DECLINED: "was declined",
    OfferState.LAPSED: "has lapsed",
    OfferState.WITHDRAWN: "was withdrawn",
}


MOVES = Moves(TABLE, lambda state, how: (f"This offer {_SAYS[state]}.", "Make a new offer, if it is still wanted."))


def said_of(state: OfferState) -> str:
    """Return what has become of an offer, as people say it; empty while it waits."""
    return _SAYS.get(state, "")


def why_ended(state: OfferState) -> EndReason:
    """Return why the entries of an offer end with it."""
    return _ENDED[state]


@dataclass(frozen=True, slots=True)
class Stage:
    """What someone has from some instant on, where not all of it ends at once; `since` is when it begins."""

    since: datetime
    level: str
    permissions: tuple[str, ...]
    powers: tuple[Power, ...]


@dataclass(frozen=True, slots=True)
class Part:
    """Access to one account that is offered; `ends_at` None is without an end, on purpose.

    `later` is what is left of it once some of its powers have ended, and `key` the provider's own name for the party,
    or the address by which it is to know them. `entry_id` is the entry that shows it as offered, `order_id` the order
    that gives it once it is taken up, and `live_id` the entry that it then is.
    """

    id: UUID
    account_id: UUID
    kind: Kind
    level: str
    permissions: tuple[str, ...]
    resources: tuple[str, ...]
    powers: tuple[Power, ...]
    ends_at: datetime | None
    hours: Hours | None = None
    key: str = ""
    later: tuple[Stage, ...] = ()
    entry_id: UUID | None = None
    order_id: UUID | None = None
    live_id: UUID | None = None

    @property
    def power_ends(self) -> dict[Power, datetime]:
        """When single powers end, where they do before the rest does."""
        return {
            power: next(stage.since for stage in self.later if power not in stage.powers)
            for power in self.powers
            if any(power not in stage.powers for stage in self.later)
        }


@dataclass(frozen=True, slots=True)
class Offer:
    """Access held out to whoever has an address, all parts together, until it lapses.

    `confirmed` are the sentences that whoever made it was shown and confirmed. `left_at` is when the other side left
    it for later. `replaces` is the secret that it makes needless, `request_id` the request that it answers.
    """

    id: UUID
    address: str
    name: str
    party_id: UUID
    parts: tuple[Part, ...]
    basis: str
    starts_at: datetime | None
    made_by: Author
    made_at: datetime
    lapses_at: datetime
    confirmed: tuple[str, ...]
    state: OfferState = OfferState.WAITING
    left_at: datetime | None = None
    answered_at: datetime | None = None
    replaces: UUID | None = None
    request_id: UUID | None = None
    version: int = 1

    @property
    def ref(self) -> str:
        return ref_of(self.id)

    def moved(self, how: OfferMove, now: datetime) -> Offer:
        """Return the offer after a move, one version on; refuses what the table does not have."""
        state = MOVES.after(self.state, how)
        answered = now if how in (OfferMove.TAKE_UP, OfferMove.DECLINE) else self.answered_at
        left = now if how is OfferMove.LEAVE else self.left_at
        return replace(self, state=state, answered_at=answered, left_at=left, version=self.version + 1)


def stages(
    ends: Mapping[Power, datetime],
    first: Choice,
    ends_at: datetime | None,
    levels: Mapping[str, Sequence[Power]],
    permissions: Mapping[str, Sequence[Power]] | None = None,
    *,
    single: str = "",
) -> tuple[Stage, ...]:
    """Return what a party has later on, where some powers end before all of it does.

    Each stage is the narrowest choice that still covers what has not ended, and gives nothing that the one before did
    not. Raises Conflict where the provider has no such choice: the power cannot end by itself there.
    """
    the_stages: list[Stage] = []
    had = set(first.powers)
    for at in sorted({at for at in ends.values() if ends_at is None or at < ends_at}):
        left = {power for power in first.powers if power not in ends or ends[power] > at}
        able = {name: gives for name, gives in levels.items() if set(gives) <= left}
        words = {word: gives for word, gives in (permissions or {}).items() if set(gives) <= left}
        choices = fit(left, able, words, single=single).choices
        if not left or not choices:
            gone = ", ".join(in_order(had - left))
            raise Conflict(
                f"There is no level without {gone} that keeps the rest, so that cannot end before the rest does. "
                "Nothing was changed.",
                next_step="Let all of it end on that day, or offer the parts one by one.",
                powers=[str(power) for power in in_order(had - left)],
            )
        best = choices[0]
        the_stages.append(Stage(at, best.level, best.permissions, best.powers))
        had = set(best.powers)
    return tuple(the_stages)


def sentence(name: str, where: str, part: Part, starts_at: datetime | None, zone: str) -> str:
    """Return what a part of an offer lets someone do, as one sentence."""
    can = listed(part.powers) if part.powers else f"use “{part.level}”"
    on = f" ({', '.join(part.resources[:3])}{_more(part.resources)})" if part.resources else ""
    hours = f", {part.hours}" if part.hours is not None else ""
    start = f" from {day_in(starts_at, zone)}" if starts_at is not None else ""
    end = f" until the end of {last_day(part.ends_at, zone)}" if part.ends_at is not None else ", without an end"
    later = "".join(f"; from {day_in(stage.since, zone)} on only {listed(stage.powers)}" for stage in part.later)
    return f"{name} can {can} on {where}{on}{hours}{start}{end}{later}."


def _more(resources: Sequence[str]) -> str:
    return f" and {len(resources) - 3} more" if len(resources) > 3 else ""
