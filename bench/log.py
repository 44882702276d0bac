"""How long a whole log takes to be sealed, and to be fetched and checked by somebody else, against COPY of it."""

from __future__ import annotations

import time

from bench.holder import ADDRESS, PASSWORD, connected, made, stack
from bench.measure import Pair, growth, line
from openlatch.cli.record.log import verified
from openlatch.client import Client
from openlatch.local.stack import Stack
from openlatch.operations.call import as_service
from openlatch.operations.record import log as record

__all__ = ["log"]

SIZES = (4_400, 44_000, 440_000)
ENTRIES = 1_000
# As they are found in a holder's log: some 600 bytes each.
EVENTS = """
insert into events (workspace_id, id, at, actor, act, subject, subject_id, content)
    select %(w)s, md5('event' || n)::uuid, now(), 'Open Latch', 'entry.found', 'entry', md5('e' || n)::uuid,
    jsonb_build_object('id', md5('event' || n)::uuid, 'at', to_char(now(), 'YYYY-MM-DD"T"HH24:MI:SS.US"+00:00"'),
        'actor', 'Open Latch', 'actor_id', '', 'on_behalf_of', '', 'on_behalf_of_id', '', 'act', 'entry.found',
        'subject', 'entry', 'subject_id', md5('e' || n)::uuid, 'facts', jsonb_build_object(
        'kind', 'delegate', 'level', 'guide', 'powers', jsonb_build_array('view', 'spend'), 'party', 'party ' || n,
        'account', 'account ' || n, 'provider', 'Ticket Desk', 'ends_at', null, 'permissions', jsonb_build_array(),
        'number', n))
    from generate_series(1, %(n)s) n
"""


def log() -> str:
    """Measure at three sizes; the ratio printed is that of the largest."""
    with stack() as running:
        measured = [_one(running, size) for size in SIZES]
    pairs = [pair for pair, _ in measured]
    what = f"the log of {SIZES[-1]} events fetched through HTTP and checked, against COPY of the same rows"
    sealed = measured[-1][1]
    exponent = growth(SIZES, [pair.seconds for pair in pairs])
    return line("log", what, pairs[-1], SIZES, exponent, sealing_seconds=round(sealed, 1))


def _one(running: Stack, size: int) -> tuple[Pair, float]:
    service, workspace = running.service, made(running, ENTRIES, f"log-{size}")
    with connected(service, workspace) as connection:
        connection.execute(EVENTS, {"w": workspace.id, "n": size})
    start = time.perf_counter()
    while True:
        with service.store.transaction(workspace.id) as tx:
            if not record.seal(as_service(tx, service.services)):
                break
    sealed = time.perf_counter() - start
    client, token = Client.sign_in(running.url, workspace=workspace.slug, address=ADDRESS, password=PASSWORD)
    client.close()
    with Client(running.url, token.secret) as client:
        start = time.perf_counter()
        found = verified(client)
        seconds = time.perf_counter() - start
    assert found.held >= size, found
    with connected(service, workspace) as connection, connection.cursor() as cursor:
        start = time.perf_counter()
        with cursor.copy("copy (select number, link, content from events order by number) to stdout") as copy:
            for _ in copy:
                pass
        floor = time.perf_counter() - start
    return Pair(seconds, floor, seconds), sealed
