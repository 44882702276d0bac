"""Someone goes: it is over once no reading shows a way in any more, or what remains is named with who sees to it."""

from __future__ import annotations

import json
from collections.abc import Iterator

import pytest

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.wire import messages as wire
from tests.harness.acts import Desk, Spares, read, settle
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.operations.effects.world import World

ORLA = f"orla.finch@{DOMAIN}"


@pytest.fixture
def world(apart: Ridge, things: Furniture) -> Iterator[World]:
    made = World(apart, things, Spares())
    yield made
    made.close()


@pytest.fixture
def who(world: World) -> str:
    """A volunteer, by the part of the address that is theirs, with access of their own and by a team."""
    for entry in world.owner.entries(account="Gate", kind="delegate", state="live", sort="party"):
        plan = world.owner.plan_leaver(entry.party.ref)
        read_here = {item.provider for item in plan.items if item.entry} <= {"Ticket Desk", "Volunteer Roll"}
        if read_here and any("Saturday crew" in item.text for item in plan.items):
            return entry.party.addresses[0].removesuffix(f"@{DOMAIN}")
    raise LookupError("no volunteer like that")


def gone(world: World, who: str) -> wire.Batch:
    """Someone leaves; all that goes on by itself has gone on."""
    plan = world.owner.plan_leaver(world.owner.party(f"{who}@{DOMAIN}").ref)
    made = world.owner.leave(plan.party.ref, count=len(plan.items), who="Tobias Quill")
    world.ridge.drain()
    return world.owner.batch(made.ref)


def teams(batch: wire.Batch) -> list[wire.BatchItem]:
    return [item for item in batch.items if item.phase == "What only people can do"]


def told(client: Client, batch: str) -> dict[str, str]:
    """The head of the report, and whether it is signed."""
    value = json.loads(client.batch_report(batch))
    facts = {each_value["name"]: each_value["value"] for each_value in value["report"]["facts"]}
    return facts | {"signed": str(bool(value["signed"]))}


def test_nobody_is_out_on_a_persons_word_while_a_reading_shows_their_teams(world: World, who: str) -> None:
    batch = gone(world, who)
    assert (batch.over, batch.rests) == (False, True)
    assert any("through Saturday crew" in way for way in batch.remains), batch.remains
    for item in teams(batch):
        batch = world.owner.done_in_batch(batch.ref, item.place)
    world.ridge.drain()
    batch = world.owner.batch(batch.ref)
    assert {item.outcome for item in teams(batch)} == {"told"}, "a reading shows them in still"
    assert (batch.over, batch.rests) == (False, True)
    facts = told(world.owner, batch.ref)
    assert facts["signed"] == "False"
    assert "through Saturday crew" in facts["still has"]


def test_it_is_over_and_signed_once_a_reading_shows_nothing_whether_somebody_said_so_or_not(
    world: World, who: str
) -> None:
    batch = gone(world, who)
    first, *_ = teams(batch)
    world.owner.done_in_batch(batch.ref, first.place)
    feed = world.desk._http.get("/inventory").json()
    keys = {f"{value['team']} {who}" for value in feed["memberships"] if value["member"] == who}
    world.desk.set(taken_out=sorted(keys))
    roll = Desk(world.ridge, "roll", world.ridge.transport)
    users = roll._http.get("/Users", params={"count": 100}).json()["Resources"]
    roll.set(taken_out=[user["id"] for user in users if f"{who}@" in json.dumps(user)])
    for provider in ("Ticket Desk", "Volunteer Roll"):
        assert read(world.owner, provider).state == "complete"
    world.ridge.drain()
    batch = world.owner.batch(batch.ref)
    assert batch.remains == []
    assert (batch.over, set(batch.outcomes) <= {"proved", "done", "gone"}) == (True, True), batch.outcomes
    facts = told(world.owner, batch.ref)
    assert facts["signed"] == "True"
    assert facts["still has"].startswith("nothing that a reading shows")
    world.ridge.clock.go_on(minutes=6)
    world.ridge.drain()
    world.desk.give("bookings", who, "guide", f"{world.day(20).isoformat()}T00:00:00+00:00")
    read(world.owner)
    assert world.owner.batch(batch.ref).over, "what they are given after that is another matter"
    again = world.owner.plan_leaver(world.owner.party(f"{who}@{DOMAIN}").ref)
    assert world.owner.leave(again.party.ref, count=len(again.items)).ref != batch.ref


def test_what_remains_can_be_left_open_by_name_and_the_signed_report_says_so(world: World, who: str) -> None:
    batch = gone(world, who)
    for item in batch.items:
        if item.outcome not in ("proved", "done", "gone"):
            batch = world.owner.leave_open_in_batch(
                batch.ref, item.place, "A guest until May", f"tobias.quill@{DOMAIN}"
            )
    assert (batch.over, batch.remains) == (True, [])
    report = json.loads(world.owner.batch_report(batch.ref))
    notes = [line["note"] for line in report["report"]["lines"] if line["outcome"] == "left open"]
    assert notes
    assert set(notes) == {"A guest until May (Tobias Quill)"}
    assert "left open, named below" in told(world.owner, batch.ref)["still has"]


def test_what_somebody_is_given_while_they_go_is_taken_back_as_well(world: World, who: str) -> None:
    batch = gone(world, who)
    before = batch.count
    world.desk.give("bookings", who, "guide", f"{world.day(20).isoformat()}T00:00:00+00:00")
    read(world.owner)
    world.ridge.clock.go_on(minutes=6)
    world.ridge.drain()
    batch = world.owner.batch(batch.ref)
    late = batch.items[-1]
    assert (batch.count, batch.over) == (before + 1, False)
    assert late.entry is not None
    assert ("on Bookings" in late.entry.name, late.text) == (True, "End “guide” on Bookings.")
    assert late.order, "it is ordered as all the rest is"


def test_a_receipt_names_the_ways_in_to_the_account_that_are_left(world: World, who: str) -> None:
    direct = next(world.owner.entries(account="Bookings", party=f"{who}@{DOMAIN}", kind="delegate", state="live"))
    order = settle(world.owner, world.owner.end(direct.ref).ref)
    receipt = order.receipt
    assert receipt is not None, order.why
    assert any("on Bookings, through Saturday crew" in way for way in receipt.remains), receipt.remains
