"""What a provider does with what it is asked, and what an order says of it then."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from openlatch.demo.cast import DOMAIN
from tests.harness.acts import Spares, settle
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.operations.effects.world import World

WHO = f"orla.finch@{DOMAIN}"
GUIDE = [{"account": "Bookings", "level": "guide"}]


@pytest.fixture(scope="module")
def world(furnished: Ridge, things: Furniture) -> Iterator[World]:
    made = World(furnished, things, Spares())
    yield made
    made.close()


def test_an_older_access_of_the_same_sort_proves_no_order_and_the_order_says_what_is_there(world: World) -> None:
    first = world.offer(WHO, until=world.day(20).isoformat(), parts=GUIDE)
    order = world.member.answer_offer(first.ref, "take-up").parts[0].order
    assert order is not None
    assert settle(world.owner, order).state == "proved"
    live = world.owner.entry(str(world.owner.offered(first.ref).parts[0].live))
    assert live.ends_at is not None

    longer = world.offer(WHO, until=world.day(80).isoformat(), parts=GUIDE)
    order = world.member.answer_offer(longer.ref, "take-up").parts[0].order
    assert order is not None
    refused = settle(world.owner, order)
    assert (refused.state, refused.receipt) == ("stuck", None)
    assert "is not listed anew" in refused.why
    assert world.owner.entry(live.ref).ends_at == live.ends_at
    assert world.owner.offered(longer.ref).parts[0].live is None, "the older one is not what was offered"


def test_what_was_reduced_before_it_was_removed_is_given_back_as_it_was(world: World) -> None:
    able = world.owner.entries(account="Bookings", power="admit", kind="delegate", state="live")
    entry = next(e for e in able if world.owner.plan(e.ref).steps[0].call == "change")
    assert settle(world.owner, world.owner.end(entry.ref).ref).state == "proved"
    assert world.owner.entry(entry.ref).level != entry.level, "it was reduced first"
    back = world.owner.plan(entry.ref, "give-back")
    assert [step.call for step in back.steps] == ["read", "give", "read", "receipt"]
    assert f"“{entry.level}”" in back.steps[1].text
    order = settle(world.owner, world.owner.command(entry.ref, "give-back").ref)
    assert order.state == "proved", order.why
    (again,) = [
        e
        for e in world.owner.entries(account="Bookings", party=entry.party.ref, state="live")
        if e.level == entry.level
    ]
    assert (again.powers, again.resources, again.ends_at) == (entry.powers, entry.resources, entry.ends_at)
