"""How long to wait before something is tried again that was in vain."""

from __future__ import annotations

from datetime import timedelta

__all__ = ["doubling"]


def doubling(attempts: int, first: timedelta, longest: timedelta) -> timedelta:
    """Return how long to wait after so many attempts (1 or more): twice as long each time, and no longer than that."""
    enough = (longest // first).bit_length()
    return min(first * (1 << min(max(attempts - 1, 0), enough)), longest)
