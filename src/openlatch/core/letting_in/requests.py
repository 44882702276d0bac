"""Requests: access that someone asks for, and what becomes of that."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from enum import StrEnum
from types import MappingProxyType
from uuid import UUID

from openlatch.core.ids import ref_of
from openlatch.core.letting_in.offers import Part
from openlatch.core.moves import Moves
from openlatch.core.phrases import listed
from openlatch.core.powers import in_order
from openlatch.words import Power, RequestState

__all__ = ["MOVES", "Compared", "Request", "RequestMove", "compare"]


class RequestMove(StrEnum):
    """What can happen to a request."""

    CONFIRM = "confirm"
    OFFER = "offer"
    TURN_DOWN = "turn-down"
    WITHDRAW = "withdraw"
    LAPSE = "lapse"


TABLE: MappingProxyType[tuple[RequestState, RequestMove], RequestState] = MappingProxyType(
    {
        (RequestState.UNCONFIRMED, RequestMove.CONFIRM): RequestState.WAITING,
        (RequestState.UNCONFIRMED, RequestMove.WITHDRAW): RequestState.WITHDRAWN,
        (RequestState.UNCONFIRMED, RequestMove.LAPSE): RequestState.LAPSED,
        (RequestState.WAITING, RequestMove.OFFER): RequestState.OFFERED,
        (RequestState.WAITING, RequestMove.TURN_DOWN): RequestState.TURNED_DOWN,
        (RequestState.WAITING, RequestMove.WITHDRAW): RequestState.WITHDRAWN,
        (RequestState.WAITING, RequestMove.LAPSE): RequestState.LAPSED,
    }
)
"""Every move that is possible; whatever is not in here is refused."""


MOVES = Moves(
    TABLE,
    lambda state, how: (
        f"This request is {state}, and cannot be changed like that any more.",
        "Look at it again; you can ask again for what is over.",
    ),
)


@dataclass(frozen=True, slots=True)
class Request:
    """Powers on an account that whoever has an address asks for, with a reason, until an end or without one.

    `account` is as they named it, `account_id` the one that is meant, once that is known. `answer` is what whoever
    asked is told: why it was declined, or why less is offered.
    """

    id: UUID
    address: str
    name: str
    account: str
    account_id: UUID | None
    needs: tuple[Power, ...]
    level: str
    reason: str
    ends_at: datetime | None
    asked_at: datetime
    lapses_at: datetime
    state: RequestState = RequestState.WAITING
    answer: str = ""
    answered_by: str = ""
    answered_at: datetime | None = None
    offer_id: UUID | None = None
    version: int = 1

    @property
    def ref(self) -> str:
        return ref_of(self.id)

    def moved(self, how: RequestMove, **changes: object) -> Request:
        """Return the request after a move, one version on; refuses what the table does not have."""
        return replace(self, state=MOVES.after(self.state, how), version=self.version + 1, **changes)  # type: ignore[arg-type]


@dataclass(frozen=True, slots=True)
class Compared:
    """In what an offer is less than was asked for, and in what it is more, as words that follow each other."""

    less: tuple[str, ...]
    more: tuple[str, ...]

    def less_than(self, who: str) -> str:
        """Return in a sentence what is less, than `who` asked for; empty if it is all of it."""
        return f"That is less than {who} asked for: {listed(self.less)}." if self.less else ""

    def more_than(self, who: str) -> str:
        """Return in a sentence what `who` did not ask for; empty if it is nothing."""
        return f"{who} did not ask for {listed(self.more)}." if self.more else ""


def compare(
    request: Request,
    asked: Mapping[str, Sequence[Power]],
    parts: Sequence[Part],
    starts_at: datetime | None,
    places: Mapping[UUID, str],
) -> Compared:
    """Return how an offer of some parts compares with what was asked for.

    `asked` are the known levels of the account that the request is about, and `places` names the accounts of the parts.
    """
    here = [part for part in parts if request.account_id in (None, part.account_id)]
    elsewhere = dict.fromkeys(places[part.account_id] for part in parts if part not in here)
    beside = [f"access to {place}" for place in elsewhere]
    if not here:
        return Compared((f"nothing on {request.account}",), tuple(beside))
    wanted = {*request.needs, *asked.get(request.level, ())}
    powers = {power for part in here for power in part.powers}
    lasting = {power for part in here for power in (part.later[-1].powers if part.later else part.powers)}
    ends = [part.ends_at for part in here]
    ends_at = None if None in ends else max(end for end in ends if end is not None)
    less, more = [], []
    if request.level and request.level not in asked and request.level not in {part.level for part in here}:
        less.append(f"“{here[0].level}” in the place of “{request.level}”")
    if missing := in_order(wanted - powers):
        less.append(f"without {listed(missing)}")
    if early := in_order((wanted & powers) - lasting):
        less.append(f"{listed(early)} for a part of the time")
    if all(part.resources for part in here):
        less.append(f"only for {', '.join(dict.fromkeys(resource for part in here for resource in part.resources))}")
    if all(part.hours is not None for part in here):
        less.append("only at some hours")
    if starts_at is not None:
        less.append("from a later day on")
    if ends_at is not None and (request.ends_at is None or ends_at < request.ends_at):
        less.append("for a shorter time")
    if (beyond := in_order(powers - wanted)) and wanted:
        more.append(listed(beyond))
    if request.ends_at is not None and (ends_at is None or ends_at > request.ends_at):
        more.append("a longer time")
    return Compared(tuple(less), (*more, *beside))
