"""The two rules, at and around their limits; flags whose facts stand still."""

from __future__ import annotations

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.model import Circle, Kind, Severity, State
from openlatch.core.powers import Power
from openlatch.core.rules import Finding, Flag, Limits, compare, evaluate
from tests.factories import NOW, ago, entry, ids, party

CIRCLE = Circle(frozenset({"kestrelridge.example"}))
LIMITS = Limits(unused_days=90)
INSIDE = party()
OUTSIDE = party(name="Brightmere Electrical", addresses=("works@brightmere.example",))
SECOND = timedelta(seconds=1)


def found(who=INSIDE, at=NOW, **overrides: object) -> list[str]:  # type: ignore[no-untyped-def]
    return [f.rule for f in evaluate(entry(**overrides), who, circle=CIRCLE, limits=LIMITS, now=at)]


@pytest.mark.parametrize(
    ("fields", "flagged"),
    [
        ({"last_used": ago(90)}, True),
        ({"last_used": ago(90) + SECOND}, False),
        ({"last_used": None, "given_at": ago(90)}, True),
        ({"last_used": None, "given_at": ago(89)}, False),
        ({"last_used": None, "given_at": ago(400), "accepted_at": ago(10)}, False),
        ({"last_used": ago(400), "use_known": False}, False),
        ({"last_used": None, "given_at": None}, False),
        ({"last_used": ago(400), "state": State.ENDED}, False),
        ({"last_used": ago(400), "state": State.OFFERED}, False),
        ({"last_used": ago(400), "state": State.ENDING}, True),
        ({"last_used": ago(400), "kind": Kind.SESSION}, False),
    ],
)
def test_unused_holds_from_the_limit_on_and_never_on_what_is_not_known(
    fields: dict[str, object], flagged: bool
) -> None:
    assert found(**fields) == (["unused-past-limit"] if flagged else [])


@pytest.mark.parametrize(
    ("who", "fields", "flagged"),
    [
        (OUTSIDE, {}, True),
        (INSIDE, {}, False),
        (OUTSIDE, {"ends_at": NOW + SECOND}, False),
        (OUTSIDE, {"end_unknown": True}, False),
        (OUTSIDE, {"kind": Kind.SESSION}, False),
        (party(addresses=("orla@kestreIridge.example",)), {}, True),
        (party(addresses=("orla@sub.kestrelridge.example",)), {}, True),
        (party(addresses=("x@brightmere.example", "ORLA@KESTRELRIDGE.EXAMPLE")), {}, False),
        (party(addresses=()), {}, True),
    ],
)
def test_an_outsider_is_whoever_has_no_address_exactly_in_the_circle(
    who: object, fields: dict[str, object], flagged: bool
) -> None:
    assert found(who, **fields) == (["outsider-without-end"] if flagged else [])


@given(st.sets(st.sampled_from(list(Power))), st.sampled_from(list(Power)))
def test_one_more_power_never_makes_a_flag_less_severe(powers: set[Power], more: Power) -> None:
    def worst(held: set[Power]) -> int:
        one = entry(powers=tuple(held), last_used=ago(200))
        return max(f.severity.rank for f in evaluate(one, OUTSIDE, circle=CIRCLE, limits=LIMITS, now=NOW))

    assert worst(powers | {more}) >= worst(powers)


@given(st.floats(0, 300))
def test_the_same_situation_gives_the_same_facts_on_every_day(days: float) -> None:
    one = entry(last_used=ago(200))
    later = NOW + timedelta(days=days)
    assert evaluate(one, OUTSIDE, circle=CIRCLE, limits=LIMITS, now=NOW) == evaluate(
        one, OUTSIDE, circle=CIRCLE, limits=LIMITS, now=later
    )


subjects = [entry().id for _ in range(4)]
findings = st.dictionaries(
    st.tuples(st.sampled_from(["a", "b"]), st.sampled_from(subjects)), st.sampled_from(list(Severity)), max_size=8
)


@given(findings, findings)
def test_comparing_leaves_exactly_the_flags_that_hold_now(
    before: dict[object, Severity], now: dict[object, Severity]
) -> None:
    new = ids()
    standing = [
        Flag(new(), rule, on, severity, {}, "", "", NOW)
        for (rule, on), severity in before.items()  # type: ignore[misc]
    ]
    holding = [Finding(rule, on, severity, {}, "", "") for (rule, on), severity in now.items()]  # type: ignore[misc]
    differences = compare(standing, holding)
    left = {(f.rule, f.entry_id): f.severity for f in standing if f not in differences.cleared}
    left |= {(f.rule, f.entry_id): f.severity for _, f in differences.changed}
    left |= {(f.rule, f.entry_id): f.severity for f in differences.raised}
    assert left == now
    assert all(flag.severity is not finding.severity for flag, finding in differences.changed)
