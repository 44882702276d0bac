"""P4: a page of 100 of the inventory through HTTP, against the bare SQL statement."""

from __future__ import annotations

import json
import statistics
import tempfile
from pathlib import Path
from typing import Any

import httpx
import psycopg
from sqlalchemy import create_engine, event
from sqlalchemy.engine import make_url

from bench.measure import Pair, growth, line, side_by_side
from openlatch.client import Client
from openlatch.core.model import Circle, State, Workspace
from openlatch.core.powers import Power
from openlatch.core.roles import Role
from openlatch.local.stack import Stack
from openlatch.operations import people
from openlatch.operations.gate import as_service
from openlatch.store import Store
from openlatch.store.entries import EntryFilter

__all__ = ["inventory_page"]

SIZES = (1_000, 10_000, 100_000)
ROUNDS = 40
PASSWORD = "a-password-for-this-run"
STANDING = tuple(s for s in State if s is not State.ENDED)
VIEWS: tuple[tuple[str, str, EntryFilter], ...] = (
    ("sort=severity", "severity", EntryFilter(states=STANDING)),
    ("sort=party", "party", EntryFilter(states=STANDING)),
    ("sort=last-used&power=spend", "last-used", EntryFilter(states=STANDING, powers=(Power.SPEND,))),
    ("sort=ends&flagged=true", "ends", EntryFilter(states=STANDING, flagged=True)),
    ("sort=severity&q=party 77", "severity", EntryFilter(states=STANDING, q="party 77")),
)
# A holder of any size: accounts are a tenth of the entries, parties a fifth, a tenth of the entries carry a flag.
HOLDER = """
insert into providers (workspace_id, id, name, connector, settings, secret, read_every, stale_after, abilities)
    values (%(w)s, md5('p')::uuid, 'Ticket Desk', 'feed', '{}', '', 60, 60, %(abilities)s);
insert into accounts
    select %(w)s, md5('a' || n)::uuid, left(md5(n::text), 9), md5('p')::uuid, n::text, 'account ' || n, 'normal',
        false, 1
    from generate_series(0, %(n)s / 10 - 1) n;
insert into parties select %(w)s, md5('w' || n)::uuid, left(md5(n::text), 9), 'person', 'party ' || n,
    array['p' || n || '@kestrelridge.example'], 'current', true, 1 from generate_series(0, %(n)s / 5 - 1) n;
insert into entries (workspace_id, id, ref, provider_id, account_id, party_id, key, kind, level, powers, state,
    permissions, resources, given_at, given_by, last_used, use_known, ends_at, end_unknown, reviewed_at, basis,
    dependencies, device, network, first_seen, last_seen, version, severity, outside)
    select %(w)s, md5('e' || n)::uuid, left(md5('e' || n), 9), md5('p')::uuid, md5('a' || n %% (%(n)s / 10))::uuid,
        md5('w' || n %% (%(n)s / 5))::uuid, 'k' || n, 'delegate', 'guide',
        case when n %% 9 = 0 then array['view', 'spend'] else array['view'] end, 'live', '{}', '{}',
        now() - n %% 900 * interval '1 day', '', now() - n %% 300 * interval '1 day', true,
        case when n %% 5 = 0 then now() + n %% 200 * interval '1 day' end, false, '{}', '', '[]', '', '', now(), now(),
        1, case when n %% 10 = 0 then n %% 4 + 1 else 0 end, false
    from generate_series(1, %(n)s) n;
"""
ABILITIES = json.dumps(
    {
        "lists": [], "ends": [], "at_once": True, "redone_by": "holder", "ends_teams": True, "consent": "",
        "consent_for": [],
    }
)  # fmt: skip


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
    service = stack.service
    slug = f"holder-{size}"
    workspace = Workspace(service.services.new_id(), slug, slug, circle=Circle(frozenset({"kestrelridge.example"})))
    with service.store.found(workspace, service.services.clock()) as tx:
        people.add_first(as_service(tx, service.services), "Owner", "o@kestrelridge.example", Role.OWNER, PASSWORD)
    url = service.settings.database_url
    with psycopg.connect(url, cursor_factory=psycopg.ClientCursor) as connection:
        connection.execute("select set_config('openlatch.workspace', %s, false)", [str(workspace.id)])
        connection.execute(HOLDER, {"w": workspace.id, "n": size, "abilities": ABILITIES})
        connection.commit()
        connection.autocommit = True
        connection.execute("analyze")
    client, token = Client.sign_in(stack.url, workspace=slug, address="o@kestrelridge.example", password=PASSWORD)
    client.close()
    pairs = []
    with (
        psycopg.connect(url, autocommit=True) as bare,
        httpx.Client(base_url=f"{stack.url}/api/v1", headers={"Authorization": f"Bearer {token.secret}"}) as http,
    ):
        bare.execute("select set_config('openlatch.workspace', %s, false)", [str(workspace.id)])
        for query, sort, wanted in VIEWS:
            statement, parameters = _statement(url, workspace.id, wanted, sort)
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
