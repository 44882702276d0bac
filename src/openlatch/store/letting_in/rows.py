"""Tables: offers and requests."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy.orm import Mapped

from openlatch.store.base import Owned

__all__ = ["OfferPartRow", "OfferRow", "RequestRow"]


class OfferRow(Owned):
    __tablename__ = "offers"
    ref: Mapped[str]
    address: Mapped[str]
    name: Mapped[str]
    party_id: Mapped[UUID]
    basis: Mapped[str]
    starts_at: Mapped[datetime | None]
    made_by: Mapped[str]
    made_by_id: Mapped[UUID | None]
    made_at: Mapped[datetime]
    lapses_at: Mapped[datetime]
    confirmed: Mapped[list[str]]
    state: Mapped[str]
    left_at: Mapped[datetime | None]
    answered_at: Mapped[datetime | None]
    replaces: Mapped[UUID | None]
    request_id: Mapped[UUID | None]
    version: Mapped[int]


class OfferPartRow(Owned):
    __tablename__ = "offer_parts"
    offer_id: Mapped[UUID]
    place: Mapped[int]
    entry_id: Mapped[UUID]
    live_id: Mapped[UUID | None]
    next_at: Mapped[datetime | None]
    """when some of its powers end, before the rest does"""
    part: Mapped[dict[str, Any]]


class RequestRow(Owned):
    __tablename__ = "requests"
    ref: Mapped[str]
    address: Mapped[str]
    name: Mapped[str]
    account: Mapped[str]
    account_id: Mapped[UUID | None]
    needs: Mapped[list[str]]
    level: Mapped[str]
    reason: Mapped[str]
    ends_at: Mapped[datetime | None]
    asked_at: Mapped[datetime]
    lapses_at: Mapped[datetime]
    state: Mapped[str]
    answer: Mapped[str]
    answered_by: Mapped[str]
    answered_at: Mapped[datetime | None]
    offer_id: Mapped[UUID | None]
    version: Mapped[int]
