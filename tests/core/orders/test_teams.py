"""Members of teams: what a plan says is what becomes of it, and a proof is what a reading shows."""

from __future__ import annotations

from dataclasses import replace
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.inventory.reach import Graph, Link
from openlatch.core.model import Abilities, Party
from openlatch.core.orders.impact import administers
from openlatch.core.orders.steps import Plan
from openlatch.core.orders.teams import TeamSituation, plan_membership
from openlatch.core.providers.observation import Observation, ObservedMembership, ObservedParty
from openlatch.core.taking_back.proof import already_there, verify
from openlatch.errors import Conflict
from openlatch.words import Action, Kind, PartyKind, PartyStatus, Power, ReadingOutcome, State
from tests.factories import NOW, entry, party

ADA, BO, CREW, GUARD, EVERY = (UUID(int=n) for n in range(1, 6))
PEOPLE, TEAMS = (ADA, BO), (CREW, GUARD, EVERY)
GATE, SHOP = UUID(int=11), UUID(int=12)
NAMES = {ADA: "Ada Rell", BO: "Bo Rell", CREW: "Crew", GUARD: "Guard", EVERY: "Everybody"}
LINK = UUID(int=99)
ABLE = Abilities(adds_members=True, removes_members=True)


def parties(left: frozenset[UUID] = frozenset()) -> dict[UUID, Party]:
    kinds = {each_id: PartyKind.TEAM if each_id in TEAMS else PartyKind.PERSON for each_id in NAMES}
    return {
        one: party(
            id=one,
            name=name,
            kind=kinds[one],
            addresses=(),
            status=PartyStatus.LEFT if one in left else PartyStatus.CURRENT,
        )
        for one, name in NAMES.items()
    }


links = st.lists(st.tuples(st.sampled_from([*PEOPLE, *TEAMS]), st.sampled_from(TEAMS)), max_size=6).map(
    lambda rows: [Link(UUID(int=100 + n), some_id, team, "member") for n, (some_id, team) in enumerate(rows)]
)
entries = st.lists(
    st.tuples(
        st.sampled_from([*PEOPLE, *TEAMS]),
        st.sampled_from([GATE, SHOP]),
        st.sets(st.sampled_from([Power.VIEW, Power.SPEND, Power.ADMIT])),
        st.sampled_from([State.LIVE, State.LIVE, State.PAUSED]),
        st.sampled_from([(), ("Till",)]),
    ),
    max_size=5,
).map(
    lambda rows: [
        entry(id=UUID(int=200 + n), party_id=who, account_id=where, powers=tuple(powers), state=state, resources=parts)
        for n, (who, where, powers, state, parts) in enumerate(rows)
    ]
)
left = st.frozensets(st.sampled_from(PEOPLE), max_size=1)
able = st.builds(Abilities, adds_members=st.booleans(), removes_members=st.booleans())


def situation(
    held: list,
    joined: list[Link],
    stands: bool,
    abilities: Abilities = ABLE,
    gone: frozenset[UUID] = frozenset(),
    by_hand: bool = False,
) -> TeamSituation:
    known = parties(gone)
    graph = Graph(held, [*joined, Link(LINK, ADA, CREW, "member")])
    return TeamSituation(
        known[CREW],
        known[ADA],
        "Roll",
        abilities,
        graph,
        LINK,
        stands,
        "group:crew",
        "user:ada",
        by_hand,
        parties=known,
        places={GATE: "Gate", SHOP: "Shop"},
        names={"user:ada": "Ada Rell", "group:crew": "Crew"},
    )


def come_to(held: list, joined: list[Link], who: UUID) -> set[UUID]:
    """The ids of the entries that someone comes to, by following every link again and again."""
    acting = {who}
    for _ in NAMES:
        acting |= {link.as_party for link in joined if link.actor in acting}
    return {value.id for value in held if value.party_id in acting}


def kinds(plan: Plan) -> set[str]:
    return {consequence.kind for consequence in plan.consequences}


@given(entries, links, left, able, st.booleans())
def test_what_a_removal_says_is_what_becomes_of_it(
    held: list, joined: list[Link], gone: frozenset[UUID], abilities: Abilities, by_hand: bool
) -> None:
    plan = plan_membership(
        situation(held, joined, stands=True, abilities=abilities, gone=gone, by_hand=by_hand), Action.REMOVE_MEMBER
    )
    lost = come_to(held, [*joined, Link(LINK, ADA, CREW, "member")], ADA) - come_to(held, joined, ADA)
    if not lost:
        assert "changes-nothing" in kinds(plan), "the same entries are come to by other ways"
    unclear = {value.id for value in held if not value.powers}
    assert ("unexplained" in kinds(plan)) is bool(lost & unclear), "what nobody has explained is not nothing"
    if "changes-nothing" in kinds(plan):
        assert not lost & unclear
    if "loses" in kinds(plan):
        assert lost
        (text,) = (consequence.text for consequence in plan.consequences if consequence.kind == "loses")
        for account, name in ((GATE, "Gate"), (SHOP, "Shop")):
            if name in text:
                assert any(value.id in lost and value.account_id == account for value in held)
    asked = abilities.removes_members and not by_hand
    assert plan.steps[0].call == ("remove-member" if asked else "ask")
    assert ("read" in [step.call for step in plan.steps]) is not by_hand
    said = " ".join(consequence.text for consequence in plan.consequences)
    assert ("you can add them again" in said) is (abilities.adds_members and not by_hand)
    assert ("at once" in said) is asked
    assert all(name in plan.steps[0].text for name in ("Ada Rell (user:ada)", "Crew (group:crew)"))


@given(entries, links, left)
def test_nobody_is_removed_who_is_the_last_to_let_others_in(
    held: list, joined: list[Link], gone: frozenset[UUID]
) -> None:
    known = parties(gone)

    def governed(links_: list[Link], account: UUID) -> bool:
        can = {value.id for value in held if value.account_id == account and administers(value, known[value.party_id])}
        return any(can & come_to(held, links_, person) for person in PEOPLE if person not in gone)

    before = [*joined, Link(LINK, ADA, CREW, "member")]
    alone = [each_id for each_id in (GATE, SHOP) if governed(before, each_id) and not governed(joined, each_id)]
    plan = plan_membership(situation(held, joined, stands=True, gone=gone), Action.REMOVE_MEMBER)
    assert bool(plan.stop) is bool(alone)
    assert ("last-administrator" in kinds(plan)) is bool(alone)


@given(entries, links, left)
def test_what_an_addition_says_is_what_becomes_of_it(held: list, joined: list[Link], gone: frozenset[UUID]) -> None:
    acting = {CREW}
    for _ in NAMES:
        acting |= {link.as_party for link in joined if link.actor in acting}
    s = situation(held, joined, stands=False, gone=gone)
    plan = plan_membership(s, Action.ADD_MEMBER)
    more = come_to(held, [*joined, Link(LINK, ADA, CREW, "member")], ADA) - come_to(held, joined, ADA)
    if not more:
        assert "can-again" not in kinds(plan)
    assert ("left" in kinds(plan)) is (ADA in gone)
    assert [step.call for step in plan.steps] == ["read", "add-member", "read", "receipt"]


IN = ObservedMembership("group:crew", "user:ada")
OTHERS = [
    ObservedMembership("group:crew", "user:bo"),
    ObservedMembership("group:guard", "user:ada"),
    ObservedMembership("group:crew", "user:ada", how="app"),
]


@given(st.booleans(), st.sets(st.sampled_from(OTHERS)), st.sampled_from([Action.ADD_MEMBER, Action.REMOVE_MEMBER]))
def test_only_the_membership_itself_proves_anything(
    there: bool, others: set[ObservedMembership], action: Action
) -> None:
    plan = plan_membership(situation([], [], stands=action is Action.REMOVE_MEMBER), action)
    shown = Observation(
        ReadingOutcome.COMPLETE,
        parties=(ObservedParty("user:ada", PartyKind.PERSON, "Ada Rell"),),
        memberships=(*others, *([IN] if there else [])),
    )
    done = tuple(replace(step, at=NOW) for step in plan.steps[:-2])
    verdict = verify(shown, (*done, *plan.steps[-2:]), len(done), "UTC")
    assert verdict.reached is (there is (action is Action.ADD_MEMBER))
    if action is Action.ADD_MEMBER:
        assert bool(already_there(shown, plan.steps, 0, "UTC")) is there, "what was there before proves nothing"


@pytest.mark.parametrize(
    ("change", "action", "says"),
    [
        ({"stands": False}, Action.REMOVE_MEMBER, "is not in the team Crew"),
        ({"stands": True}, Action.ADD_MEMBER, "is in the team Crew already"),
        ({"member_key": ""}, Action.ADD_MEMBER, "Roll does not know Ada Rell"),
        ({"abilities": Abilities()}, Action.ADD_MEMBER, "nobody can be added to a team from here"),
        ({"by_hand": True}, Action.ADD_MEMBER, "nobody can be added to a team from here"),
        ({"team": party(kind=PartyKind.PERSON, name="Bo Rell")}, Action.ADD_MEMBER, "Bo Rell is a person"),
        ({"member": party(kind=PartyKind.APP, name="Ledger")}, Action.ADD_MEMBER, "Ledger is an app"),
    ],
)
def test_what_makes_no_sense_is_refused(change: dict, action: Action, says: str) -> None:
    s = replace(situation([], [], stands=False), **change)
    with pytest.raises(Conflict, match=says) as caught:
        plan_membership(s, action)
    assert "Nothing was changed" in caught.value.message
    assert caught.value.next_step


def test_a_team_is_never_put_into_itself() -> None:
    known = parties()
    graph = Graph([], [Link(UUID(int=101), CREW, GUARD, "member"), Link(LINK, GUARD, CREW, "member")])
    s = replace(situation([], [], stands=False), graph=graph, member=known[GUARD])
    with pytest.raises(Conflict, match="a team cannot be in itself"):
        plan_membership(s, Action.ADD_MEMBER)


def test_those_in_a_team_that_leaves_a_team_are_named() -> None:
    known = parties()
    held = [entry(party_id=EVERY, account_id=GATE, powers=(Power.SPEND,), kind=Kind.DELEGATE)]
    graph = Graph(held, [Link(UUID(int=101), BO, CREW, "member"), Link(LINK, CREW, EVERY, "member")])
    s = replace(situation(held, [], stands=True), graph=graph, team=known[EVERY], member=known[CREW])
    says = {consequence.kind: consequence.text for consequence in plan_membership(s, Action.REMOVE_MEMBER).consequences}
    assert says["loses"] == "Crew can no longer spend on Gate."
    assert says["others-lose"] == "Bo Rell, who is in Crew, loses access by it too."
