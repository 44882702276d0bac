"""Review rounds: who is asked, what a decision needs, what becomes of what nobody answered."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.model import Author
from openlatch.core.reviews.decisions import (
    ORDERED,
    Decision,
    Facts,
    advised,
    changed_since,
    checked,
    question,
    reason_needed,
)
from openlatch.core.reviews.plans import Asked, ReviewPlan, assign, compare, scope_said, unanswered
from openlatch.errors import Invalid
from openlatch.wire.inventory.entries import EntryFilter
from openlatch.words import Action, Choice, Reviewers, Severity, Unanswered
from tests.factories import NOW, ago

TODAY = NOW.date()
INES = Author("Ines Okoro", UUID(int=9))
PEOPLE = [UUID(int=n) for n in range(1, 6)]
FINE = Facts("Orla Finch", "Gate", "Ticket Desk", "delegate", "guide", ("view",), use_known=True, last_used=ago(1))

facts = st.builds(
    Facts,
    st.sampled_from(["Orla Finch", "Brightmere Electrical"]),
    st.sampled_from(["Gate", "Bookings"]),
    st.just("Ticket Desk"),
    st.sampled_from(["delegate", "grant", "app", "session"]),
    st.sampled_from(["guide", "cashier"]),
    st.sampled_from([("view",), ("view", "spend")]),
    outside=st.booleans(),
    risk=st.integers(0, 100),
    flags=st.lists(
        st.tuples(st.sampled_from(["unused", "left"]), st.sampled_from([s.value for s in Severity]), st.just("So.")),
        max_size=2,
        unique_by=lambda flag: flag[0],
    ).map(tuple),
    ends_at=st.none() | st.just(NOW + timedelta(days=9)),
    left=st.booleans(),
    narrower=st.sampled_from(["", "guide"]),
    unused=st.booleans(),
)


@given(
    st.lists(st.tuples(st.sampled_from(PEOPLE), st.sets(st.sampled_from(PEOPLE)), st.none() | st.sampled_from(PEOPLE))),
    st.sampled_from(Reviewers),
    st.lists(st.sampled_from(PEOPLE), unique=True),
    st.dictionaries(st.sampled_from(PEOPLE), st.sampled_from(PEOPLE)),
    st.lists(st.sampled_from(PEOPLE), unique=True),
)
def test_nobody_is_asked_about_their_own_access_and_nothing_is_left_to_nobody_who_could_be_asked(
    given_items: list[tuple[UUID, set[UUID], UUID | None]],
    rule: Reviewers,
    named: list[UUID],
    away: dict[UUID, UUID],
    otherwise: list[UUID],
) -> None:
    items = [Asked(n, account, frozenset(own), giver) for n, (account, own, giver) in enumerate(given_items)]
    administrators = {PEOPLE[0]: PEOPLE[1:3], PEOPLE[1]: PEOPLE[:1]}
    asked = assign(items, rule, named=named, administrators=administrators, substitutes=away, otherwise=otherwise)
    assert asked.keys() == {item.place for item in items}
    for item in items:
        who = asked[item.place]
        assert who not in item.own
        if who is None:
            assert {away.get(person, person) for person in otherwise} <= item.own
        elif (
            rule is Reviewers.SPONSOR
            and item.sponsor is not None
            and away.get(item.sponsor, item.sponsor) not in item.own
        ):
            assert who == away.get(item.sponsor, item.sponsor)


def test_one_account_is_read_by_one_person_and_accounts_are_shared_out() -> None:
    accounts = [UUID(int=100 + n) for n in range(6)]
    items = [Asked(n, accounts[n % 6]) for n in range(60)]
    asked = assign(items, Reviewers.NAMED, named=PEOPLE[:3], administrators={}, substitutes={}, otherwise=())
    by_account = {account: {asked[i.place] for i in items if i.account_id == account} for account in accounts}
    assert all(len(people) == 1 for people in by_account.values())
    assert {next(iter(people)) for people in by_account.values()} == set(PEOPLE[:3])


@given(facts, st.integers(1, 100))
def test_keeping_what_speaks_against_itself_needs_a_reason_and_what_needs_none_does_not(
    known: Facts, limit: int
) -> None:
    keep = Decision(Choice.KEEP, INES, NOW)
    why = reason_needed(known, keep, limit)
    assert bool(why) == (advised(known)[0] is not Choice.KEEP or known.worst >= 3 or known.risk >= limit)
    if why:
        with pytest.raises(Invalid, match="reason is needed"):
            checked(known, keep, TODAY, limit)
    assert checked(known, replace(keep, reason="It is so."), TODAY, limit).choice is Choice.KEEP
    assert checked(known, replace(keep, choice=Choice.END_NOW), TODAY, limit).choice is Choice.END_NOW


@pytest.mark.parametrize(
    ("choice", "more"),
    [
        (Choice.NARROW, {}),
        (Choice.END_ON, {}),
        (Choice.END_ON, {"until": TODAY - timedelta(days=1)}),
        (Choice.PASS_ON, {}),
    ],
)
def test_half_a_decision_is_refused(choice: Choice, more: dict[str, object]) -> None:
    decision = Decision(choice, INES, NOW)
    with pytest.raises(Invalid, match="Nothing was changed"):
        checked(FINE, replace(decision, **more), TODAY, 60)  # type: ignore[arg-type]


@given(st.lists(facts, max_size=8), st.sampled_from(Unanswered), st.integers(0, 8))
def test_no_more_than_the_plan_allows_ends_by_itself_and_what_is_spared_is_the_least_risky(
    known: list[Facts], outcome: Unanswered, most: int
) -> None:
    decisions = unanswered(enumerate(known), outcome, most, Author("Open Latch"), NOW)
    assert decisions.keys() == set(range(len(known)))
    able = {place for place, each_facts in enumerate(known) if outcome is not Unanswered.NARROW or each_facts.narrower}
    taken = {place for place, decision in decisions.items() if decision.changes}
    assert len(taken) == (0 if outcome is Unanswered.KEEP else min(most, len(able)))
    assert all(decision.unanswered for decision in decisions.values())
    assert all(known[number].risk >= known[other].risk for number in taken for other in able - taken)
    assert {decisions[place].action("delegate") for place in taken} <= {Action(outcome.value)} if taken else True


@given(facts, facts)
def test_what_changed_is_told_and_nothing_is_told_of_what_did_not(before: Facts, after: Facts) -> None:
    assert changed_since(before, before, "Europe/London") == ()
    said = " ".join(changed_since(before, after, "Europe/London"))
    assert ("level was" in said) == (before.level != after.level)
    assert ("It was until" in said or "It was without an end" in said) == (before.ends_at != after.ends_at)


@given(facts, st.uuids(), st.uuids())
def test_what_is_asked_is_the_same_question_while_the_account_and_what_speaks_about_it_are(
    known: Facts, account: UUID, another: UUID
) -> None:
    asked = question(account, known)
    assert asked == question(account, replace(known, party="Someone else", account="Another name", risk=1))
    assert asked == question(account, replace(known, flags=tuple((rule, "low", "") for rule, _, _ in known.flags)))
    assert (asked == question(another, known)) == (account == another)
    others = (
        replace(known, kind="open"),
        replace(known, level="owner"),
        replace(known, outside=not known.outside),
        replace(known, left=not known.left),
        replace(known, unused=not known.unused),
        replace(known, narrower="cashier"),
        replace(known, flags=(*known.flags, ("no-end", "low", "So."))),
    )
    assert asked not in {question(account, other) for other in others}


@pytest.mark.parametrize(
    ("zone", "end", "used"),
    [
        ("America/New_York", "until the end of 3 May 2027", "4 May 2027"),
        ("Europe/London", "until 05:00 on 4 May 2027", "4 May 2027"),
        ("Pacific/Kiritimati", "until 18:00 on 4 May 2027", "5 May 2027"),
    ],
)
def test_what_changed_is_told_in_days_of_the_workspace(zone: str, end: str, used: str) -> None:
    midnight = datetime(2027, 5, 4, 4, tzinfo=UTC)  # in New York
    after = replace(FINE, ends_at=midnight, use_known=True, last_used=midnight + timedelta(hours=7))
    said = changed_since(replace(FINE, ends_at=None, use_known=True), after, zone)
    assert said == (f"It was without an end, and is {end} ({zone}).", f"It was used since, last on {used}.")


@given(st.dictionaries(st.sampled_from(PEOPLE), facts), st.dictionaries(st.sampled_from(PEOPLE), facts))
def test_the_same_entries_are_looked_at_again_and_what_joined_counts_nowhere_else(
    before: dict[UUID, Facts], now: dict[UUID, Facts]
) -> None:
    others = [facts for facts_id, facts in now.items() if facts_id not in before]
    comparison = compare(before, now, others)
    still = {each_facts_id: facts for each_facts_id, facts in now.items() if each_facts_id in before}
    assert comparison == replace(
        compare(before, still), joined=tuple(f"{each_facts.party} on {each_facts.account}" for each_facts in others)
    )
    assert comparison.entries == (len(before), len(still))
    assert len(comparison.gone) == len(before) - len(still)
    flags = [sum(len(each_facts.flags) for each_facts in of.values()) for of in (before, still)]
    assert flags[1] - flags[0] == sum(comparison.raised.values()) - sum(comparison.cleared.values())
    assert comparison.risk[1] == sum(each_facts.risk for each_facts in still.values())
    same = compare(before, before)
    assert (same.gone, same.joined, same.cleared, same.raised) == ((), (), {}, {})


@given(facts, st.frozensets(st.sampled_from(["end", "end-on", "narrow"])))
def test_what_is_advised_can_be_ordered(known: Facts, acts: frozenset[str]) -> None:
    choice, why = advised(replace(known, acts=tuple(acts)))
    assert ORDERED.get(choice) is None or ORDERED[choice] in acts
    free = advised(replace(known, acts=None))
    assert (choice, why) == free or free[0] in ORDERED, "nothing else changes what is advised"
    if not acts:
        assert choice is Choice.KEEP
        assert not known.left or known.flags or "see to it there" in why, "what speaks for it is said all the same"


@pytest.mark.parametrize("outcome", Unanswered)
def test_what_becomes_of_silence_is_said_with_its_limit_wherever_something_changes(outcome: Unanswered) -> None:
    plan = ReviewPlan(UUID(int=1), "Guides", {}, "", TODAY, unanswered=outcome, most=7)
    assert plan.silence() != plan.silence(several=True)
    assert ("7 at most" in plan.silence()) == (outcome is not Unanswered.KEEP)


ASKED = {
    "q": "lantern",
    "state": "ended",
    "kind": "app,session",
    "power": "spend,withdraw",
    "provider": "Ticket Desk",
    "account": "Gate",
    "party": "Orla Finch",
    "flagged": False,
    "rule": "unused-past-limit",
    "outside": False,
    "unknown": True,
    "mine": True,
    "ends": "none",
    "risk": 40,
}
"""Every filter of the inventory, with a value that it does not have by itself."""


@given(st.sets(st.sampled_from(sorted(ASKED))), st.sampled_from(sorted(ASKED)))
def test_nothing_that_a_filter_asks_for_is_left_unsaid(some: set[str], text: str) -> None:
    assert ASKED.keys() == set(EntryFilter.model_fields)
    where = {name: ASKED[name] for name in some - {text}}
    less, more = scope_said(where), scope_said(where | {text: ASKED[text]})
    assert len(more) > len(less)
    assert "True" not in more
    assert "False" not in more
