"""P4: a page of 100 of the inventory through HTTP, against the bare SQL statement."""

from __future__ import annotations

import statistics
import tempfile
from pathlib import Path
from typing import Any

import httpx
import psycopg
from sqlalchemy import create_engine, event
from sqlalchemy.engine import make_url

from bench.holder import ADDRESS, PASSWORD, made
from bench.measure import Pair, growth, line, side_by_side
from openlatch.client import Client
from openlatch.local.stack import Stack
from openlatch.store import Store
from openlatch.store.inventory.entries import EntryFilter
from openlatch.words import Power, State

__all__ = ["inventory_page"]

SIZES = (1_000, 10_000, 100_000)
ROUNDS = 40
STANDING = tuple(s for s in State if s is not State.ENDED)
VIEWS: tuple[tuple[str, str, EntryFilter], ...] = (
    ("sort=severity", "severity", EntryFilter(states=STANDING)),
    ("sort=party", "party", EntryFilter(states=STANDING)),
    ("sort=last-used&power=spend", "last-used", EntryFilter(states=STANDING, powers=(Power.SPEND,))),
    ("sort=ends&flagged=true", "ends", EntryFilter(states=STANDING, flagged=True)),
    ("sort=severity&q=party 77", "severity", EntryFilter(states=STANDING, q="party 77")),
)


def inventory_page() -> str:
    """Measure at three sizes; the ratio printed is that of the largest, over all views."""
    with (
        tempfile.TemporaryDirectory(prefix="openlatch-bench-", dir="/tmp") as folder,
        Stack(Path(folder) / "stack", fast=True, seeded=False) as stack,
    ):
        Path(folder).chmod(0o711)
        found = [_at(stack, size) for size in SIZES]
    pair = found[-1]
    what = "a page of 100 of the inventory through HTTP, against the same SQL statement sent by the bare driver"
    exponent = growth(SIZES, [p.seconds for p in found])
    return line("P4", what, pair, SIZES, exponent, p99_by_median=round(pair.worst / pair.seconds, 1))


def _at(stack: Stack, size: int) -> Pair:
    url = stack.service.settings.database_url
    holder = made(stack, size)
    client, token = Client.sign_in(stack.url, workspace=holder.slug, address=ADDRESS, password=PASSWORD)
    client.close()
    pairs = []
    with (
        psycopg.connect(url, autocommit=True) as bare,
        httpx.Client(base_url=f"{stack.url}/api/v1", headers={"Authorization": f"Bearer {token.secret}"}) as http,
    ):
        bare.execute("select set_config('openlatch.workspace', %s, false)", [str(holder.id)])
        for query, sort, wanted in VIEWS:
            statement, parameters = _statement(url, holder.id, wanted, sort)
            assert len(http.get(f"/entries?limit=100&{query}").raise_for_status().json()["items"]) > 0

            def through_http(query: str = query) -> None:
                http.get(f"/entries?limit=100&{query}").raise_for_status()

            def in_sql(statement: str = statement, parameters: Any = parameters) -> None:
                bare.execute(statement, parameters).fetchall()

            pairs.append(side_by_side(through_http, in_sql, ROUNDS))
    return Pair(
        statistics.fmean(p.seconds for p in pairs),
        statistics.fmean(p.floor for p in pairs),
        max(p.worst for p in pairs),
    )


def _statement(url: str, workspace: Any, wanted: EntryFilter, sort: str) -> tuple[str, Any]:
    """The very statement that the store sends for a page, caught on its way."""
    engine = create_engine(make_url(url).set(drivername="postgresql+psycopg"))
    sent: list[tuple[str, Any]] = []

    @event.listens_for(engine, "before_cursor_execute")
    def catch(_c: Any, _cursor: Any, statement: str, parameters: Any, _context: Any, _many: bool) -> None:
        sent.append((statement, parameters))

    with Store(engine).transaction(workspace) as tx:
        tx.entries.browse(wanted, sort=sort, limit=100, cursor=None)
    engine.dispose()
    return sent[-1]
