"""Faults: what the product makes of a full disk, of a provider that does not answer, and of a crowd; with figures."""

from __future__ import annotations

import json
import os
import subprocess
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from datetime import timedelta
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import httpx

from bench.asking import Asking, headers
from bench.desk import connected, desk, founded, inventory, once, provider
from openlatch.cli.record.log import verified
from openlatch.client import Client
from openlatch.local.postgres import PrivatePostgres
from openlatch.local.stack import Stack
from openlatch.wiring import now

__all__ = ["faults"]

ORDERED, WRITTEN = 300, 2000
"""So many orders are given; and where the disk is to fill up meanwhile."""
FULL = 20.0
"""Seconds for which a disk stays full."""
HELD = 65.0
"""Seconds for which a provider does not answer."""
CROWD, EACH = 100, 10
"""So many ask at a time, each so often."""
ZONES = ("Pacific/Auckland", "America/Los_Angeles")
PATIENCE = 180.0


def faults() -> str:
    """Try one after another; a line for each."""
    return "\n".join(json.dumps({"id": "faults", **one()}) for one in (_disk, _held, _crowd, _zones))


def _outcome(stack: Stack, client: Client, ref: str, keys: set[str]) -> dict[str, Any]:
    """What became of a batch: how its orders ended, what was done twice or not at all, and whether the log holds."""
    done = once(client, ref, lambda batch: batch.over)
    with provider(stack) as http:
        effects = [effect["entry"] for effect in http.get("/effects").json()["effects"]]
    return {
        "outcomes": done.outcomes,
        "lost": len(keys - set(effects)),
        "twice": len(effects) - len(set(effects)),
        "log": f"{verified(client).held} events hold",
    }


def _disk() -> dict[str, Any]:
    """The disk of the database is full for a while; whoever runs it starts it again once there is room."""
    with _small_disk("300m") as disk, tempfile.TemporaryDirectory(prefix="openlatch-bench-", dir="/tmp") as folder:
        Path(folder).chmod(0o711)
        (Path(folder) / "desk.json").write_text(json.dumps(inventory(2 * WRITTEN)))
        server = PrivatePostgres(disk / "server", login="keeper")
        server.start()
        filler = disk / "filler"
        try:
            url = server.database("openlatch", "openlatch")
            with Stack(Path(folder), fast=True, seeded=False, database=url) as stack:
                stack.start_desk()
                founded(stack)
                with connected(stack.url) as client, Asking(client, stack.url) as asking:
                    keys = {e.key for e in client.entries(q="first")}
                    ref = client.command_batch({"q": "first"}, count=len(keys)).ref
                    once(client, ref, lambda batch: batch.outcomes.get("proved", 0) > WRITTEN // 20)
                    before = once(client, ref, lambda _: True).outcomes
                    _fill(filler)
                    time.sleep(FULL)
                    stopped = not _answers(server)
                    filler.unlink()
                    freed = time.monotonic()
                    if stopped:
                        server.stop()
                        server.start()
                    once(client, ref, lambda _: True)
                    back = time.monotonic() - freed
                    found = _outcome(stack, client, ref, keys)
        finally:
            server.stop()
    return {
        "what": f"the database's disk full for {FULL:.0f} s while {WRITTEN} orders are under way",
        "when_full": before,
        "database_stopped": stopped,
        "answered_again_after": round(back, 1),
        "answers": dict(asking.answers),
        **found,
    }


@contextmanager
def _small_disk(size: str) -> Iterator[Path]:
    """A disk of its own in memory; needs the rights of an administrator."""
    place = Path(tempfile.mkdtemp(prefix="openlatch-disk-", dir="/tmp"))
    subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={size},mode=0711", "tmpfs", str(place)], check=True)
    try:
        yield place
    finally:
        subprocess.run(["umount", "--lazy", str(place)], check=True)
        place.rmdir()


def _fill(filler: Path) -> None:
    with suppress(OSError), filler.open("wb", buffering=0) as file:
        while file.write(bytes(1 << 16)):
            pass


def _answers(server: PrivatePostgres) -> bool:
    return subprocess.run(["pg_isready", "-q", "-h", "127.0.0.1", "-p", str(server.port)], check=False).returncode == 0


def _held() -> dict[str, Any]:
    """A provider takes what it is asked to do, and answers after a minute; nobody else waits for it meanwhile."""
    with desk(2 * ORDERED) as (stack, client), provider(stack) as http:
        keys = {e.key for e in client.entries(q="first")}
        http.put("/faults", json={"hold": True}).raise_for_status()
        with Asking(client, stack.url) as asking:
            ref = client.command_batch({"q": "first"}, count=len(keys)).ref
            time.sleep(HELD)
            held = once(client, ref, lambda _: True).outcomes
        http.put("/faults", json={"hold": False}).raise_for_status()
        found = _outcome(stack, client, ref, keys)
    return {
        "what": f"a provider that does not answer for {HELD:.0f} s, asked to end {ORDERED} entries",
        "meanwhile": held,
        "answers": dict(asking.answers),
        "worst_seconds": round(asking.worst, 2),
        **found,
    }


def _crowd() -> dict[str, Any]:
    """Many more ask at once than there are threads and connections to the database."""
    with desk(2 * ORDERED) as (stack, client):
        answers: Counter[str] = Counter()
        waits: list[float] = []
        path = "/entries?limit=50"

        def one(_: int) -> None:
            with httpx.Client(base_url=f"{stack.url}/api/v1", headers=headers(client), timeout=120) as http:
                for _ in range(EACH):
                    begun = time.perf_counter()
                    while (answer := http.get(path)).status_code == httpx.codes.SERVICE_UNAVAILABLE:
                        answers[f"503 {answer.json()['code']}"] += 1
                        time.sleep(float(answer.headers["Retry-After"]))
                    answers[str(answer.status_code)] += 1
                    waits.append(time.perf_counter() - begun)

        begun = time.perf_counter()
        with ThreadPoolExecutor(CROWD) as pool:
            list(pool.map(one, range(CROWD)))
        seconds = time.perf_counter() - begun
        limits = {name: getattr(stack.service.settings, name) for name in ("threads", "jobs")}
    waits.sort()
    return {
        "what": f"{CROWD} at a time ask {EACH} times each for a page of the inventory",
        **limits,
        "answers": dict(answers),
        "a_second": round(len(waits) / seconds),
        "median_seconds": round(waits[len(waits) // 2], 2),
        "worst_seconds": round(waits[-1], 2),
    }


def _zones() -> dict[str, Any]:
    """Two workers whose machines are in different zones: a review takes place once, when its own zone says."""
    with desk(20) as (stack, client):
        stack.kill("worker")
        for zone in ZONES:
            os.environ["TZ"] = zone
            stack.start_worker()
        del os.environ["TZ"]
        wanted = (now() + timedelta(minutes=1)).astimezone(ZoneInfo(client.me().workspace.zone)).replace(second=0)
        client.add_review(
            "Daily", where={}, recurs="FREQ=DAILY", at=f"{wanted:%H:%M}", named=[client.me().person.address]
        )
        end = time.monotonic() + PATIENCE
        while time.monotonic() < end and not list(client.rounds()):
            time.sleep(0.5)
        time.sleep(10)
        opened = [there.opened_at for there in client.rounds()]
    late = [round((at - wanted.replace(microsecond=0)).total_seconds(), 1) for at in opened]
    return {
        "what": f"two workers, in {' and '.join(ZONES)}, and a review that takes place at {wanted:%H:%M} UTC",
        "rounds": len(opened),
        "opened_after_seconds": late,
    }
