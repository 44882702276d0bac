"""Requests: access that someone asks for."""

from datetime import datetime
from uuid import UUID

from pydantic import Field

from openlatch.wire.base import Page, PageQuery, Said, Search, Sent, Taken, Text, Word
from openlatch.wire.letting_in.offers import Address, Day
from openlatch.words import Power, RequestState

__all__ = [
    "Asked",
    "OutsideRequest",
    "Request",
    "RequestList",
    "RequestQuery",
    "RequestWish",
    "TurnDownWish",
]


class RequestWish(Taken):
    """Powers on an account, or a level of it, that someone asks for; the account as they know it."""

    account: Text
    needs: list[Power] = Field(default=[], max_length=len(Power))
    level: Word = ""
    reason: Said
    until: Day | None = None


class OutsideRequest(RequestWish):
    """The same from someone who does not sign in here."""

    workspace: Text
    address: Address
    name: Text


class Asked(Sent):
    """That something was asked for: it counts once whoever has the address says so."""

    holder: str
    address: str


class Request(Sent):
    """What someone asks for; `account_id` is the account that is meant, once that is known."""

    id: UUID
    ref: str
    address: str
    name: str
    account: str
    account_id: UUID | None
    needs: list[Power]
    level: str
    reason: str
    ends_at: datetime | None
    asked_at: datetime
    lapses_at: datetime
    state: RequestState
    answer: str
    answered_by: str
    answered_at: datetime | None
    offer: UUID | None
    moves: list[str]


class RequestQuery(PageQuery):
    """Which requests are wanted; states separated by commas, left out all but `unconfirmed`."""

    state: Search = ""


class RequestList(Page[Request]):
    """Requests, the latest first."""


class TurnDownWish(Taken):
    """Why a request is turned down; whoever asked is told."""

    reason: Said
