"""Tables: review plans, rounds, calendars, and reports that are printed."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import BigInteger
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openlatch.store.base import Base, Owned

__all__ = ["CalendarRow", "PrintRow", "ReviewPlanRow", "RoundItemRow", "RoundReportRow", "RoundRow"]


class PrintRow(Owned):
    __tablename__ = "prints"
    ref: Mapped[str]
    kind: Mapped[str]
    subject: Mapped[str]
    state: Mapped[str]
    asked_by: Mapped[str]
    asked_at: Mapped[datetime]
    finished_at: Mapped[datetime | None]
    name: Mapped[str]
    content: Mapped[bytes | None] = mapped_column(deferred=True)
    trouble: Mapped[str]


class ReviewPlanRow(Owned):
    __tablename__ = "review_plans"
    ref: Mapped[str]
    name: Mapped[str]
    body: Mapped[dict[str, Any]]
    paused: Mapped[bool]
    next_at: Mapped[datetime | None]
    created_by: Mapped[str]
    seen: Mapped[int] = mapped_column(BigInteger)
    """the place in the log up to which events have been heeded"""
    version: Mapped[int]
    removed_at: Mapped[datetime | None]


class RoundRow(Owned):
    __tablename__ = "rounds"
    ref: Mapped[str]
    plan_id: Mapped[UUID]
    plan: Mapped[dict[str, Any]]
    why: Mapped[str]
    occurrence: Mapped[datetime]
    opened_at: Mapped[datetime]
    due_at: Mapped[datetime]
    policy: Mapped[int]
    state: Mapped[str]
    paused_at: Mapped[datetime | None]
    settled_by: Mapped[str]
    settled_at: Mapped[datetime | None]
    closed_at: Mapped[datetime | None]
    left_out: Mapped[int]
    compared: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    version: Mapped[int]


class RoundItemRow(Base):
    __tablename__ = "round_items"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    round_id: Mapped[UUID] = mapped_column(primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    entry_id: Mapped[UUID]
    account_id: Mapped[UUID]
    party_id: Mapped[UUID]
    facts: Mapped[dict[str, Any]]
    reviewer: Mapped[UUID | None]
    decision: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    order_id: Mapped[UUID | None]
    trouble: Mapped[str]
    gone: Mapped[bool]
    left_open: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    version: Mapped[int]


class RoundReportRow(Base):
    __tablename__ = "round_reports"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    round_id: Mapped[UUID] = mapped_column(primary_key=True)
    content: Mapped[dict[str, Any]]
    signed: Mapped[str]


class CalendarRow(Base):
    __tablename__ = "calendars"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    person_id: Mapped[UUID] = mapped_column(primary_key=True)
    secret_hash: Mapped[bytes]
    made_at: Mapped[datetime]
