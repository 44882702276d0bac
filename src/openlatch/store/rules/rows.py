"""Tables: policies, flags and risks."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from sqlalchemy import SmallInteger
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openlatch.store.base import Base, Owned

__all__ = ["AccountRiskRow", "FlagRow", "LookRow", "PolicyRow", "UpcomingRow"]


class FlagRow(Owned):
    __tablename__ = "flags"
    ref: Mapped[str]
    rule: Mapped[str]
    subject: Mapped[str]
    subject_id: Mapped[UUID]
    severity: Mapped[int] = mapped_column(SmallInteger)
    facts: Mapped[str]
    """JSON, letter for letter as it was found: a flag has changed when these letters have"""
    reason: Mapped[str]
    policy: Mapped[int]
    raised_at: Mapped[datetime]
    cleared_at: Mapped[datetime | None]
    accepted_by: Mapped[str | None]
    accepted_at: Mapped[datetime | None]
    accepted_until: Mapped[datetime | None]
    accepted_why: Mapped[str | None]
    accepted_severity: Mapped[int | None] = mapped_column(SmallInteger)


class PolicyRow(Base):
    __tablename__ = "policies"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    text: Mapped[str]
    note: Mapped[str]
    adopted_by: Mapped[str]
    adopted_at: Mapped[datetime]
    changes: Mapped[list[str]] = mapped_column(JSONB)


class UpcomingRow(Base):
    __tablename__ = "upcoming"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    subject_id: Mapped[UUID] = mapped_column(primary_key=True)
    subject: Mapped[str]
    at: Mapped[datetime]


class LookRow(Base):
    """What was looked at since a whole evaluation began; none of a workspace while none is under way."""

    __tablename__ = "looks"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    subject: Mapped[str] = mapped_column(primary_key=True)
    subject_id: Mapped[UUID] = mapped_column(primary_key=True)


class AccountRiskRow(Base):
    __tablename__ = "account_risks"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    account_id: Mapped[UUID] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(primary_key=True)
    risk: Mapped[int] = mapped_column(SmallInteger)
