"""What a provider does with what it is asked, and what an order says of it then."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta

import pytest

from openlatch.core.hours import day_before
from openlatch.demo.cast import DOMAIN
from openlatch.errors import Conflict, Invalid
from openlatch.wire import messages as wire
from tests.harness.acts import Spares, read, settle
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.operations.effects.world import World

WHO = f"orla.finch@{DOMAIN}"
ZONE = "Europe/London"
GUIDE = [{"account": "Bookings", "level": "guide"}]


@pytest.fixture(scope="module")
def world(furnished: Ridge, things: Furniture) -> Iterator[World]:
    made = World(furnished, things, Spares())
    yield made
    made.close()


def lent(world: World, account: str, who: str, level: str, days: int = 20) -> wire.Entry:
    """An access with an end that someone at the provider gave, and a reading has shown."""
    ends = f"{world.day(days).isoformat()}T00:00:00+00:00"
    world.desk.give(account.lower(), who, level, ends)
    read(world.owner)
    grants = world.owner.entries(account=account, kind="grant", party=f"{who}@{DOMAIN}", state="live")
    return next(entry for entry in grants if entry.level == level)


def test_an_older_access_of_the_same_sort_proves_no_order_and_the_order_says_what_is_there(world: World) -> None:
    longer = world.offer(WHO, until=world.day(80).isoformat(), parts=GUIDE)
    # Meanwhile someone lets them in for less at the provider itself.
    world.desk.give("bookings", "orla.finch", "guide", f"{world.day(20).isoformat()}T00:00:00+00:00")
    order = world.member.answer_offer(longer.ref, "take-up").parts[0].order
    assert order is not None
    refused = settle(world.owner, order)
    assert (refused.state, refused.receipt) == ("stuck", None)
    assert "is not listed anew" in refused.why
    assert world.owner.offered(longer.ref).parts[0].live is None, "the older one is not what was offered"


def test_beside_an_access_at_a_provider_that_keeps_one_for_each_nothing_is_offered_and_extending_it_is_shown(
    world: World,
) -> None:
    (entry,) = world.owner.entries(provider="Dome Control", kind="grant", q="amara", state="live")
    for level in (entry.level, "night assistant"):
        part = {"account": entry.account.name, "level": level}
        with pytest.raises(Conflict, match="keeps one access for each party") as refused:
            world.offer(entry.party.addresses[0], until=world.day(80).isoformat(), parts=[part])
        assert refused.value.next_step == f"Extend it: openlatch entry extend {entry.ref}"


@pytest.mark.parametrize(
    ("lies", "times", "level"),
    [
        ("", 0, "guide"),
        ("ignore", 50, "visitor desk"),
        ("shorten", 50, "cashier"),
        ("lose_answers", 1, "group booker"),
        ("forget", 1, "administrator"),
    ],
)
def test_an_access_is_extended_as_it_was_asked_for_or_the_order_says_what_is_there(
    world: World, lies: str, times: int, level: str
) -> None:
    entry = lent(world, "Gate", "orla.finch", level)
    assert entry.ends_at is not None
    until = day_before(entry.ends_at, ZONE) + timedelta(days=30)
    plan = world.owner.plan(entry.ref, "extend", until=until)
    assert (plan.stop, [step.call for step in plan.steps]) == ("", ["change", "read", "receipt"])
    with world.desk.fault(**({lies: times} if lies else {})):
        order = settle(world.owner, world.owner.command(entry.ref, "extend", until=until, digest=plan.digest).ref)
    after = world.owner.entry(entry.ref)
    assert after.ends_at is not None
    assert (after.level, after.resources, after.state) == (entry.level, entry.resources, entry.state)
    if lies in ("ignore", "shorten"):
        assert (order.state, order.receipt) == ("stuck", None)
        assert "not until" in order.why
        world.owner.cancel(order.ref)
    else:
        assert (order.state, day_before(after.ends_at, ZONE)) == ("proved", until), order.why


def test_more_than_the_end_is_extended_at_once_and_the_other_side_and_the_administrators_are_told(world: World) -> None:
    entry = lent(world, "Bookings", "orla.finch", "visitor desk")
    plan = world.owner.plan(entry.ref, "extend", level="administrator", lifts=["end"])
    assert {"can-more", "admits", "money"} <= {consequence.kind for consequence in plan.consequences}
    assert "administrator" in plan.wider
    order = settle(world.owner, world.owner.command(entry.ref, "extend", level="administrator", lifts=["end"]).ref)
    after = world.owner.entry(entry.ref)
    assert (order.state, after.level, after.ends_at) == ("proved", "administrator", None)
    assert "admit" in after.powers
    titles = [notice.title for notice in world.owner.notices(30)]
    assert any("is now an administrator of Bookings" in title for title in titles)
    assert any("covers more now" in notice.title for notice in world.member.notices(20))


def test_parts_that_nobody_has_seen_are_refused_with_the_nearest(world: World) -> None:
    entry = next(e for e in world.owner.entries(account="Gate", state="live") if e.resources)
    assert "gate controller" in world.owner.plan(entry.ref, "end").parts
    with pytest.raises(Invalid, match="no part “gate controler”") as refused:
        world.owner.plan(entry.ref, "extend", resources=["gate controler"])
    assert "gate controller" in refused.value.next_step
    with pytest.raises(Invalid, match="no part “No such part”"):
        world.offer(WHO, until=world.day(9).isoformat(), parts=[{**GUIDE[0], "resources": ["No such part"]}])


def test_what_is_kept_by_hand_is_extended_by_the_word_of_whoever_did_it(world: World) -> None:
    kept = world.owner.keep(
        "Hill Road Signage",
        account="Hill Road display",
        party="Edda Brook",
        level="keyholder",
        powers=["edit"],
        ends_at=world.day(9),
    )
    order = world.owner.command(kept.ref, "extend", until=world.day(30))
    assert order.state in ("running", "waiting")
    done = settle(world.owner, world.owner.done(settle(world.owner, order.ref).ref, "rung them up").ref)
    assert done.state == "proved"
    assert done.receipt is not None
    assert "no reading can see it" in done.receipt.showed
    after = world.owner.entry(kept.ref)
    assert after.ends_at is not None
    assert kept.ends_at is not None
    assert (after.ends_at - kept.ends_at).days == 21


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
