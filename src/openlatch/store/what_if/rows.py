"""Tables: proposals."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openlatch.store.base import Base, Owned

__all__ = ["ProposalRow", "ProposalRunRow"]


class ProposalRow(Owned):
    __tablename__ = "proposals"
    ref: Mapped[str]
    title: Mapped[str]
    made_by: Mapped[str]
    made_at: Mapped[datetime]
    applied_by: Mapped[str]
    applied_at: Mapped[datetime | None]
    batch_id: Mapped[UUID | None]
    runs: Mapped[int]


class ProposalRunRow(Base):
    __tablename__ = "proposal_runs"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    proposal_id: Mapped[UUID] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    body: Mapped[dict[str, Any]]
    asked_by: Mapped[str]
    asked_at: Mapped[datetime]
    finished_at: Mapped[datetime | None]
    outcome: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    trouble: Mapped[str]
