"""The memory of the service and its worker over an hour in which a large inventory is read, looked at and sent out."""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Callable
from contextlib import ExitStack
from itertools import cycle

import httpx

from bench.asking import Asking, headers
from bench.desk import desk
from openlatch.client import Client
from openlatch.errors import OpenLatchError
from openlatch.local.stack import Stack
from openlatch.memory import taken

__all__ = ["memory_curve"]

ENTRIES = 100_000
PEOPLE = 2
BUSY, QUIET = 50, 10
"""Minutes with something large every minute or two, and then with nothing."""
PAUSE = 60
"""Seconds between what is large."""
SETTLED = 20
"""Seconds until what has just been started is at rest."""
FILES = ("/entries/export?format=csv", "/parties/export?format=csv", "/accounts/export?format=jsonl", "/log/copy")


def memory_curve() -> str:
    """Take the size of each process after each large thing; prints them, and as its last line all of them."""
    with desk(ENTRIES) as (stack, client):
        for name in ("worker", "web"):
            stack.kill(name)
        stack.start_web()
        stack.start_worker()
        time.sleep(SETTLED)
        seen = [_sizes(stack)]
        start = time.monotonic()
        with (
            ExitStack() as asking,
            httpx.Client(base_url=f"{stack.url}/api/v1", headers=headers(client), timeout=600) as http,
        ):
            people = [asking.enter_context(Asking(client, stack.url, number, pause=1)) for number in range(PEOPLE)]
            failed: list[str] = []
            large = cycle(_large(client, http))
            while (minutes := (time.monotonic() - start) / 60) < BUSY:
                name, work = next(large)
                told = _timed(work)
                if told.startswith("failed"):
                    failed.append(f"{name} {told}")
                    print((stack.folder / "web.log").read_text()[-4000:], file=sys.stderr)
                seen.append(_sizes(stack))
                print(f"{minutes:.1f} min: {name} {told}, {seen[-1]} MB", file=sys.stderr, flush=True)
                time.sleep(PAUSE)
        busy = len(seen)
        for _ in range(QUIET):
            time.sleep(60)
            seen.append(_sizes(stack))
        answers = sum((each.answers for each in people[1:]), people[0].answers)
    return json.dumps(
        {
            "id": "memory",
            "what": f"{ENTRIES} entries read, and written as files for {BUSY} minutes, then {QUIET} without",
            "answers": dict(answers),
            "failed": failed,
            "mb": {
                name: {
                    "at_rest": seen[0][name],
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


def _timed(work: Callable[[], object]) -> str:
    """How long something took, or how it failed."""
    begun = time.monotonic()
    try:
        work()
    except (httpx.HTTPError, OpenLatchError) as error:
        return f"failed after {time.monotonic() - begun:.0f} s: {error}"
    return f"{time.monotonic() - begun:.0f} s"


def _sizes(stack: Stack) -> dict[str, int]:
    """What each process takes now, in MB."""
    return {name: taken(pid) // 2**20 for name, pid in stack.processes.items() if name in {"web", "worker"}}
