"""Ends that take effect when a device next connects: told until a reading shows it, and nothing waits for them."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from openlatch.client import Client
from openlatch.demo.cast import PASSWORD
from openlatch.wire import messages as wire
from tests.harness.acts import Desk, read, settle
from tests.harness.ridge import Ridge


@pytest.fixture
def dome(ridge: Ridge) -> Iterator[Desk]:
    """Dome Control, whose ends take effect when a device of theirs next connects."""
    stand_in = Desk(ridge, "dome", ridge.transport)
    yield stand_in
    stand_in.close()


def night_assistants(client: Client, count: int) -> list[wire.Entry]:
    entries = [e for e in client.entries(account="South Dome", state="live") if e.level == "night assistant"]
    return entries[:count]


def test_what_waits_for_a_device_is_told_until_a_reading_shows_it(ridge: Ridge, client: Client, dome: Desk) -> None:
    entry, other = night_assistants(client, 2)
    assert "takes effect when their device next connects" in client.plan(entry.ref).consequences[-1].text
    with dome.fault(away=True):
        order = settle(client, client.end(entry.ref).ref)
        assert (order.state, order.rests, client.entry(entry.ref).state) == ("told", True, "ending")
        assert "it takes effect when their device next connects. Until then" in order.why
        waits = sum(event.content["act"] == "order.waits" for event in client.events(order.id))
        for days in (1, 10, 12):
            ridge.clock.go_on(days=days)
            ridge.drain()
            assert client.order(order.ref).state == "told"
        assert client.order(order.ref).attempts == 0
        again = sum(event.content["act"] == "order.waits" for event in client.events(order.id))
        assert again == waits == 1, "that it still waits is said once"
        client.confirm(PASSWORD)
        late = settle(client, client.end(other.ref).ref)
        read(client, "Dome Control")
        assert client.entry(entry.ref).state == "ending", "a reading that shows it still is no proof"
    read(client, "Dome Control")
    ridge.drain()
    assert {client.order(each_order.ref).state for each_order in (order, late)} == {"proved"}, (
        "any reading that shows it wakes it"
    )
    assert client.entry(entry.ref).end_reason == "revoked"


def test_a_device_that_never_connects_is_for_a_person_to_see_to(ridge: Ridge, client: Client, dome: Desk) -> None:
    (entry,) = night_assistants(client, 1)
    with dome.fault(away=True):
        order = settle(client, client.end(entry.ref).ref)
        ridge.clock.go_on(days=31)
        ridge.drain()
        stuck = client.order(order.ref)
        assert (stuck.state, stuck.receipt) == ("stuck", None)
        assert stuck.why.startswith("The provider said yes 30 days ago, and still")
    assert settle(client, client.try_again(order.ref).ref).state == "proved"


def test_a_batch_and_a_leaver_do_not_wait_for_a_device(ridge: Ridge, client: Client, dome: Desk) -> None:
    entry = next(
        entry
        for entry in night_assistants(client, 20)
        if {held.provider.name for held in client.entries(party=entry.party.ref)} <= {"Dome Control", "Ticket Desk"}
    )
    with dome.fault(away=True):
        batch = client.leave(entry.party.ref, count=len(client.plan_leaver(entry.party.ref).items))
        for _ in range(6):
            ridge.clock.go_on(minutes=6)
            ridge.drain()
        batch = client.batch(batch.ref)
        assert "told" in batch.outcomes
        assert "to come" not in batch.outcomes
        assert (batch.rests, batch.over) == (True, False)
    ridge.clock.go_on(hours=7)
    ridge.drain()
    assert "told" not in client.batch(batch.ref).outcomes
