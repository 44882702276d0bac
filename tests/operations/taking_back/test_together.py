"""The last administrators, ended together: by a batch, by a round's decisions, by two at once, one after the other."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

import pytest

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.errors import Conflict, OpenLatchError
from openlatch.wire import messages as wire
from tests.harness.acts import Spares, settle
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.operations.effects.world import World

DESK = {"account": "Bookings", "power": "admit"}


@pytest.fixture
def world(apart: Ridge, things: Furniture) -> Iterator[World]:
    made = World(apart, things, Spares())
    yield made
    made.close()


def admins(client: Client) -> list[wire.Entry]:
    return [entry for entry in client.entries(**DESK, state="live") if entry.kind in ("delegate", "grant")]


@pytest.mark.parametrize("action", ["end", "pause", "end-on"])
def test_a_batch_that_would_leave_an_account_to_nobody_says_so_by_name_and_leaves_them_all(
    world: World, action: str
) -> None:
    there = admins(world.owner)
    assert len(there) > 5
    until = world.day(9) if action == "end-on" else None
    plan = world.owner.plan_batch(DESK, action, until=until)
    first = plan.consequences[0]
    assert (first.kind, first.severity, first.times) == ("last-administrator", "critical", len(there))
    assert {named.entry.ref for named in first.entries} == {entry.ref for entry in there}
    assert "Together this takes away everyone who can let others in or out of Bookings" in first.text
    assert plan.ready == plan.count - len(plan.refused)
    made = world.owner.command_batch(DESK, action, until=until, count=plan.count)
    world.ridge.drain()
    batch = world.owner.batch(made.ref)
    assert batch.outcomes["refused"] >= len(there)
    assert {admin.ref for admin in admins(world.owner)} == {entry.ref for entry in there}, (
        "what was said is what was done"
    )


def test_all_but_one_of_them_can_go_and_the_last_one_cannot(world: World) -> None:
    *most, last = admins(world.owner)
    for entry in most:
        assert settle(world.owner, world.owner.command(entry.ref, "pause").ref).state == "proved"
    plan = world.owner.plan(last.ref, "pause")
    assert plan.stop.startswith(f"{last.party.name} is the last one who can let others in or out of Bookings.")
    with pytest.raises(Conflict, match="is the last one"):
        world.owner.command(last.ref, "pause")


@pytest.mark.parametrize("action", ["pause", "end-on", "narrow", "end"])
def test_an_order_under_way_counts_before_any_reading_shows_it(world: World, action: str) -> None:
    *most, second, last = admins(world.owner)
    for entry in most:
        assert settle(world.owner, world.owner.command(entry.ref, "pause").ref).state == "proved"
    assert not world.owner.plan(last.ref).stop
    level, until = "guide" if action == "narrow" else "", world.day(9) if action == "end-on" else None
    with world.desk.fault(down=True):
        world.owner.command(second.ref, action, level=level, until=until)
        assert world.owner.entry(second.ref).state in ("live", "ending")
        with pytest.raises(Conflict, match="is the last one"):
            world.owner.end(last.ref)


def test_of_two_who_end_the_last_two_at_the_same_moment_one_is_refused(world: World) -> None:
    *most, second, last = admins(world.owner)
    for entry in most:
        assert settle(world.owner, world.owner.command(entry.ref, "pause").ref).state == "proved"

    def end(client: Client, entry: wire.Entry) -> str:
        try:
            return client.end(entry.ref).state
        except OpenLatchError as error:
            return error.message

    with ThreadPoolExecutor(2) as both:
        said = [one.result() for one in (both.submit(end, world.owner, second), both.submit(end, world.manager, last))]
    assert sum("is the last one" in text for text in said) == 1, said


def test_decisions_of_a_round_that_would_leave_an_account_to_nobody_are_foreseen_and_held_back(world: World) -> None:
    there = admins(world.owner)
    named, pell = [f"pell.varga@{DOMAIN}"], world.ridge.client("pell.varga")
    world.owner.add_review("Administrators", where=DESK, named=named, recurs="FREQ=YEARLY")
    opened = world.owner.open_round("Administrators")
    items = pell.round_items(opened.ref)
    # Nobody decides about their own access.
    (own,) = [item.place for item in items if item.own]
    *most, last = [item.place for item in items if not item.own]
    world.owner.decide(opened.ref, [own], "end-now", reason="So it is")
    pell.decide(opened.ref, most, "end-now", reason="So it is")
    before = pell.plan_round(opened.ref)
    assert "last-administrator" not in [consequence.kind for consequence in before.consequences]
    alone = pell.plan_round(opened.ref, [last], "end-now")
    assert alone.count == 1
    assert alone.consequences[0].kind == "last-administrator", "with what was decided before, nobody would be left"
    pell.decide(opened.ref, [last], "end-now", reason="So it is")
    plan = world.owner.plan_round(opened.ref)
    assert plan.consequences[0].times == len(there)
    world.owner.finish_round(opened.ref, count=plan.count)
    world.ridge.drain()
    assert {admin.ref for admin in admins(world.owner)} >= {entry.ref for entry in there}
    assert world.owner.round(opened.ref).outcomes["refused"] == len(plan.refused)
