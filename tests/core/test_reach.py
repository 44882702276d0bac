"""Reach and the smallest cut, against every possibility on small inventories."""

from __future__ import annotations

from itertools import combinations, pairwise
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.model import EndReason, Entry, State
from openlatch.core.powers import Power
from openlatch.core.reach import Claim, Graph, Link, Piece, idle_ends, reach, smallest_cut
from tests.factories import entry

PARTIES = [UUID(int=n) for n in range(1, 6)]
ACCOUNTS = [UUID(int=n) for n in range(11, 13)]
WHO, ACCOUNT, POWER = PARTIES[0], ACCOUNTS[0], Power.EDIT

links = st.lists(st.tuples(st.sampled_from(PARTIES), st.sampled_from(PARTIES)), max_size=7).map(
    lambda pairs: [Link(UUID(int=100 + n), one, other, "member") for n, (one, other) in enumerate(pairs)]
)
entries = st.lists(
    st.tuples(
        st.sampled_from(PARTIES),
        st.sampled_from(ACCOUNTS),
        st.sets(st.sampled_from([Power.VIEW, Power.EDIT]), min_size=1),
        st.sampled_from([(), ("a",), ("a", "b")]),
    ),
    max_size=5,
).map(
    lambda rows: [
        entry(id=UUID(int=200 + n), party_id=party, account_id=account, powers=tuple(powers), resources=resources)
        for n, (party, account, powers, resources) in enumerate(rows)
    ]
)


def can(found: list[Entry], by: list[Link], who: UUID, without: frozenset[UUID] = frozenset()) -> set[Claim]:
    """What someone can do, by following every link again and again until nothing more comes."""
    acting = {who}
    for _ in PARTIES:
        acting |= {link.as_party for link in by if link.actor in acting and link.id not in without}
    return {
        Claim(e.account_id, power, resource)
        for e in found
        if e.party_id in acting and e.id not in without
        for power in e.powers
        for resource in e.resources or ("",)
    }


def loses(found: list[Entry], by: list[Link], who: UUID, without: frozenset[UUID]) -> bool:
    after = can(found, by, who, without)
    return any(
        claim not in after and Claim(claim.account_id, claim.power) not in after for claim in can(found, by, who)
    )


def still_can(found: list[Entry], by: list[Link], without: frozenset[UUID]) -> bool:
    return any((c.account_id, c.power) == (ACCOUNT, POWER) for c in can(found, by, WHO, without))


@given(entries, links)
def test_reach_is_everything_that_any_chain_leads_to_and_each_chain_holds(found: list[Entry], by: list[Link]) -> None:
    graph = Graph(found, by)
    for party in PARTIES:
        assert graph.claims(party) == can(found, by, party)
        for chain in reach(graph, party):
            steps = [party, *(link.as_party for link in chain.links)]
            assert [link.actor for link in chain.links] == steps[:-1]
            assert steps[-1] == chain.entry.party_id
            assert len(set(steps)) == len(steps)


@given(entries, links)
def test_whom_an_end_would_leave_as_before_is_told_exactly(found: list[Entry], by: list[Link]) -> None:
    graph = Graph(found, by)
    for one in found:
        expected = {
            party
            for party in PARTIES
            if one.party_id in graph.as_whom(party) and not loses(found, by, party, frozenset({one.id}))
        }
        assert idle_ends(graph, one) == expected


@given(entries, links)
def test_the_smallest_cut_is_as_small_as_any_that_hurts_nobody(found: list[Entry], by: list[Link]) -> None:
    cut = smallest_cut(Graph(found, by), WHO, ACCOUNT, POWER)
    assert not still_can(found, by, frozenset(cut.pieces))
    pieces = [e.id for e in found] + [link.id for link in by]
    others = PARTIES[1:]
    harmless = (
        size
        for size in range(len(pieces) + 1)
        for chosen in combinations(pieces, size)
        if not still_can(found, by, frozenset(chosen))
        and not any(loses(found, by, other, frozenset(chosen)) for other in others)
    )
    best = next(harmless, None)
    hurt = {other for other in others if loses(found, by, other, frozenset(cut.pieces))}
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
    chain = [Link(UUID(int=90_000 + n), one, other, "member") for n, (one, other) in enumerate(pairwise(teams))]
    back = Link(UUID(int=99_999), teams[-1], teams[0], "member")
    deep = entry(party_id=teams[-1], account_id=ACCOUNT, powers=(POWER,))
    (found,) = reach(Graph([deep], [*chain, back]), teams[0])
    assert len(found.links) == depth - 1
