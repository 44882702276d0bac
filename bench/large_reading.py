"""P5: a reading of a large provider, 2% of it changed, reconciled and stored, against a bare COPY of the same rows."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Sequence
from datetime import datetime, timedelta
from pathlib import Path
from uuid import UUID

import psycopg

from bench.measure import Pair, growth, line
from openlatch.core.model import Abilities, Circle, Provider, Reading, Workspace
from openlatch.core.providers.observation import Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.local.stack import Stack
from openlatch.operations.call import as_service
from openlatch.operations.providers import readings
from openlatch.wiring import Service
from openlatch.words import Kind, PartyKind, Power, ReadingOutcome, ReadingState

__all__ = ["large_reading"]

SIZES = (2_000, 20_000, 200_000)
ROUNDS = 3


def large_reading() -> str:
    """Measure at three sizes, the largest on a database that is empty and was never analysed; its ratio is printed."""
    with (
        tempfile.TemporaryDirectory(prefix="openlatch-bench-", dir="/tmp") as folder,
        Stack(Path(folder) / "stack", fast=True, seeded=False) as stack,
    ):
        Path(folder).chmod(0o711)
        found = [_at(stack.service, size) for size in reversed(SIZES)][::-1]
    what = "a reading, 2% of it changed, from observed entries to stored ones, against COPY of the same rows"
    exponent = growth(SIZES, [pair.seconds for pair, _ in found])
    return line("P5", what, found[-1][0], SIZES, exponent, first_reading_seconds=round(found[-1][1], 1))


def _at(service: Service, size: int) -> tuple[Pair, float]:
    """Later readings beside their floor, and the seconds of the first, which finds everything new."""
    new_id, clock = service.services.new_id, service.services.clock
    workspace = Workspace(new_id(), f"reading-{size}", "A large holder", circle=Circle(frozenset({"ridge.example"})))
    provider = Provider(new_id(), "Ticket Desk", "feed", {"url": "http://desk.example"})
    with service.store.found(workspace, clock()) as tx:
        tx.providers.add(provider, as_service(tx, service.services).close(""))
    begin = clock()
    first = time.perf_counter()
    _read(service, workspace.id, provider, _observed(size, 0, begin))
    first = time.perf_counter() - first
    taken, floors = [], []
    for round_ in range(1, ROUNDS + 1):
        observation = _observed(size, round_, begin)
        start = time.perf_counter()
        _read(service, workspace.id, provider, observation)
        taken.append(time.perf_counter() - start)
        floors.append(_copy(service.settings.database_url, [_row(e) for e in observation.entries]))
    return Pair(sorted(taken)[ROUNDS // 2], sorted(floors)[ROUNDS // 2], max(taken)), first


def _observed(size: int, round_: int, at: datetime) -> Observation:
    """What a provider shows; in each round another 2% of it has been used just now, and a tenth is long unused."""
    entries = tuple(
        ObservedEntry(
            f"delegate:{n}",
            f"account-{n % (size // 10)}",
            f"party-{n % (size // 5)}",
            Kind.DELEGATE,
            "guide",
            (Power.VIEW, Power.EDIT),
            given_at=at - timedelta(days=n % 900 + 100),
            last_used=at if 0 < n % 50 <= round_ else at - timedelta(days=n % 100, hours=1),
            use_known=True,
        )
        for n in range(size)
    )
    parties = tuple(
        ObservedParty(f"party-{n}", PartyKind.PERSON, f"Party {n}", (f"p{n}@ridge.example",), verified=True)
        for n in range(size // 5)
    )
    accounts = tuple(ObservedAccount(f"account-{n}", f"Account {n}") for n in range(size // 10))
    return Observation(ReadingOutcome.COMPLETE, accounts, parties, entries)


def _read(service: Service, workspace_id: UUID, provider: Provider, observation: Observation) -> None:
    # Opened without its job, which the worker would take up.
    wanted = Reading(service.services.new_id(), provider.id, ReadingState.RUNNING, "bench", service.services.clock())
    with service.store.transaction(workspace_id) as tx:
        reading, _ = tx.readings.open(wanted)
    with service.store.transaction(workspace_id) as tx:
        done = readings.conclude(as_service(tx, service.services), reading, observation, Abilities())
    assert done.state == "complete", done.trouble


def _row(e: ObservedEntry) -> tuple[object, ...]:
    powers = [p.value for p in e.powers or ()]
    return e.key, e.account, e.party, e.kind.value, e.level, powers, e.given_at, e.last_used


def _copy(url: str, rows: Sequence[tuple[object, ...]]) -> float:
    """Seconds of a bare COPY of the rows into a temporary table."""
    with psycopg.connect(url) as connection:
        connection.execute(
            "create temporary table observed (key text, account text, party text, kind text, level text, powers text[],"
            " given_at timestamptz, last_used timestamptz)"
        )
        start = time.perf_counter()
        with connection.cursor().copy("copy observed from stdin") as copy:
            for row in rows:
                copy.write_row(row)
        connection.commit()
        return time.perf_counter() - start
