"""How a sentence lists several things."""

from __future__ import annotations

from collections.abc import Iterable

__all__ = ["listed"]


def listed(words: Iterable[object]) -> str:
    """The things as one phrase: "a", "a and b", "a, b and c"; "nothing" where there are none."""
    *first, last = [str(word) for word in words] or ["nothing"]
    return f"{', '.join(first)} and {last}" if first else last
