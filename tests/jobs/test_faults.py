"""When things go wrong outside: nothing is lost, nothing is concluded too early, nothing happens twice."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from openlatch.client import Client
from openlatch.errors import Conflict
from openlatch.wire import messages as wire
from tests.harness.acts import Desk, read, settle

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
        assert "Someone has to confirm" in doubted.trouble
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
    told = [o for o in seen if o.state == "told" and "still listed" in o.why]
    assert [(o.attempts, o.again_at is not None) for o in told] == [(1, True), (2, True)], (
        "each look waits for its time"
    )
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
