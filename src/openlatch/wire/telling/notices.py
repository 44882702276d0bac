"""What people are told, how they want to be told, and their calendars."""

from datetime import datetime
from uuid import UUID

from openlatch.wire.base import Page, Sent, Taken
from openlatch.words import Telling

__all__ = ["Calendar", "Notice", "NoticeList", "TellingWish"]


class Notice(Sent):
    """A piece of news; `link` is a path in the console. `trouble` says why its letter could not be sent."""

    id: UUID
    title: str
    text: str
    link: str
    made_at: datetime
    sent_at: datetime | None
    trouble: str


class NoticeList(Page[Notice]):
    """What one was told, the latest first."""


class TellingWish(Taken):
    """How one wants to be told: as it comes, once a day in one letter, or in the console only."""

    telling: Telling


class Calendar(Sent):
    """The secret address of one's calendar (iCalendar, RFC 5545), shown once."""

    url: str
