"""Tables: notices, links in letters, and webhooks."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from sqlalchemy import BigInteger
from sqlalchemy.orm import Mapped, mapped_column

from openlatch.store.base import Owned

__all__ = ["LinkRow", "NoticeRow", "WebhookRow"]


class NoticeRow(Owned):
    __tablename__ = "notices"
    person_id: Mapped[UUID | None]
    address: Mapped[str]
    name: Mapped[str]
    key: Mapped[str]
    title: Mapped[str]
    text: Mapped[str]
    link: Mapped[str]
    made_at: Mapped[datetime]
    due_at: Mapped[datetime | None]
    """when it is to be sent; never, if it is told in the console only"""
    sent_at: Mapped[datetime | None]
    letter_id: Mapped[UUID | None]
    attempts: Mapped[int]
    trouble: Mapped[str]


class LinkRow(Owned):
    __tablename__ = "links"
    purpose: Mapped[str]
    subject_id: Mapped[UUID]
    address: Mapped[str]
    made_at: Mapped[datetime]
    lapses_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]
    used_at: Mapped[datetime | None]
    answer: Mapped[str]


class WebhookRow(Owned):
    __tablename__ = "webhooks"
    ref: Mapped[str]
    url: Mapped[str]
    """as it is shown: what stands behind the host may be as good as a password"""
    address: Mapped[bytes | None]
    """the whole of it, closed; none where it was written down before that"""
    secret: Mapped[bytes]
    acts: Mapped[list[str]]
    form: Mapped[str] = mapped_column(server_default="news")
    audience: Mapped[str] = mapped_column(server_default="")
    seen: Mapped[int] = mapped_column(BigInteger)
    """the place in the log up to which it was told"""
    paused: Mapped[bool]
    attempts: Mapped[int]
    again_at: Mapped[datetime | None]
    trouble: Mapped[str]
    sent_at: Mapped[datetime | None]
    made_by: Mapped[str]
    made_at: Mapped[datetime]
