"""Tables: batches."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openlatch.store.base import Base, Owned

__all__ = ["BatchItemRow", "BatchRow"]


class BatchRow(Owned):
    __tablename__ = "batches"
    ref: Mapped[str]
    kind: Mapped[str]
    action: Mapped[str]
    wanted: Mapped[dict[str, Any]]
    party_id: Mapped[UUID | None]
    reason: Mapped[str]
    ordered_by: Mapped[str]
    ordered_by_id: Mapped[UUID | None]
    ordered_at: Mapped[datetime]
    begins_at: Mapped[datetime | None]
    cancelled_at: Mapped[datetime | None]
    over_at: Mapped[datetime | None]


class BatchItemRow(Base):
    __tablename__ = "batch_items"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    batch_id: Mapped[UUID] = mapped_column(primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    phase: Mapped[int]
    entry_id: Mapped[UUID | None]
    action: Mapped[str]
    text: Mapped[str]
    who: Mapped[str]
    order_id: Mapped[UUID | None]
    came_to: Mapped[str]
    trouble: Mapped[str]
    done_at: Mapped[datetime | None]
    done_by: Mapped[str]
    membership_id: Mapped[UUID | None]
    left_open: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
