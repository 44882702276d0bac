"""Giving memory back: what a process took for a large inventory, its machine has again once that is done with."""

from __future__ import annotations

import ctypes
import gc
import os
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

__all__ = ["Outgrown", "give_back", "lets_go", "seldom", "sparing", "taken"]

MUCH = 64 << 20
"""Bytes; for less than that more, nothing is looked for."""
SOON, LATE = 60.0, 3600.0
"""Seconds until it is looked for again."""
TOO_MUCH = 192 << 20
"""Bytes that a process may keep beyond what it took while it was new."""
LOOKS = 3
"""So often in a row that has to be so."""
NEW_ONES = 50_000
"""Python looks for what only refers to itself after so many new things."""
_PAGE = os.sysconf("SC_PAGE_SIZE")


def sparing() -> None:
    """Have the library of columns keep nothing that it has freed; to be called before it is loaded."""
    os.environ.setdefault("_RJEM_MALLOC_CONF", "dirty_decay_ms:0,muzzy_decay_ms:0")


def seldom() -> None:
    """Have Python look less often for what only refers to itself, and never in what is there by now.

    By itself it does after 700 new things, and through all that lives again and again while a large inventory is read:
    a third of the time. To be called once everything is loaded; once more, it does nothing.
    """
    if gc.get_threshold()[0] == NEW_ONES:
        return
    gc.collect()
    gc.freeze()
    gc.set_threshold(NEW_ONES)


def taken(process: int | str = "self") -> int:
    """Return what a process has of the machine’s memory, in bytes; 0 where that cannot be told."""
    with suppress(OSError):
        return int(Path(f"/proc/{process}/statm").read_text().split()[1]) * _PAGE
    return 0


class _Giving:
    """Remembers what was kept after it was given back last, and when to look again.

    While something large goes on nothing can be given back of it, so it is looked for again later: within a minute, and
    more and more seldom where nothing comes of it.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._settled, self._least = 0, sys.maxsize
        self._wait, self._again = SOON, 0.0
        self.lets_go: list[Callable[[], None]] = []

    def back(self, at: float) -> None:
        """Give back at an instant, in seconds of any clock that only goes on."""
        if not self._lock.acquire(blocking=False):
            return
        try:
            now = taken()
            grown = now > self._settled + MUCH
            if grown or (now > self._least + MUCH and at >= self._again):
                for let_go in self.lets_go:
                    let_go()
                gc.collect()
                with suppress(OSError, AttributeError):  # another C library has nothing of the kind
                    ctypes.CDLL(None).malloc_trim(0)
                kept = taken()
                self._wait = SOON if grown or now - kept > MUCH // 4 else min(2 * self._wait, LATE)
                self._again = at + self._wait
                now = self._settled = kept
                self._least = min(self._least, kept)
            self._settled = min(self._settled, now)
        finally:
            self._lock.release()


class Outgrown:
    """Whether a process keeps much more, once all was given back, than it took while it was new.

    Python keeps a whole piece of memory for as long as one small thing in it lives, so after a large inventory some
    never comes back: whoever does nothing at the moment may as well begin anew.
    """

    def __init__(self) -> None:
        self._new, self._looks = 0, 0

    def look(self) -> bool:
        """Look once, while nothing is done: whether it has been so at every look, a few times in a row."""
        now = taken()
        self._new = self._new or now
        self._looks = self._looks + 1 if now > self._new + TOO_MUCH else 0
        return self._looks >= LOOKS


_giving = _Giving()


def lets_go(let_go: Callable[[], None]) -> None:
    """Have something called before memory is given back, that lets go of what is only kept for speed."""
    _giving.lets_go.append(let_go)


def give_back() -> None:
    """Return what is no longer used to the system, if this process has taken much since it last did.

    Python and its C library keep what they have freed for when it is needed again, which after a large inventory may
    be never. A look costs microseconds; giving back some tens of milliseconds.
    """
    _giving.back(time.monotonic())
