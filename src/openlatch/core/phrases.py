"""How a sentence lists and counts things."""

from __future__ import annotations

from collections.abc import Iterable

__all__ = ["counted", "left_out", "listed", "so_long"]


def listed(words: Iterable[object]) -> str:
    """The things as one phrase: "a", "a and b", "a, b and c"; "nothing" where there are none."""
    *first, last = [str(word) for word in words] or ["nothing"]
    return f"{', '.join(first)} and {last}" if first else last


def counted(number: int, single: str, several: str = "") -> str:
    """So many things as words: "1 order", "1,200 orders"; `several` where more than one are not called as usual."""
    if not several:
        several = f"{single[:-1]}ies" if single.endswith("y") and single[-2] not in "aeiou" else f"{single}s"
    return f"{number:,} {single if number == 1 else several}"


def so_long(days: int) -> str:
    """For how many days, where 0 is without an end: "for ever", "400 days"."""
    return counted(days, "day") if days else "for ever"


def left_out(number: int) -> str:
    """What is said of so many entries that were too many for a round; nothing of none."""
    are = "is" if number == 1 else "are"
    left = f"{counted(number, 'entry')} on the accounts with the least risk {are} not asked about"
    return f"{left}: too many for one round." if number else ""
