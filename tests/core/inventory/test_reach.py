"""Reach and the smallest cut, against every possibility on small inventories."""

from __future__ import annotations

from itertools import combinations, pairwise
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.hours import Hours
from openlatch.core.inventory.matching import openings
from openlatch.core.inventory.reach import Claim, Graph, Link, Piece, loses, reach, smallest_cut
from openlatch.core.model import Entry
from openlatch.words import EndReason, Kind, PartyKind, Power, State
from tests.factories import entry, party

PARTIES = [UUID(int=n) for n in range(1, 6)]
ACCOUNTS = [UUID(int=n) for n in range(11, 13)]
WHO, ACCOUNT, POWER = PARTIES[0], ACCOUNTS[0], Power.EDIT

OFTEN, SELDOM = Hours.parse("mon,tue,wed,thu,fri,sat,sun 08:00-20:00 UTC"), Hours.parse("sat 10:00-12:00 UTC")

links = st.lists(
    st.tuples(st.sampled_from(PARTIES), st.sampled_from(PARTIES), st.sampled_from([False, False, False, True])),
    max_size=7,
).map(
    lambda rows: [
        Link(UUID(int=100 + n), some_id, other, "open" if lasting else "member", lasting)
        for n, (some_id, other, lasting) in enumerate(rows)
    ]
)
entries = st.lists(
    st.tuples(
        st.sampled_from(PARTIES),
        st.sampled_from(ACCOUNTS),
        st.sets(st.sampled_from([Power.VIEW, Power.EDIT]), min_size=1),
        st.sampled_from([(), ("a",), ("a", "b")]),
        st.sampled_from([State.LIVE, State.LIVE, State.LIVE, State.PAUSED, State.ENDING]),
        st.sampled_from([None, None, OFTEN, SELDOM]),
        st.sampled_from(["", "", "192.0.2.0/24"]),
        st.sampled_from([Kind.DELEGATE, Kind.DELEGATE, Kind.OPEN, Kind.SESSION]),
    ),
    max_size=5,
).map(
    lambda rows: [
        entry(
            id=UUID(int=200 + n),
            party_id=row[0],
            account_id=row[1],
            powers=tuple(row[2]),
            resources=row[3],
            state=row[4],
            hours=row[5],
            network=row[6],
            kind=row[7],
        )
        for n, row in enumerate(rows)
    ]
)


def come_to(the_entries: list[Entry], by: list[Link], who: UUID, without: frozenset[UUID] = frozenset()) -> list[Entry]:
    """What someone comes to, by following every link again and again until nothing more comes."""
    acting = {who}
    for _ in PARTIES:
        acting |= {link.as_party for link in by if link.actor in acting and link.id not in without}
    return [e for e in the_entries if e.party_id in acting and e.id not in without]


def can(the_entries: list[Entry], by: list[Link], who: UUID, without: frozenset[UUID] = frozenset()) -> set[Claim]:
    return {
        Claim(e.account_id, power, resource, e.hours, e.network)
        for e in come_to(the_entries, by, who, without)
        for power in e.powers
        for resource in e.resources or ("",)
    }


def lost_powers(the_entries: list[Entry], by: list[Link], who: UUID, without: frozenset[UUID]) -> set[Power]:
    """Every power on a part, at an hour, from a network, that came of what ends and does not come otherwise now."""
    left = come_to(the_entries, by, who, without)
    lost = set()
    for each_entry in come_to(the_entries, by, who):
        if each_entry in left:
            continue
        for power in each_entry.powers:
            for part in each_entry.resources or ("",):
                for hours in (None,) if each_entry.hours is None else (each_entry.hours,):
                    again = any(
                        other.account_id == each_entry.account_id
                        and power in other.powers
                        and (not other.resources or (part and part in other.resources))
                        and (other.hours is None or other.hours == hours or (other.hours, hours) == (OFTEN, SELDOM))
                        and (not other.network or other.network == each_entry.network)
                        and other.kind is not Kind.SESSION
                        and (other.state is not State.PAUSED or each_entry.state is State.PAUSED)
                        for other in left
                    )
                    if not again:
                        lost.add(power)
    return lost


def loses_any(the_entries: list[Entry], by: list[Link], who: UUID, without: frozenset[UUID]) -> bool:
    return bool(lost_powers(the_entries, by, who, without))


def still_can(the_entries: list[Entry], by: list[Link], without: frozenset[UUID]) -> bool:
    return any((c.account_id, c.power) == (ACCOUNT, POWER) for c in can(the_entries, by, WHO, without))


@given(entries, links)
def test_reach_is_everything_that_any_chain_leads_to_and_each_chain_holds(
    the_entries: list[Entry], by: list[Link]
) -> None:
    graph = Graph(the_entries, by)
    for who in PARTIES:
        assert graph.claims(who) == can(the_entries, by, who)
        for chain in reach(graph, who):
            steps = [who, *(link.as_party for link in chain.links)]
            assert [link.actor for link in chain.links] == steps[:-1]
            assert steps[-1] == chain.entry.party_id
            assert len(set(steps)) == len(steps)


@given(entries, links)
def test_what_an_end_alone_takes_from_whom_is_told_exactly(the_entries: list[Entry], by: list[Link]) -> None:
    graph = Graph(the_entries, by)
    for each_entry in the_entries:
        for who in PARTIES:
            assert set(loses(graph, who, each_entry)) == lost_powers(the_entries, by, who, frozenset({each_entry.id}))


def test_what_anyone_can_do_nobody_loses_and_a_cut_says_that_it_hurts_anyone() -> None:
    who = party(id=WHO, addresses=("pell@north.example",))
    anyone = party(id=PARTIES[1], kind=PartyKind.ANYONE)
    theirs = party(id=PARTIES[2], kind=PartyKind.TEAM, addresses=("@north.example",))
    stranger = party(id=PARTIES[3], addresses=("pell@south.example",))
    by = list(openings([who, stranger, theirs, anyone], [anyone, theirs]))
    assert {(link.actor, link.as_party) for link in by} == {
        (WHO, anyone.id),
        (WHO, theirs.id),
        (stranger.id, anyone.id),
        (theirs.id, anyone.id),
    }
    own = entry(party_id=WHO, account_id=ACCOUNT, powers=(Power.VIEW, POWER))
    opened = entry(party_id=anyone.id, account_id=ACCOUNT, powers=(Power.VIEW,), kind=Kind.OPEN)
    of_domain = entry(party_id=theirs.id, account_id=ACCOUNT, powers=(POWER,))
    assert loses(Graph([own, opened], by), WHO, own) == (POWER,)
    assert loses(Graph([own, opened, of_domain], by), WHO, own) == ()
    cut = smallest_cut(Graph([own, opened, of_domain], by), WHO, ACCOUNT, Power.VIEW)
    assert (set(cut.pieces), set(cut.hurts)) == ({own.id, opened.id}, {anyone.id, theirs.id, stranger.id})


@given(entries, links)
def test_the_smallest_cut_is_as_small_as_any_that_hurts_nobody(the_entries: list[Entry], by: list[Link]) -> None:
    cut = smallest_cut(Graph(the_entries, by), WHO, ACCOUNT, POWER)
    assert not still_can(the_entries, by, frozenset(cut.pieces))
    pieces = [e.id for e in the_entries] + [link.id for link in by if not link.lasting]
    others = PARTIES[1:]
    harmless = (
        size
        for size in range(len(pieces) + 1)
        for chosen in combinations(pieces, size)
        if not still_can(the_entries, by, frozenset(chosen))
        and not any(loses_any(the_entries, by, other, frozenset(chosen)) for other in others)
    )
    best = next(harmless, None)
    hurt = {other for other in others if loses_any(the_entries, by, other, frozenset(cut.pieces))}
    assert set(cut.hurts) == hurt
    if best is None:
        assert hurt
    else:
        assert (len(cut.pieces), hurt) == (best, set())


def member(actor: int, of: int) -> Link:
    return Link(UUID(int=1000 + 10 * actor + of), PARTIES[actor], PARTIES[of], "member")


def test_leaving_the_team_is_chosen_where_ending_the_teams_access_would_hurt_the_others() -> None:
    crew = entry(party_id=PARTIES[4], account_id=ACCOUNT, powers=(POWER,))
    alone = smallest_cut(Graph([crew], [member(0, 2), member(0, 3), member(2, 4), member(3, 4)]), WHO, ACCOUNT, POWER)
    # Teams are parties too: those that are left in them would lose what only their members may miss.
    assert set(alone.pieces) == {member(0, 2).id, member(0, 3).id}
    direct = smallest_cut(Graph([crew], [member(0, 4), member(1, 4)]), WHO, ACCOUNT, POWER)
    assert (direct.pieces, dict(direct.hurts)) == ((Piece(member(0, 4).id),), {})


def test_whoever_acts_through_the_party_is_named_where_nothing_can_be_done_without_them() -> None:
    own = entry(party_id=WHO, account_id=ACCOUNT, powers=(POWER,))
    cut = smallest_cut(Graph([own], [member(1, 0)]), WHO, ACCOUNT, POWER)
    assert cut.pieces == (Piece(own.id),)
    assert cut.hurts == {PARTIES[1]: frozenset({Claim(ACCOUNT, POWER)})}


def test_what_has_ended_is_reached_by_nobody_and_what_cannot_be_done_needs_no_cut() -> None:
    over = entry(party_id=WHO, account_id=ACCOUNT, powers=(POWER,), state=State.ENDED, end_reason=EndReason.GONE)
    graph = Graph([over], [])
    assert (reach(graph, WHO), smallest_cut(graph, WHO, ACCOUNT, POWER).pieces) == ((), ())


@pytest.mark.parametrize("depth", [2000])
def test_nesting_may_be_deep_and_go_in_circles(depth: int) -> None:
    teams = [UUID(int=10_000 + n) for n in range(depth)]
    chain = [Link(UUID(int=90_000 + n), some_id, other, "member") for n, (some_id, other) in enumerate(pairwise(teams))]
    back = Link(UUID(int=99_999), teams[-1], teams[0], "member")
    deep = entry(party_id=teams[-1], account_id=ACCOUNT, powers=(POWER,))
    (the_chain,) = reach(Graph([deep], [*chain, back]), teams[0])
    assert len(the_chain.links) == depth - 1
