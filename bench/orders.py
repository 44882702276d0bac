"""P6: orders carried out and proved by four workers, against the same calls alone; and what a crash leaves behind."""

from __future__ import annotations

import json
import random
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path
from typing import Any

import httpx

from bench.holder import settle
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
KILLS = 200
"""So often something is killed while orders are under way."""
MOST_BETWEEN = 2.0
"""Seconds between two of these, at most."""
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
    """Kill worker, service, provider and database at random while orders are under way, on one desk after another."""
    chance = random.Random(20260510)
    killed: list[str] = []
    outcomes: Counter[str] = Counter()
    wrong = {"lost": 0, "twice": 0, "not_ordered": 0}
    ordered = 0
    while len(killed) < KILLS:
        with _desk(2 * CRASHED) as (stack, client):
            keys = {e.id: e.key for e in client.entries(q="first")}
            ref = client.command_batch({"q": "first"}, count=len(keys)).ref
            _kill_at_random(stack, client, ref, chance, killed)
            done = _once(client, ref, lambda batch: batch.over)
            with _provider(stack) as http:
                effects = [effect["entry"] for effect in http.get("/effects").json()["effects"]]
            proved = {keys[order.entry.id] for order in client.orders("proved", batch=ref) if order.entry is not None}
        ordered += len(keys)
        outcomes.update(done.outcomes)
        wrong["lost"] += len(proved - set(effects))
        wrong["twice"] += len(effects) - len(set(effects))
        wrong["not_ordered"] += len(set(effects) - set(keys.values()))
    found = {
        "id": "crash",
        "what": f"{ordered} orders, {CRASHED} at a time, while something was killed {len(killed)} times",
        "rounds": len(killed),
        "unfinished": sum(n for word, n in outcomes.items() if word not in ENDED),
        **wrong,
        "killed": {name: killed.count(name) for name in sorted(set(killed))},
        "outcomes": dict(outcomes),
    }
    return json.dumps(found)


def _kill_at_random(stack: Stack, client: Client, ref: str, chance: random.Random, killed: list[str]) -> None:
    """Kill something now and then until a batch is over, or enough was killed."""
    kills: dict[str, Callable[[], None]] = {
        name: partial(_kill, stack, name, start)
        for name, start in (("worker", stack.start_worker), ("web", stack.start_web), ("desk", stack.start_desk))
    } | {"database": stack.crash_database}
    while len(killed) < KILLS and not _once(client, ref, lambda _: True).over:
        time.sleep(chance.uniform(0, MOST_BETWEEN))
        killed.append(chance.choice(sorted(kills)))
        kills[killed[-1]]()


def _kill(stack: Stack, name: str, start: Callable[[], None]) -> None:
    stack.kill(name)
    start()


def _once(client: Client, ref: str, there: Callable[[Any], bool]) -> Any:
    """Return the batch once it is so far; the service may be gone in between."""
    end = time.monotonic() + 900
    while time.monotonic() < end:
        with suppress(OpenLatchError):
            batch = client.batch(ref, most=0)
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
                settle(service)
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
