"""The memory of the service and its worker over an hour in which a large inventory is read, looked at and sent out."""

from __future__ import annotations

import json
import os
import sys
import time
from collections.abc import Callable
from contextlib import ExitStack
from itertools import cycle
from pathlib import Path

import httpx

from bench.asking import Asking, headers
from bench.desk import desk
from openlatch.client import Client
from openlatch.local.stack import Stack

__all__ = ["memory_curve"]

ENTRIES = 100_000
PEOPLE = 2
BUSY, QUIET = 3, 1
"""Minutes with something large going on all the time, and then with nothing."""
FILES = ("/entries/export?format=csv", "/parties/export?format=csv", "/accounts/export?format=jsonl", "/log/copy")


def memory_curve() -> str:
    """Take the size of each process every minute; prints them, and as its last line how it ended."""
    with desk(ENTRIES) as (stack, client):
        seen = [_sizes(stack)]
        start = time.monotonic()
        with (
            ExitStack() as asking,
            httpx.Client(base_url=f"{stack.url}/api/v1", headers=headers(client), timeout=600) as http,
        ):
            people = [asking.enter_context(Asking(client, stack.url, number, pause=1)) for number in range(PEOPLE)]
            large = cycle(_large(client, http))
            while (minutes := (time.monotonic() - start) / 60) < BUSY:
                name, took = _timed(next(large))
                seen.append(_sizes(stack))
                print(f"{minutes:.1f} min: {name} {took:.0f} s, {seen[-1]} MB", file=sys.stderr, flush=True)
        busy = len(seen)
        for _ in range(QUIET):
            time.sleep(60)
            seen.append(_sizes(stack))
        answers = sum((each.answers for each in people[1:]), people[0].answers)
    return json.dumps(
        {
            "id": "memory",
            "what": f"{ENTRIES} entries read, written as files and checked for {BUSY} minutes, then {QUIET} without",
            "answers": dict(answers),
            "mb": {
                name: {
                    "after_reading": seen[0][name],
                    "busy": [each[name] for each in seen[1:busy]],
                    "quiet": [each[name] for each in seen[busy:]],
                }
                for name in seen[0]
            },
        }
    )


def _large(client: Client, http: httpx.Client) -> list[tuple[str, Callable[[], object]]]:
    """What is done in turn: the whole inventory read anew by the worker, and everything written out."""

    def read() -> None:
        *_, last = client.follow_reading(client.read("Ticket Desk").id)
        assert last.state == "complete", last.trouble

    def fetched(path: str) -> Callable[[], object]:
        def fetch() -> None:
            with http.stream("GET", path) as answer:
                answer.raise_for_status()
                for _ in answer.iter_raw():
                    pass

        return fetch

    return [("reading", read), *((path, fetched(path)) for path in FILES)]


def _timed(act: tuple[str, Callable[[], object]]) -> tuple[str, float]:
    name, work = act
    begun = time.monotonic()
    work()
    return name, time.monotonic() - begun


def _sizes(stack: Stack) -> dict[str, int]:
    """What each process takes now, in MB."""
    page = os.sysconf("SC_PAGE_SIZE")
    return {
        name: int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * page // 2**20
        for name, pid in stack.processes.items()
        if name in {"web", "worker"}
    }
