"""Tables: orders, and the keys that sign receipts."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openlatch.store.base import Base, Owned

__all__ = ["KeyRow", "OrderRow"]


class OrderRow(Owned):
    __tablename__ = "orders"
    ref: Mapped[str]
    entry_id: Mapped[UUID | None]
    provider_id: Mapped[UUID | None]
    """with the team and the member: what it is about, where that is no entry"""
    team_id: Mapped[UUID | None]
    member_id: Mapped[UUID | None]
    action: Mapped[str]
    state: Mapped[str]
    plan: Mapped[dict[str, Any]]
    steps: Mapped[list[dict[str, Any]]]
    reason: Mapped[str]
    ordered_by: Mapped[str]
    ordered_by_id: Mapped[UUID | None]
    ordered_at: Mapped[datetime]
    idempotency_key: Mapped[str]
    entry_state: Mapped[str]
    attempts: Mapped[int]
    why: Mapped[str]
    again_at: Mapped[datetime | None]
    finished_at: Mapped[datetime | None]
    receipt: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    batch_id: Mapped[UUID | None]
    version: Mapped[int]


class KeyRow(Base):
    __tablename__ = "keys"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    public: Mapped[dict[str, Any]]
    secret: Mapped[bytes]
    made_at: Mapped[datetime]
