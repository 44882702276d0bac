"""P6: orders carried out and proved by four workers, against the same calls alone; and what a crash leaves behind."""

from __future__ import annotations

import json
import random
import tempfile
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path
from typing import Any

import httpx

from bench.holder import analysed
from bench.measure import Pair, growth, line
from openlatch.client import Client
from openlatch.core.model import Circle, Provider, Workspace
from openlatch.errors import OpenLatchError
from openlatch.local.stack import Stack
from openlatch.operations.call import as_service
from openlatch.operations.people import people
from openlatch.words import Role

__all__ = ["crash", "orders"]

SIZES = (100, 1000, 5000)
WORKERS = 4
ROUNDS = 12
"""So often something is killed while orders are under way."""
CRASHED = 1200
ENDED = ("proved", "stuck", "cancelled")
"""What every order has to have come to in the end."""
ADDRESS, PASSWORD = "o@kestrelridge.example", "a-password-for-this-run"


def orders() -> str:
    """Measure at three sizes; the ratio printed is that of the largest."""
    pairs = []
    for size in SIZES:
        with _desk(2 * size) as (stack, client):
            for _ in range(WORKERS - 1):
                stack.start_worker()
            start = time.perf_counter()
            last = _ended(client, size)
            seconds = time.perf_counter() - start
            if last.outcomes != {"proved": size}:
                raise AssertionError(f"not all of them were proved: {last.outcomes}")
            pairs.append(Pair(seconds, _bare(stack, size), seconds))
    what = f"orders carried out and proved over {WORKERS} workers, against the same calls to the provider in a loop"
    return line("P6", what, pairs[-1], SIZES, growth(SIZES, [p.seconds for p in pairs]))


def crash() -> str:
    """Kill the worker, the service, the provider and the database at random while orders are under way."""
    chance = random.Random(20260510)  # the same crashes every time
    with _desk(2 * CRASHED) as (stack, client):
        keys = {e.id: e.key for e in client.entries(q="first")}
        wanted = set(keys.values())
        ref = client.command_batch({"q": "first"}, count=len(wanted)).ref
        kills: dict[str, Callable[[], None]] = {
            name: partial(_kill, stack, name, start)
            for name, start in (("worker", stack.start_worker), ("web", stack.start_web), ("desk", stack.start_desk))
        } | {"database": stack.crash_database}
        killed = []
        # Spread over the whole run: the next comes once so many more of the orders have moved.
        for moved in range(0, CRASHED, CRASHED // ROUNDS):
            done = _once(client, ref, lambda batch, moved=moved: _resting(batch) >= moved)  # type: ignore[misc]
            time.sleep(chance.uniform(0, 1))
            name = chance.choice(sorted(kills))
            kills[name]()
            killed.append(name)
            if done.over:
                break
        done = _once(client, ref, lambda batch: batch.over)
        with _provider(stack) as http:
            effects = [effect["entry"] for effect in http.get("/effects").json()["effects"]]
        proved = {keys[item.entry.id] for item in done.items if item.entry is not None and item.outcome == "proved"}
        found = {
            "id": "crash",
            "what": f"{len(wanted)} orders, while something was killed {len(killed)} times",
            "rounds": len(killed),
            "lost": len(proved - set(effects)),
            "unfinished": sum(n for word, n in done.outcomes.items() if word not in ENDED),
            "killed": {name: killed.count(name) for name in sorted(set(killed))},
            "outcomes": done.outcomes,
            "twice": len(effects) - len(set(effects)),
            "not_ordered": len(set(effects) - wanted),
        }
    return json.dumps(found)


def _kill(stack: Stack, name: str, start: Callable[[], None]) -> None:
    stack.kill(name)
    start()


def _resting(batch: Any) -> int:
    return sum(n for word, n in batch.outcomes.items() if word in ("proved", "stuck", "cancelled", "refused"))


def _once(client: Client, ref: str, there: Callable[[Any], bool]) -> Any:
    """Return the batch once it is so far; the service may be gone in between."""
    end = time.monotonic() + 900
    while time.monotonic() < end:
        with suppress(OpenLatchError):
            batch = client.batch(ref)
            if there(batch):
                return batch
        time.sleep(0.2)
    raise AssertionError(f"The batch did not come so far in 15 minutes: {client.batch(ref).outcomes}")


@contextmanager
def _desk(size: int) -> Iterator[tuple[Stack, Client]]:
    """A workspace with one provider that lists so many entries, read; half of their parties are called first."""
    with tempfile.TemporaryDirectory(prefix="openlatch-bench-", dir="/tmp") as folder:
        Path(folder).chmod(0o711)
        place = Path(folder) / "stack"
        place.mkdir()
        (place / "desk.json").write_text(json.dumps(_inventory(size)))
        with Stack(place, fast=True, seeded=False) as stack:
            stack.start_desk()
            service = stack.service
            workspace = Workspace(
                service.services.new_id(), "holder", "holder", circle=Circle(frozenset({"kestrelridge.example"}))
            )
            settings = {"url": stack.stand_in_url("desk")}
            provider = Provider(service.services.new_id(), "Ticket Desk", "feed", settings, read_every=1440)
            with service.store.found(workspace, service.services.clock()) as tx:
                call = as_service(tx, service.services)
                people.add_first(call, "Owner", ADDRESS, Role.OWNER, PASSWORD)
                tx.providers.add(provider, call.close(stack.secret("desk")))
            client, _ = Client.sign_in(stack.url, workspace="holder", address=ADDRESS, password=PASSWORD)
            with client:
                *_, last = client.follow_reading(client.read("Ticket Desk").id)
                if last.state != "complete":
                    raise AssertionError(last.trouble)
                analysed(service)
                yield stack, client


def _inventory(size: int) -> dict[str, Any]:
    kinds = ["delegate"]
    return {
        "description": {
            "feed": "open-latch-feed/1",
            "name": "Ticket Desk",
            "abilities": {"lists": kinds, "ends": kinds},
        },
        "accounts": [{"key": f"a{n}", "name": f"account {n}"} for n in range(max(size // 10, 1))],
        "parties": [
            {
                "key": f"p{n}",
                "kind": "person",
                "name": f"{'first' if n < size // 2 else 'other'} {n}",
                "addresses": [f"p{n}@kestrelridge.example"],
                "verified": True,
            }
            for n in range(size)
        ],
        "entries": [
            {
                "key": f"e{n}",
                "account": f"a{n % max(size // 10, 1)}",
                "party": f"p{n}",
                "kind": "delegate",
                "level": "guide",
                "powers": ["view"],
                "given_at": "2026-05-10T08:00:00Z",
            }
            for n in range(size)
        ],
    }


def _ended(client: Client, size: int) -> Any:
    batch = client.command_batch({"q": "first"}, count=size)
    *_, last = client.follow_batch(batch.ref)
    return last


def _bare(stack: Stack, size: int) -> float:
    """Seconds for the same calls to the provider, for the other half of the entries, with as many at a time."""
    with _provider(stack) as http:

        def one(n: int) -> None:
            body = {"entry": f"e{n}", "party": f"p{n}"}
            http.post("/endings", json=body, headers={"Idempotency-Key": f"bare {n}"}).raise_for_status()
            http.get(f"/parties/p{n}/inventory").raise_for_status()

        start = time.perf_counter()
        with ThreadPoolExecutor(WORKERS) as pool:
            list(pool.map(one, range(size, 2 * size)))
        return time.perf_counter() - start


def _provider(stack: Stack) -> httpx.Client:
    headers = dict(stack.stand_in_headers("desk"))
    return httpx.Client(base_url=stack.stand_in_url("desk"), headers=headers, timeout=60)
