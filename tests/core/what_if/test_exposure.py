"""What a change of sharing documents changes for whom, against every point of small universes."""

from __future__ import annotations

from dataclasses import replace
from ipaddress import ip_network

from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.providers.sharing import ANYONE, Document, Selector, Statement
from openlatch.core.what_if.exposure import Someone, anyone_gains, difference
from openlatch.words import Power
from tests.core.providers.test_sharing import ADDRESSES, DOCUMENTS, DOMAIN, MINUTES, PERSON, POWERS, TEAM, holds

LONER = Selector("party", "q")
KNOWN = (
    Someone("p", frozenset({ANYONE, DOMAIN, TEAM, PERSON})),
    Someone("q", frozenset({ANYONE, LONER})),
    Someone("r", frozenset({ANYONE, TEAM})),
)
EMPTY = Document("d", "a", "folder 004", "UTC", ())


def may(
    document: Document, matched_by: frozenset[Selector], power: Power, minute: int, address: object, *, locked: bool
) -> bool:
    """The meaning of a document for whoever just these selectors match: some allow, no deny."""
    allowed = any(
        holds(replace(document, statements=(only(s, selector),)), selector, power, minute, address, locked=locked)
        for s in document.statements
        if s.allow
        for selector in s.to & matched_by
    )
    denied = any(
        holds(
            replace(document, statements=(replace(only(s, selector), allow=True),)),
            selector,
            power,
            minute,
            address,
            locked=False,
        )
        for s in document.statements
        if not s.allow
        for selector in s.to & matched_by
    )
    return allowed and not denied


def only(statement: Statement, selector: Selector) -> Statement:
    return replace(statement, to=frozenset({selector}))


@given(DOCUMENTS, DOCUMENTS, st.tuples(st.booleans(), st.booleans()), st.lists(MINUTES, min_size=1, max_size=4))
def test_a_difference_is_exactly_what_holds_after_and_not_before_for_everybody(
    before: Document, after: Document, locked: tuple[bool, bool], minutes: list[int]
) -> None:
    differences = {
        each_difference.matched_by: each_difference
        for each_difference in difference(before, after, KNOWN, locked=locked)
    }
    selectors = {s for d in (before, after) for statement in d.statements for s in statement.to}
    classes = {frozenset({ANYONE}), *(someone.matched_by & selectors | {ANYONE} for someone in KNOWN)}
    classes |= {frozenset({ANYONE, s}) for s in selectors if s.kind == "domain"}
    gains = False
    for of in classes:
        the_difference = differences.get(of)
        for power in POWERS:
            for minute in minutes:
                for address in ADDRESSES:
                    was = may(before, of, power, minute, address, locked=locked[0])
                    is_ = may(after, of, power, minute, address, locked=locked[1])
                    gains |= is_ and not was
                    point = (of, power, minute, address)
                    gained = (
                        the_difference is not None
                        and the_difference.gained is not None
                        and the_difference.gained.holds(power, minute, address)
                    )
                    lost = (
                        the_difference is not None
                        and the_difference.lost is not None
                        and the_difference.lost.holds(power, minute, address)
                    )
                    assert gained is (is_ and not was), point
                    assert lost is (was and not is_), point
    if gains:
        assert anyone_gains(before, after, KNOWN, locked=locked)


@given(DOCUMENTS, DOCUMENTS, st.booleans())
def test_each_witness_is_one_and_a_summary_says_the_same_powers(before: Document, after: Document, lock: bool) -> None:
    locked = (False, lock)
    exact = difference(before, after, KNOWN, locked=locked)
    summary = difference(before, after, KNOWN, locked=locked, budget=0)
    assert anyone_gains(before, after, KNOWN, locked=locked) is any(each_difference.gains for each_difference in exact)
    assert [(s.matched_by, s.parties, s.gains, s.losses) for s in summary] == [
        (e.matched_by, e.parties, e.gains, e.losses) for e in exact
    ]
    for each_difference in exact:
        assert each_difference.gains or each_difference.losses
        for witness in each_difference.gains:
            assert may(after, each_difference.matched_by, witness.power, witness.minute, witness.address, locked=lock)
            assert not may(
                before, each_difference.matched_by, witness.power, witness.minute, witness.address, locked=False
            )


@given(DOCUMENTS, st.booleans())
def test_nothing_changes_where_nothing_was_changed_and_the_other_way_round_gains_are_losses(
    document: Document, lock: bool
) -> None:
    assert difference(document, document, KNOWN, locked=(lock, lock)) == ()
    there = difference(None, document, KNOWN)
    back = difference(document, None, KNOWN)
    assert [
        (each_difference.matched_by, each_difference.gains, each_difference.losses) for each_difference in there
    ] == [(each_difference.matched_by, each_difference.losses, each_difference.gains) for each_difference in back]
    assert all(not each_difference.losses for each_difference in there)


def test_the_lock_takes_from_everybody_what_was_open_to_anyone_and_leaves_what_is_theirs() -> None:
    to_all = Statement(allow=True, to=frozenset({ANYONE}), powers=frozenset({Power.VIEW}))
    to_team = Statement(allow=True, to=frozenset({TEAM}), powers=frozenset({Power.VIEW}))
    document = replace(EMPTY, statements=(to_all, to_team))
    lost = {each_difference.parties for each_difference in difference(document, document, KNOWN, locked=(False, True))}
    assert lost == {("q",)}, "p and r are in the team"


def test_known_parties_that_the_document_does_not_tell_apart_are_one_class() -> None:
    statement = Statement(
        allow=True, to=frozenset({ANYONE}), powers=frozenset({Power.VIEW}), networks=(ip_network("192.0.2.0/24"),)
    )
    (the_difference,) = difference(EMPTY, replace(EMPTY, statements=(statement,)), KNOWN)
    assert the_difference.parties == ("p", "q", "r")
    assert the_difference.powers_gained == (Power.VIEW,)
    assert [str(witness.address) for witness in the_difference.gains] == ["192.0.2.0"]
