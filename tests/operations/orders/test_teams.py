"""Who is in a team is ordered like any other access: once, with its consequences, and proved by a reading."""

from __future__ import annotations

import json
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

import pytest

from openlatch.core.providers.observation import Observation, ObservedMembership, ObservedParty
from openlatch.demo.cast import DOMAIN
from openlatch.errors import Changed, Conflict, Invalid
from openlatch.operations.providers import readings
from openlatch.wire import messages as wire
from openlatch.wire.record.signatures import check
from openlatch.words import PartyKind, ReadingOutcome
from tests.harness.acts import Desk, Spares, read, settle
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.operations.effects.world import World

HELPERS, WARDENS, ROLL_DESK = "Helpers", "Dark-sky wardens", "Roll desk"
ORLA = f"orla.finch@{DOMAIN}"


@pytest.fixture
def world(apart: Ridge, things: Furniture) -> Iterator[World]:
    made = World(apart, things, Spares())
    assert made.owner.me().may, "signed in beforehand, since that is in the log as well"
    yield made
    made.close()


@pytest.fixture
def roll(world: World) -> Iterator[Desk]:
    made = Desk(world.ridge, "roll", transport=world.ridge.transport)
    yield made
    made.close()


def teams(world: World, party: str) -> set[str]:
    return {team.team.name for team in world.owner.memberships(party).teams}


def members(world: World, team: str) -> list[wire.Membership]:
    return world.owner.memberships(team).members


def twice_in(world: World) -> wire.Ref:
    """Someone who is in Helpers by themselves, and by Roll desk."""
    in_desk = {member.member.id for member in members(world, ROLL_DESK)}
    return next(member.member for member in members(world, HELPERS) if member.member.id in in_desk)


def test_a_receipt_says_what_remains_through_other_teams(world: World) -> None:
    who = twice_in(world)
    plan = world.owner.plan_member(HELPERS, str(who.id))
    (still,) = (consequence.text for consequence in plan.consequences if consequence.kind == "other-ways-in")
    assert "through Roll desk → Helpers" in still
    order = settle(world.owner, world.owner.command_member(HELPERS, str(who.id), digest=plan.digest).ref)
    assert order.receipt is not None
    assert (order.state, order.receipt.team, order.receipt.account) == ("proved", HELPERS, "")
    assert "is not a member of" in order.receipt.showed
    assert any("through Roll desk and Helpers" in way for way in order.receipt.remains), order.receipt.remains
    signed = world.owner.receipt(order.ref)
    told = check(signed, world.owner.receipt_keys())
    assert (told["team"], told["did"]) == (HELPERS, "remove-member")
    assert HELPERS not in teams(world, str(who.id))
    assert "member.left" in {event.content["act"] for event in world.owner.events(who.id)}
    assert {"order.given", "order.proved"} <= {event.content["act"] for event in world.owner.events(order.id)}


def test_what_was_removed_is_added_again_and_only_that_is_proved(world: World, roll: Desk) -> None:
    membership = members(world, WARDENS)[0]
    team, who = str(membership.team.id), str(membership.member.id)
    before = {m.member.id for m in members(world, WARDENS)}
    settle(world.owner, world.owner.command_member(team, who).ref)
    assert {m.member.id for m in members(world, WARDENS)} == before - {membership.member.id}
    back = settle(world.owner, world.owner.command_member(team, who, "add-member").ref)
    assert [step.call for step in back.steps] == ["read", "add-member", "read", "receipt"]
    assert (back.state, {m.member.id for m in members(world, WARDENS)}) == ("proved", before)
    with roll.fault(ignore=99):
        stuck = world.owner.command_member(team, who)
        for _ in range(12):
            world.ridge.clock.go_on(minutes=10)
            world.ridge.drain()
        stuck = world.owner.order(stuck.ref)
    assert (stuck.state, stuck.receipt) == ("stuck", None), "who only says yes proves nothing"
    assert {m.member.id for m in members(world, WARDENS)} == before


def test_what_the_provider_added_by_itself_is_not_taken_for_ours(world: World, roll: Desk) -> None:
    membership = members(world, WARDENS)[0]
    team, who = str(membership.team.id), str(membership.member.id)
    settle(world.owner, world.owner.command_member(team, who).ref)
    change = {"op": "add", "path": "members", "value": [{"value": _key(world, who)}]}
    roll._http.patch("/Groups/dark-sky", content=json.dumps({"Operations": [change]})).raise_for_status()
    order = settle(world.owner, world.owner.command_member(team, who, "add-member").ref)
    assert (order.state, order.receipt) == ("stuck", None)
    assert "already. Nothing was given" in order.why


def _key(world: World, party: str) -> str:
    return next(k.key for k in world.owner.known_as(party) if k.provider.name == "Volunteer Roll").partition(":")[2]


def test_two_at_once_give_one_order(world: World) -> None:
    membership = members(world, WARDENS)[1]
    team, who = str(membership.team.id), str(membership.member.id)
    with ThreadPoolExecutor(4) as pool:
        given = list(pool.map(lambda client: client.command_member(team, who), [world.owner, world.manager] * 2))
    assert len({order.ref for order in given}) == 1
    assert sorted(order.already for order in given)[0] is False
    with world.refused(Conflict, "is in progress for this already"):
        world.owner.command_member(team, who, "add-member")
    assert [m.order for m in members(world, WARDENS) if m.member.id == membership.member.id] == [given[0].ref]


def test_a_plan_that_is_not_the_one_shown_is_not_carried_out(world: World) -> None:
    who = twice_in(world)
    plan = world.owner.plan_member(HELPERS, str(who.id))
    settle(world.owner, world.owner.command_member(ROLL_DESK, str(who.id)).ref)
    with world.refused(Changed, "Nothing was ordered"):
        world.owner.command_member(HELPERS, str(who.id), digest=plan.digest)


def test_where_nothing_can_be_ordered_a_person_is_asked_and_a_reading_tells(world: World) -> None:
    membership = members(world, "Saturday crew")[0]
    assert not membership.removable
    team, who = str(membership.team.id), str(membership.member.id)
    plan = world.owner.plan_member(team, who)
    assert plan.steps[0].call == "ask"
    assert "at Ticket Desk itself" in plan.steps[0].text
    order = settle(world.owner, world.owner.command_member(team, who).ref)
    assert (order.state, order.moves) == ("waiting", ["done", "cancel"])
    world.owner.done(order.ref, "taken off the list")
    world.ridge.drain()
    assert world.owner.order(order.ref).state != "proved", "a reading shows them in still"
    feed = world.desk._http.get("/inventory").json()
    keys = {m["team"]: m["member"] for m in feed["memberships"]}
    assert keys
    known = next(k.key for k in world.owner.known_as(who) if k.provider.name == "Ticket Desk")
    with world.desk.fault(taken_out=[f"{key} {known}" for key in keys]):
        for _ in range(3):
            world.ridge.clock.go_on(minutes=10)
            world.ridge.drain()
        assert world.owner.order(order.ref).state == "proved"
    with world.refused(Conflict, "nobody can be added to a team from here"):
        world.owner.plan_member(team, who, "add-member")


def test_whom_a_reading_shows_gone_need_not_be_said_to_be_gone(world: World) -> None:
    membership = members(world, "Saturday crew")[1]
    order = settle(world.owner, world.owner.command_member(str(membership.team.id), str(membership.member.id)).ref)
    known = next(k.key for k in world.owner.known_as(str(membership.member.id)) if k.provider.name == "Ticket Desk")
    feed = world.desk._http.get("/inventory").json()
    with world.desk.fault(taken_out=[f"{m['team']} {known}" for m in feed["memberships"]]):
        read(world.owner)
        world.ridge.drain()
        assert world.owner.order(order.ref).state == "proved"


def test_somebody_who_goes_is_taken_out_of_the_teams_that_can_be_ordered(world: World) -> None:
    membership = members(world, WARDENS)[2]
    plan = world.owner.plan_leaver(str(membership.member.id))
    (item,) = (i for i in plan.items if i.action == "remove-member")
    assert (item.phase, item.text.endswith(f"from the team {WARDENS}.")) == ("Access", True)
    batch = world.owner.leave(str(membership.member.id), count=len(plan.items))
    world.ridge.drain()
    (done,) = (i for i in world.owner.batch(batch.ref).items if i.action == "remove-member")
    assert (done.outcome, bool(done.order)) == ("proved", True)
    assert WARDENS not in teams(world, str(membership.member.id))


def test_two_teams_of_one_name_are_asked_about_and_told_apart(world: World) -> None:
    with world.ridge.call() as call:
        at = call.tx.providers.find("Ticket Desk")
        crew = ObservedParty("crew-too", PartyKind.TEAM, WARDENS)
        ada = ObservedParty("ada-t", PartyKind.PERSON, "Ada Rell", ("ada@northcape-uni.example",))
        seen = Observation(
            ReadingOutcome.PARTIAL, parties=(crew, ada), memberships=(ObservedMembership("crew-too", "ada-t"),)
        )
        readings.apply(call, at.id, seen, evidence="a reading")
    with world.refused(Invalid, f"2 parties are called “{WARDENS}”"):
        world.owner.memberships(WARDENS)
    (mine,) = world.owner.memberships("Ada Rell").teams
    assert [m.member.name for m in world.owner.memberships(str(mine.team.id)).members] == ["Ada Rell"]


def test_who_is_in_a_team_comes_in_pages_that_join_to_the_whole(world: World) -> None:
    """Two have one name, and the team is in a team itself; a page ends between any two of them."""
    with world.ridge.call() as call:
        at = call.tx.providers.find("Ticket Desk")
        people = [ObservedParty(f"m{n}", PartyKind.PERSON, name) for n, name in enumerate(("Twin", "twin", "Abel"))]
        parties = (*people, *(ObservedParty(key, PartyKind.TEAM, key) for key in ("night crew", "all crews")))
        pairs = [("night crew", person.key) for person in people] + [("all crews", "night crew")]
        belonging = tuple(ObservedMembership(team, member) for team, member in pairs)
        seen = Observation(ReadingOutcome.PARTIAL, parties=parties, memberships=belonging)
        readings.apply(call, at.id, seen, evidence="a reading")
    whole = world.owner.memberships("night crew")
    assert [m.team.name for m in whole.teams] == ["all crews"]
    assert [m.member.name.lower() for m in whole.members] == ["abel", "twin", "twin"]
    for limit in range(1, 6):
        found: list[wire.Membership] = []
        cursor: str | None = ""
        while cursor is not None:
            params = {"limit": limit} | ({"cursor": cursor} if cursor else {})
            piece = world.owner._send(wire.MembershipList, "GET", "/parties/night%20crew/memberships", params=params)
            assert 0 < len(piece.teams) + len(piece.members) <= limit
            found += [*piece.teams, *piece.members]
            cursor = piece.next
        assert found == [*whole.teams, *whole.members]
    named = world.owner.memberships("night crew", "WIN")
    assert (named.teams, named.members) == ([], whole.members[1:])
