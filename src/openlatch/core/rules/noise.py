"""Which rules are noise: flags that stand for long, many of them, and that nobody does anything about."""

from __future__ import annotations

from datetime import datetime, timedelta

__all__ = ["LOOKED_BACK", "is_noise"]

LOOKED_BACK = timedelta(days=90)
"""So far back it is looked for acts."""
LONG = timedelta(days=30)
"""A flag that stands for so long was there to be seen."""
MANY = 5
"""Fewer flags than that are no noise: they can be dealt with one by one."""


def is_noise(standing: int, acted: int, since: datetime | None, now: datetime) -> bool:
    """Return whether a rule with so many flags that stand and are not accepted is one that nobody acts on."""
    return standing >= MANY and acted == 0 and since is not None and now - since >= LONG
