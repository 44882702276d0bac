"""Tables: providers, readings, and what words were said to mean."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openlatch.store.base import Base, Owned

__all__ = [
    "EventStreamRow",
    "ProviderRow",
    "ProviderVersionRow",
    "ReadingPageRow",
    "ReadingRow",
    "SecurityEventRow",
    "WordRow",
]


class ProviderRow(Owned):
    __tablename__ = "providers"
    name: Mapped[str]
    connector: Mapped[str]
    settings: Mapped[dict[str, Any]]
    secret: Mapped[bytes]
    read_every: Mapped[int]
    stale_after: Mapped[int]
    most_gone: Mapped[int]
    vouch_days: Mapped[int]
    abilities: Mapped[dict[str, Any]]
    last_complete: Mapped[datetime | None]
    down_until: Mapped[datetime | None]
    next_reading: Mapped[datetime | None]
    paused: Mapped[bool] = mapped_column(server_default="false")
    says_who: Mapped[bool] = mapped_column(server_default="false")
    removed_at: Mapped[datetime | None]


class ProviderVersionRow(Base):
    __tablename__ = "provider_versions"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    provider_id: Mapped[UUID] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    settings: Mapped[dict[str, Any]]
    set_by: Mapped[str]
    set_by_id: Mapped[UUID | None]
    set_at: Mapped[datetime | None]


class WordRow(Base):
    __tablename__ = "words"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    provider_id: Mapped[UUID] = mapped_column(primary_key=True)
    word: Mapped[str] = mapped_column(primary_key=True)
    powers: Mapped[list[str]]
    corrected_by: Mapped[str]
    corrected_at: Mapped[datetime]


class ReadingRow(Owned):
    __tablename__ = "readings"
    provider_id: Mapped[UUID]
    state: Mapped[str]
    asked_by: Mapped[str]
    asked_at: Mapped[datetime]
    finished_at: Mapped[datetime | None]
    seen: Mapped[int]
    total: Mapped[int | None]
    counts: Mapped[dict[str, Any]]
    trouble: Mapped[str]
    accept_loss: Mapped[bool]
    withheld: Mapped[int]
    remarks: Mapped[list[str]] = mapped_column(server_default="{}")


class ReadingPageRow(Base):
    __tablename__ = "reading_pages"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    reading_id: Mapped[UUID] = mapped_column(primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    body: Mapped[dict[str, Any]]
    seen_at: Mapped[datetime]


class EventStreamRow(Owned):
    __tablename__ = "event_streams"
    provider_id: Mapped[UUID]
    issuer: Mapped[str]
    audience: Mapped[str]
    keys: Mapped[str]
    poll: Mapped[str]
    made_by: Mapped[str]
    made_at: Mapped[datetime]
    heard_at: Mapped[datetime | None]
    trouble: Mapped[str]
    secret: Mapped[bytes]
    """what it is fetched with, closed"""
    secret_hash: Mapped[bytes]
    """of what it has to be sent with"""
    key_set: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    keys_at: Mapped[datetime | None]


class SecurityEventRow(Owned):
    __tablename__ = "security_events"
    ref: Mapped[str]
    provider_id: Mapped[UUID]
    stream_id: Mapped[UUID]
    jti: Mapped[str]
    reported: Mapped[str]
    keys: Mapped[list[str]]
    addresses: Mapped[list[str]]
    at: Mapped[datetime]
    received_at: Mapped[datetime]
    party_id: Mapped[UUID | None]
    came_to: Mapped[str]
    done_at: Mapped[datetime | None]
