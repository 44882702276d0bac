"""Readings of a provider."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from pydantic import Field

from openlatch.wire.base import Page, Sent, Taken
from openlatch.words import ReadingState

__all__ = ["Reading", "ReadingList", "ReadingWish"]


class Reading(Sent):
    """One pass over a provider; `total` is what the provider announced, `counts` what the pass changed.

    `withheld` entries were no longer shown, too many to be believed; a reading with `accept_loss` ends them.
    `remarks` are what could not be made out, such as members of a team that are not listed; all else was read.
    """

    id: UUID
    provider_id: UUID
    state: ReadingState
    asked_by: str
    asked_at: datetime
    finished_at: datetime | None
    seen: int
    total: int | None
    counts: dict[str, int]
    trouble: str
    withheld: int
    remarks: list[str] = Field(default=[])


class ReadingWish(Taken):
    """How a provider is to be read; with `accept_loss`, whatever it no longer shows has ended."""

    accept_loss: bool = False


class ReadingList(Page[Reading]):
    """Readings, the latest first."""
