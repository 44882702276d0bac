"""When things go wrong outside or inside: nothing is lost, nothing is concluded too early, nothing happens twice."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from typing import Any

import psycopg
import pytest

from openlatch.client import Client
from openlatch.errors import Conflict
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire
from tests.journeys.conftest import Desk, read, settle

Spare = Callable[[], wire.Entry]


def standing(client: Client) -> set[str]:
    return {e.ref for e in client.entries(provider="Ticket Desk")}


@pytest.mark.parametrize(
    ("fault", "outcome", "trouble"),
    [
        ({"down": True}, "failed", "503"),
        ({"break_after": 40}, "partial", "503"),
        ({"total_off": 3}, "partial", "announced"),
        ({"total_off": -1}, "partial", "announced"),
        ({"garbage": True}, "failed", "not the feed protocol"),
    ],
)
def test_a_provider_that_is_down_or_shows_half_leaves_the_inventory_with_its_age(
    client: Client, desk: Desk, fault: dict[str, Any], outcome: str, trouble: str
) -> None:
    read(client)
    before, complete = standing(client), client.provider("Ticket Desk").last_complete
    with desk.fault(**fault):
        reading = read(client)
    provider = client.provider("Ticket Desk")
    assert (reading.state, trouble in reading.trouble) == (outcome, True)
    assert (standing(client), provider.last_complete) == (before, complete)
    assert provider.latest is not None
    assert provider.latest.trouble == reading.trouble
    assert read(client).state == "complete"


def test_a_provider_that_suddenly_shows_far_less_is_not_believed_until_somebody_says_so(
    client: Client, desk: Desk
) -> None:
    read(client)
    before = standing(client)
    with desk.fault(hide=60):
        doubted = read(client)
        assert (doubted.state, doubted.withheld, standing(client)) == ("partial", 60, before)
        assert "Somebody has to say" in doubted.trouble
        accepted = list(client.follow_reading(client.read("Ticket Desk", accept_loss=True).id))[-1]
        assert (accepted.state, accepted.counts["gone"]) == ("complete", 60)
        assert len(standing(client)) == len(before) - 60
    back = read(client)
    # What comes back is a new entry: the old one's life, and its end, stay in the log.
    assert (back.counts["new"], len(standing(client) - before)) == (60, 60)


def test_an_order_waits_while_the_provider_is_down_and_is_proved_when_it_is_back(
    client: Client, spare: Spare, desk: Desk
) -> None:
    entry = spare()
    with desk.fault(down=True):
        order = client.end(entry.ref)
        waiting = next(o for o in client.follow(order.ref) if o.state == "waiting")
        assert "503" in waiting.why
        assert waiting.again_at is not None
    assert settle(client, order.ref).state == "proved"
    assert desk.effects(entry) == 1


def test_an_order_that_waits_can_be_called_off_and_the_access_stands(client: Client, spare: Spare, desk: Desk) -> None:
    entry = spare()
    with desk.fault(down=True):
        order = client.end(entry.ref)
        next(o for o in client.follow(order.ref) if o.state == "waiting" and o.attempts >= 2)
        cancelled = client.cancel(order.ref)
    assert (cancelled.state, client.entry(entry.ref).state) == ("cancelled", "live")
    assert desk.effects(entry) == 0
    with pytest.raises(Conflict, match="cannot cancel"):
        client.cancel(order.ref)


def test_an_answer_that_is_lost_after_the_effect_does_not_repeat_it(client: Client, spare: Spare, desk: Desk) -> None:
    entry = spare()
    with desk.fault(lose_answers=2):
        order = settle(client, client.end(entry.ref).ref)
    assert (order.state, desk.effects(entry)) == ("proved", 1)


def test_a_provider_that_was_not_read_is_tried_again_sooner_and_not_before_it_asks_for(
    client: Client, desk: Desk
) -> None:
    def wait() -> float:
        reading, desk_now = read(client), client.provider("Ticket Desk")
        assert reading.state == "failed"
        assert reading.finished_at is not None
        assert desk_now.next_reading is not None
        return (desk_now.next_reading - reading.finished_at).total_seconds()

    assert read(client).state == "complete"
    with desk.fault(down=True):
        assert [wait(), wait(), wait()] == [60, 120, 240]
    with desk.fault(throttle=1, retry_after=1800):
        assert wait() == 1800
    assert read(client).state == "complete"


def test_a_yes_counts_only_when_a_fresh_reading_shows_it_gone(client: Client, spare: Spare, desk: Desk) -> None:
    entry = spare()
    with desk.fault(keep_listing=2):
        seen = list(client.follow(client.end(entry.ref).ref, every=0.05))
    assert any(o.state == "told" and "still listed" in o.why for o in seen)
    assert seen[-1].state == "proved"


def test_a_refusal_needs_a_person_who_can_try_again(client: Client, spare: Spare, desk: Desk) -> None:
    entry = spare()
    desk.refuse(entry, "consent is missing")
    order = settle(client, client.end(entry.ref).ref)
    assert (order.state, "consent is missing" in order.why) == ("stuck", True)
    assert order.moves == ["try-again", "cancel"]
    desk.refuse(entry, None)
    client.try_again(order.ref)
    assert settle(client, order.ref).state == "proved"
    assert desk.effects(entry) == 1


def test_an_answer_that_contradicts_itself_proves_nothing_and_needs_a_person(
    client: Client, spare: Spare, desk: Desk
) -> None:
    entry = spare()
    with desk.fault(orphans=True, keep_listing=1):
        order = settle(client, client.end(entry.ref).ref)
        assert (order.state, "contradicts itself" in order.why) == ("stuck", True)
        assert client.entry(entry.ref).state == "ending"
    client.try_again(order.ref)
    assert settle(client, order.ref).state == "proved"
    assert desk.effects(entry) == 1


def test_a_worker_killed_in_the_middle_of_an_order_leaves_it_to_the_next_and_it_happens_once(
    stack: Stack, client: Client, spare: Spare, desk: Desk
) -> None:
    entry = spare()
    with desk.fault(hold=True):
        order = client.end(entry.ref)
        # The provider has acted, and its answer is still under way when the worker dies.
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
