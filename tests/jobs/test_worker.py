"""A worker as a process: it begins anew where it keeps too much memory, and ends when it is told to."""

from __future__ import annotations

import asyncio
import json
import os
import subprocess
import sys
from collections.abc import AsyncIterator, Iterable
from contextlib import asynccontextmanager, suppress
from typing import Any

import pytest

from openlatch import memory
from openlatch.jobs import tasks
from openlatch.memory import LOOKS, TOO_MUCH, Outgrown
from tests.harness.loops import awaited
from tests.harness.ridge import Ridge

# A worker to which any memory at all is too much, and that looks all the time.
GREEDY = """
from openlatch import memory
from openlatch.jobs import tasks
memory.TOO_MUCH, tasks.LOOK_EVERY = -(1 << 40), 0.05
from openlatch.cli import main
main()
"""


def outgrown(monkeypatch: pytest.MonkeyPatch, sizes: Iterable[int]) -> list[bool]:
    """What a process is told that takes so much, in bytes, at each look."""
    each = iter(sizes)
    monkeypatch.setattr(memory, "taken", lambda: next(each))
    kept = Outgrown()
    return [kept.look() for _ in sizes]


def test_much_for_a_moment_is_not_outgrown_and_much_at_every_look_is(monkeypatch: pytest.MonkeyPatch) -> None:
    new, much = 100 << 20, (101 << 20) + TOO_MUCH
    assert outgrown(monkeypatch, [new, *[much] * LOOKS]) == [False] * LOOKS + [True]
    assert not any(outgrown(monkeypatch, [new, *[much] * (LOOKS - 1), new, *[much] * (LOOKS - 1)]))
    assert not any(outgrown(monkeypatch, [much] * 9)), "so large it was from the beginning"


def test_a_worker_that_keeps_too_much_begins_anew_as_the_same_process_and_still_ends_when_told(apart: Ridge) -> None:
    given = apart.service.settings
    settings = {
        "OPENLATCH_DATABASE_URL": given.database_url,
        "OPENLATCH_SECRET_KEYS": ",".join(given.secret_keys),
        "OPENLATCH_LOG_FORMAT": "json",
    }
    command = [sys.executable, "-c", GREEDY, "service", "work"]
    with subprocess.Popen(
        command, env=os.environ | settings, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
    ) as worker:
        assert worker.stdout is not None
        said: list[str] = []
        try:
            while sum("is working on" in line for line in said) < 3:
                line = worker.stdout.readline()
                assert line, said
                said.append(json.loads(line)["event"])
        finally:
            while worker.poll() is None:
                worker.terminate()
                with suppress(subprocess.TimeoutExpired):
                    worker.communicate(timeout=5)
    assert sum("begins anew" in line for line in said) == 2
    assert worker.returncode in (0, -15), "it was told to end, whether or not it had begun to listen again"


class Queue:
    """A queue in which nothing is."""

    @asynccontextmanager
    async def open_async(self) -> AsyncIterator[Queue]:
        yield self


@pytest.mark.parametrize("told_meanwhile", [True, False])
def test_whoever_is_told_to_stop_while_about_to_begin_anew_stops(
    monkeypatch: pytest.MonkeyPatch, *, told_meanwhile: bool
) -> None:
    async def until(told: asyncio.Event, *_: Any) -> bool:
        if told_meanwhile:
            told.set()
        return True

    monkeypatch.setattr(tasks, "_until", until)
    assert awaited(tasks.work(asyncio.Event(), Queue, 1)) is not told_meanwhile  # type: ignore[arg-type]
