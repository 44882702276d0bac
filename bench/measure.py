"""What benchmarks share: timing side by side, growth, and the line that is printed."""

from __future__ import annotations

import json
import math
import os
import resource
import statistics
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

__all__ = ["Pair", "growth", "line", "service_memory", "side_by_side"]


@dataclass(frozen=True, slots=True)
class Pair:
    """Seconds of the thing itself and of its floor: medians of runs that took turns, and the worst of the first."""

    seconds: float
    floor: float
    worst: float


def side_by_side(thing: Callable[[], object], floor: Callable[[], object], rounds: int) -> Pair:
    """Time two things in turns, so that a slow moment of the machine hits both."""
    times: tuple[list[float], list[float]] = ([], [])
    for _ in range(rounds):
        for taken, function in zip(times, (thing, floor), strict=True):
            start = time.perf_counter()
            function()
            taken.append(time.perf_counter() - start)
    return Pair(statistics.median(times[0]), statistics.median(times[1]), sorted(times[0])[int(rounds * 0.99)])


def growth(sizes: Sequence[int], seconds: Sequence[float]) -> float:
    """Return the exponent k of seconds ~ size^k, by least squares over the logarithms."""
    xs, ys = [math.log(n) for n in sizes], [math.log(s) for s in seconds]
    slope, _ = statistics.linear_regression(xs, ys)
    return slope


def line(name: str, what: str, pair: Pair, sizes: Sequence[int], exponent: float, **more: object) -> str:
    """Return the one line that a benchmark prints."""
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return json.dumps(
        {
            "id": name,
            "what": what,
            "ratio": round(pair.seconds / pair.floor, 2),
            "seconds": round(pair.seconds, 5),
            "floor_seconds": round(pair.floor, 5),
            "peak_mb": round(peak),
            "sizes": list(sizes),
            "exponent": round(exponent, 2),
            **more,
        }
    )


def service_memory() -> int:
    """What the processes that serve take together, in bytes; they call themselves after what serves them."""
    total = 0
    for entry in Path("/proc").iterdir():
        try:
            if entry.name.isdigit() and b"openlatch.cli" in (entry / "cmdline").read_bytes():
                total += int((entry / "statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
        except OSError:
            continue
    return total
