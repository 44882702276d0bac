"""Requests: access that somebody asks for, and what becomes of that."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime
from enum import StrEnum
from types import MappingProxyType
from uuid import UUID

from openlatch.core.ids import ref_of
from openlatch.core.powers import Power, in_order
from openlatch.errors import Conflict

__all__ = ["TABLE", "Request", "RequestMove", "RequestState", "less", "more", "move"]


class RequestState(StrEnum):
    """Where a request stands."""

    UNCONFIRMED = "unconfirmed"
    """asked from outside; whoever has the address has not said yet that it was them"""
    WAITING = "waiting"
    OFFERED = "offered"
    """answered by an offer, of all that was asked for or of less"""
    TURNED_DOWN = "turned-down"
    WITHDRAWN = "withdrawn"
    LAPSED = "lapsed"


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


def move(state: RequestState, how: RequestMove) -> RequestState:
    """Return the state that follows, or raise Conflict for a pair that is not in the table."""
    try:
        return TABLE[state, how]
    except KeyError:
        raise Conflict(
            f"This request is {state}, and cannot be changed like that any more. Nothing was changed.",
            next_step="Look at it again; what is over can be asked for anew.",
            state=str(state),
            move=str(how),
        ) from None


@dataclass(frozen=True, slots=True)
class Request:
    """Powers on an account that whoever has an address asks for, with a reason, until an end or without one.

    `account` is as they named it, `account_id` the one that is meant, once that is known. `answer` is what was said
    when it was turned down.
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
        return replace(self, state=move(self.state, how), version=self.version + 1, **changes)  # type: ignore[arg-type]


def less(request: Request, powers: Iterable[Power], ends_at: datetime | None) -> str:
    """Return in a sentence what is offered less than was asked for; empty if it is all of it."""
    missing = in_order(set(request.needs) - set(powers))
    told = [f"without {_listed([str(power) for power in missing])}"] if missing else []
    if ends_at is not None and (request.ends_at is None or ends_at < request.ends_at):
        told.append("for a shorter time")
    return f"That is less than {request.name} asked for: {' and '.join(told)}." if told else ""


def more(request: Request, powers: Iterable[Power], ends_at: datetime | None) -> str:
    """Return in a sentence what is offered beyond what was asked for; empty if it is nothing."""
    beyond = in_order(set(powers) - set(request.needs)) if request.needs else ()
    told = [_listed([str(power) for power in beyond])] if beyond else []
    if request.ends_at is not None and (ends_at is None or ends_at > request.ends_at):
        told.append("a longer time")
    return f"{request.name} did not ask for {' and '.join(told)}." if told else ""


def _listed(words: list[str]) -> str:
    *first, last = words
    return f"{', '.join(first)} and {last}" if first else last
