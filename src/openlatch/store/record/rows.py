"""Tables: the log."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import BigInteger, SmallInteger
from sqlalchemy.orm import Mapped, mapped_column

from openlatch.store.base import Base, Owned

__all__ = ["EventRow", "NodeRow", "SealRow"]


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
    grown: Mapped[int] = mapped_column(BigInteger, server_default="0")
    """so many of its events are in the tree"""
    root: Mapped[str | None]
    archived: Mapped[int] = mapped_column(BigInteger, server_default="0")
    """so many of its events, the oldest, are in files elsewhere"""
    archived_link: Mapped[str | None]


class NodeRow(Base):
    __tablename__ = "log_nodes"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    level: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    place: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    hash: Mapped[bytes]
