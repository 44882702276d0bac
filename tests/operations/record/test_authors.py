"""Two people of one name: what each has done is theirs, in orders, receipts, news and the log."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.operations.people import people
from openlatch.words import Role
from tests.harness.acts import Spares, settle
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.operations.effects.world import World


@pytest.fixture(scope="module")
def world(furnished: Ridge, things: Furniture) -> Iterator[World]:
    made = World(furnished, things, Spares())
    yield made
    made.close()


def test_two_people_of_one_name_are_told_apart_in_whatever_they_did(world: World) -> None:
    with world.ridge.call() as call:
        other = people.add_first(call, "Maren Ashdown", f"maren.too@{DOMAIN}", Role.MANAGER, PASSWORD)
    theirs = world.ridge.client("maren.too")
    gone, paused = world.spare(), world.spare()
    first = settle(world.owner, world.owner.end(gone.ref, reason="Hers").ref)
    second = theirs.command(paused.ref, "pause", reason="Theirs")
    assert (second.ordered_by, second.ordered_by_id) == (f"Maren Ashdown (maren.too@{DOMAIN})", other.id)
    assert first.ordered_by_id not in (None, other.id)
    assert first.receipt is not None
    assert (first.receipt.ordered_by, first.receipt.ordered_by_id) == (first.ordered_by, str(first.ordered_by_id))
    given = {
        event.content["actor_id"]
        for order in (first, second)
        for event in world.owner.events(subject=order.id)
        if event.content["act"] == "order.given"
    }
    assert given == {str(first.ordered_by_id), str(other.id)}
    proved = next(e for e in world.owner.events(subject=first.id) if e.content["act"] == "order.proved")
    assert proved.content["on_behalf_of_id"] == str(first.ordered_by_id)


def test_whoever_has_ordered_is_told_that_it_is_stuck_and_nobody_else_of_that_name(world: World) -> None:
    with world.ridge.call() as call:
        people.add_first(call, "Maren Ashdown", f"maren.third@{DOMAIN}", Role.MANAGER, PASSWORD)
    theirs = world.ridge.client("maren.third")
    entry = world.spare()
    world.desk.refuse(entry, "consent is missing")
    order = settle(theirs, theirs.end(entry.ref).ref)
    assert order.state == "stuck"
    told = [notice.link for notice in theirs.notices()]
    assert any(order.ref in link for link in told)
    assert not any(order.ref in notice.link for notice in world.owner.notices())


def test_what_the_service_orders_for_somebody_is_logged_as_theirs(world: World) -> None:
    entry = world.spare()
    where = {"account": "Bookings", "party": entry.party.ref}
    made = world.owner.command_batch(where, count=1, reason="Together")
    world.ridge.drain()
    (item,) = world.owner.batch(made.ref).items
    events = [
        event.content
        for subject in (world.owner.order(item.order).id, entry.id)
        for event in world.owner.events(subject=subject)
        if event.content["act"] in ("order.given", "entry.ending", "order.proved")
    ]
    assert {event["act"] for event in events} == {"order.given", "entry.ending", "order.proved"}
    assert {(event["actor"], event["on_behalf_of_id"]) for event in events} == {("Open Latch", str(made.ordered_by_id))}
