"""When things go wrong outside or inside: nothing is lost, nothing is concluded too early, nothing happens twice."""

from __future__ import annotations

import itertools
from collections.abc import Callable

import psycopg

from openlatch.client import Client
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire
from tests.harness.acts import Desk, settle

Spare = Callable[[], wire.Entry]


def standing(client: Client) -> set[str]:
    return {e.ref for e in client.entries(provider="Ticket Desk")}


def test_a_worker_killed_in_the_middle_of_an_order_leaves_it_to_the_next_and_it_happens_once(
    stack: Stack, client: Client, spare: Spare, desk: Desk
) -> None:
    entry = spare()
    with desk.fault(hold=True):
        order = client.end(entry.ref)
        # The provider has acted, and its answer is still in progress when the worker dies.
        assert any(desk.effects(entry) for _ in itertools.repeat(None))
        assert client.order(order.ref).state == "running"
        stack.kill("worker")
    stack.start_worker()
    assert settle(client, order.ref).state == "proved"
    assert desk.effects(entry) == 1


def test_a_database_that_dies_under_an_order_is_waited_for_and_it_happens_once(
    stack: Stack, client: Client, spare: Spare, desk: Desk
) -> None:
    entry = spare()
    with desk.fault(hold=True):
        order = client.end(entry.ref)
        assert any(desk.effects(entry) for _ in itertools.repeat(None))
        stack.crash_database()
    assert settle(client, order.ref).state == "proved"
    assert desk.effects(entry) == 1
    assert stack.dead() == [], "the worker and the service have outlived it"


def test_a_service_killed_and_started_again_still_knows_everything(stack: Stack, client: Client) -> None:
    before = standing(client)
    stack.kill("web")
    stack.start_web()
    assert standing(client) == before


def test_what_a_dead_worker_held_is_taken_up_though_one_of_its_jobs_cannot_be(stack: Stack) -> None:
    # It died while it sealed the log, and the next sealing waits already: that one must not be in the way of others.
    with psycopg.connect(stack.service.settings.database_url, autocommit=True) as queue:

        def held(status: str, lock: str) -> int:
            row = queue.execute(
                "insert into procrastinate_jobs (queue_name, task_name, priority, status, lock, queueing_lock, "
                "scheduled_at) values ('default', 'openlatch.nothing', 0, %s, %s, %s, '2100-01-01') returning id",
                [status, lock, lock],
            ).fetchone()
            assert row is not None
            return int(row[0])

        def state(job: int) -> str:
            row = queue.execute("select status from procrastinate_jobs where id = %s", [job]).fetchone()
            return str(row[0]) if row else "gone"

        held("todo", "sealing")
        stalled = [held("doing", "sealing"), held("doing", "ordering")]
        queue.execute(
            "with dead as (insert into procrastinate_workers (last_heartbeat) values (now() - interval '1 hour') "
            "returning id) update procrastinate_jobs set worker_id = (select id from dead) where id = any(%s)",
            [stalled],
        )
        assert any("doing" not in (state(stalled[0]), state(stalled[1])) for _ in itertools.repeat(None))
        assert state(stalled[0]) == "failed"
        queue.execute("delete from procrastinate_jobs where task_name = 'openlatch.nothing'")
