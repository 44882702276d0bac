"""What stands in someone's calendar: what waits for them, what takes place, and access that ends."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

__all__ = ["AHEAD", "Happening"]

AHEAD = timedelta(days=366)
"""So far ahead a calendar reaches."""


@dataclass(frozen=True, slots=True)
class Happening:
    """One thing in a calendar. `uid` stays the same while the thing does; `warn` is how long before it is announced."""

    uid: str
    at: datetime
    title: str
    text: str = ""
    link: str = ""
    warn: timedelta | None = None
