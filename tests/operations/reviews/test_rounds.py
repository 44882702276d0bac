"""Rounds: what a decision becomes, where an order is in progress already."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from openlatch.demo.cast import DOMAIN
from tests.harness.acts import Spares
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.operations.effects.world import World


@pytest.fixture(scope="module")
def world(furnished: Ridge, things: Furniture) -> Iterator[World]:
    made = World(furnished, things, Spares())
    yield made
    made.close()


def test_a_secret_that_is_being_changed_already_is_not_ordered_twice_and_the_round_waits_for_that(world: World) -> None:
    told = world.owner.record_secret("Gate", f"finn.crane@{DOMAIN}", "the code of the attic")
    under_way = world.owner.command(told.ref, "change-secret")
    where = {"kind": "secret", "q": "the code of the attic"}
    world.owner.add_review("Codes", where=where, named=[f"ines.okoro@{DOMAIN}"], recurs="FREQ=YEARLY")
    opened = world.owner.open_round("Codes")
    assert world.reviewer.decide(opened.ref, [1], "end-now", reason="They have left the attic").decided == 1
    assert world.owner.finish_round(opened.ref).rests is False
    world.ridge.drain()
    (item,) = world.owner.round_items(opened.ref)
    assert (item.order, item.trouble) == (under_way.ref, "")
    assert world.owner.round(opened.ref).rests, "it waits for a person now"
    world.owner.done(under_way.ref, "changed")
    world.ridge.drain()
    assert world.owner.round(opened.ref).state == "closed"
