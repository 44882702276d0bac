"""P6: orders carried out and proved by four workers, against the same calls alone; and what a crash leaves behind."""

from __future__ import annotations

import json
import random
import time
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import Any

from bench.desk import desk, once, provider
from bench.measure import Pair, growth, line
from openlatch.client import Client
from openlatch.local.stack import Stack

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


def orders() -> str:
    """Measure at three sizes; the ratio printed is that of the largest."""
    pairs = []
    for size in SIZES:
        with desk(2 * size) as (stack, client):
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
        with desk(2 * CRASHED) as (stack, client):
            keys = {e.id: e.key for e in client.entries(q="first")}
            ref = client.command_batch({"q": "first"}, count=len(keys)).ref
            _kill_at_random(stack, client, ref, chance, killed)
            done = once(client, ref, lambda batch: batch.over)
            with provider(stack) as http:
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
    while len(killed) < KILLS and not once(client, ref, lambda _: True).over:
        time.sleep(chance.uniform(0, MOST_BETWEEN))
        killed.append(chance.choice(sorted(kills)))
        kills[killed[-1]]()


def _kill(stack: Stack, name: str, start: Callable[[], None]) -> None:
    stack.kill(name)
    start()


def _ended(client: Client, size: int) -> Any:
    batch = client.command_batch({"q": "first"}, count=size)
    *_, last = client.follow_batch(batch.ref)
    return last


def _bare(stack: Stack, size: int) -> float:
    """Seconds for the same calls to the provider, for the other half of the entries, with as many at a time."""
    with provider(stack) as http:

        def one(n: int) -> None:
            body = {"entry": f"e{n}", "party": f"p{n}"}
            http.post("/endings", json=body, headers={"Idempotency-Key": f"bare {n}"}).raise_for_status()
            http.get(f"/parties/p{n}/inventory").raise_for_status()

        start = time.perf_counter()
        with ThreadPoolExecutor(WORKERS) as pool:
            list(pool.map(one, range(size, 2 * size)))
        return time.perf_counter() - start
