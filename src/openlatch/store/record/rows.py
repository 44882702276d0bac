"""Tables: the log."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import BigInteger
from sqlalchemy.orm import Mapped, mapped_column

from openlatch.store.base import Base, Owned

__all__ = ["EventRow", "SealRow"]


class EventRow(Owned):
    __tablename__ = "events"
    at: Mapped[datetime]
    actor: Mapped[str]
    act: Mapped[str]
    subject: Mapped[str]
    subject_id: Mapped[UUID]
    content: Mapped[dict[str, Any]]
    number: Mapped[int | None] = mapped_column(BigInteger)
    link: Mapped[str | None]


class SealRow(Base):
    __tablename__ = "seals"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    size: Mapped[int] = mapped_column(BigInteger)
    link: Mapped[str]
    sealed_at: Mapped[datetime]
