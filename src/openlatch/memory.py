"""Giving memory back: what a process took for a large inventory, its machine has again once that is done with."""

from __future__ import annotations

import ctypes
import gc
import os
import threading
from contextlib import suppress
from pathlib import Path

__all__ = ["give_back", "sparing", "taken"]

MUCH = 64 << 20
"""Bytes; for less than that more, nothing is looked for."""
_PAGE = os.sysconf("SC_PAGE_SIZE")
_STATM = Path("/proc/self/statm")


def sparing() -> None:
    """Have the library of columns keep nothing that it has freed; to be called before it is loaded."""
    os.environ.setdefault("_RJEM_MALLOC_CONF", "dirty_decay_ms:0,muzzy_decay_ms:0")


def taken() -> int:
    """Return what this process has of the machine’s memory, in bytes; 0 where that cannot be told."""
    with suppress(OSError):
        return int(_STATM.read_text().split()[1]) * _PAGE
    return 0


class _Giving:
    """Remembers how much was kept after it was last given back."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._settled = 0

    def back(self) -> None:
        if not self._lock.acquire(blocking=False):
            return
        try:
            if (now := taken()) > self._settled + MUCH:
                gc.collect()
                with suppress(OSError, AttributeError):  # another C library has nothing of the kind
                    ctypes.CDLL(None).malloc_trim(0)
                now = self._settled = taken()
            self._settled = min(self._settled, now)
        finally:
            self._lock.release()


_giving = _Giving()


def give_back() -> None:
    """Return what is no longer used to the system, if this process has taken much since it last did.

    Python and its C library keep what they have freed for when it is needed again, which after a large inventory may
    be never. A look costs microseconds; giving back some tens of milliseconds.
    """
    _giving.back()
