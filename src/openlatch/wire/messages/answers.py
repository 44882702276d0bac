"""What a link in a letter asks, and the answer to it."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from openlatch.wire.messages.base import Sent, Taken

__all__ = ["AnswerWish", "Question"]


class Question(Sent):
    """What a link asks, on behalf of which holder; `trouble` says why it cannot be answered any more, if it cannot."""

    purpose: Literal["hand-over"]
    holder: str
    title: str
    text: list[str]
    asked_by: str
    lapses_at: datetime
    trouble: str


class AnswerWish(Taken):
    """The answer to a link, which can be given once."""

    agrees: bool
