"""How long old events of a log take to be archived and what room they leave."""

from __future__ import annotations

import json
import tempfile
import time
from pathlib import Path

import psycopg

from bench.holder import ADDRESS, PASSWORD, connected, made, stack
from bench.log import EVENTS
from openlatch.cli.record.log import verified
from openlatch.client import Client
from openlatch.core.record.heads import Head
from openlatch.local.archive import put_away
from openlatch.operations.call import as_service
from openlatch.operations.record import log as record
from openlatch.wiring import Service

__all__ = ["archive"]

EVERY, OLD = 440_000, 400_000
"""Events of a log, and how many of them are older than the holder keeps them at hand."""
ENTRIES = 1_000
SIZE = "select pg_total_relation_size('events')"


def archive() -> str:
    """Archive most of a long log; prints seconds, sizes, and that a head from before still holds."""
    with stack() as running:
        service, workspace = running.service, made(running, ENTRIES)
        owner = psycopg.connect(service.settings.owner_url, autocommit=True)
        owner.execute("select set_config('openlatch.workspace', %s, false)", [str(workspace.id)])
        owner.execute("update events set at = at - interval '401 days' where number is null")
        with connected(service, workspace) as connection:
            old = EVENTS.replace("now()", "now() - interval '400 days'")
            connection.execute(old, {"w": workspace.id, "n": OLD})
        _sealed(service)
        with service.store.transaction(workspace.id) as tx:
            head = tx.events.head()
        with connected(service, workspace) as connection:
            new = EVENTS.replace("'event'", "'later'")
            connection.execute(new, {"w": workspace.id, "n": EVERY - OLD})
            connection.execute("update workspaces set keep_events_days = 365")
        _sealed(service)
        with owner:
            owner.execute("vacuum analyze events")
            before = owner.execute(SIZE).fetchone()
            with tempfile.TemporaryDirectory() as folder:
                start = time.perf_counter()
                (done,) = put_away(service.settings, Path(folder))
                took = time.perf_counter() - start
                assert done.file is not None
                file = done.file.stat().st_size
            start = time.perf_counter()
            owner.execute("vacuum events")
            vacuumed = time.perf_counter() - start
            owner.execute("vacuum full events")
            after = owner.execute(SIZE).fetchone()
        assert before is not None
        assert after is not None
        client, token = Client.sign_in(running.url, workspace=workspace.slug, address=ADDRESS, password=PASSWORD)
        client.close()
        with Client(running.url, token.secret) as client:
            start = time.perf_counter()
            found = verified(client, [Head(head.grown, head.root)])
            checked = time.perf_counter() - start
    return json.dumps(
        {
            "id": "archive",
            "what": f"{done.events} of {found.held} events of a log written to a file, checked there and removed",
            "seconds": round(took, 1),
            "events_a_second": round(done.events / took),
            "file_mb": round(file / 1e6),
            "table_mb": {"before": round(before[0] / 1e6), "after": round(after[0] / 1e6)},
            "vacuum_seconds": round(vacuumed, 1),
            "rest_checked_with_an_old_head_seconds": round(checked, 1),
        }
    )


def _sealed(service: Service) -> None:
    """Seal every log to its end."""
    while unsealed := service.store.unsealed():
        for workspace in unsealed:
            with service.store.transaction(workspace) as tx:
                record.seal(as_service(tx, service.services))
