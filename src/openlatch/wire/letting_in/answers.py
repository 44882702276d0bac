"""What a link in a letter asks, and the answer to it."""

from datetime import datetime
from typing import Annotated, Literal

from pydantic import StringConstraints

from openlatch.wire.base import Said, Sent, Taken, Text
from openlatch.wire.letting_in.offers import Offer

__all__ = ["AnswerWish", "Question", "Registration"]


class Question(Sent):
    """What a link asks, on behalf of which holder; `trouble` says why it cannot be answered any more, if it cannot.

    `offer` is what is offered, if it is an offer; it is taken up by whoever signs in with its address, and `needs` says
    whether someone does, or has to register first.
    """

    purpose: Literal["hand-over", "offer", "request"]
    holder: str
    title: str
    text: list[str]
    asked_by: str
    lapses_at: datetime
    zone: str = "UTC"
    trouble: str
    offer: Offer | None = None
    needs: Literal["", "sign-in", "register"] = ""
    workspace: str = ""


class Registration(Taken):
    """Someone who has not signed in here yet, and answers by a link to their address."""

    name: Text
    password: Annotated[str, StringConstraints(min_length=1, max_length=500)]


class AnswerWish(Taken):
    """The answer to a link, which can be given once; `later` leaves it for later, and it stays as it is."""

    agrees: bool
    later: bool = False
    reason: Said = ""
    register_as: Registration | None = None
