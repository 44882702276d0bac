"""A condition that is wrong is refused with its place, what is expected, and the nearest name; every text is read."""

from __future__ import annotations

from datetime import timedelta
from functools import reduce

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from openlatch.core.rules.catalogue import FIELDS
from openlatch.core.rules.check import MOST_STEPS, _Checker, condition, fact
from openlatch.core.rules.syntax import Fault, parse
from openlatch.core.rules.tree import inside
from openlatch.words import Subject

LIMITS = {"unused": timedelta(days=90), "administrators": 6}
WRONG = [
    # condition, what it applies to, where, problem, hint
    ("entry.last_usd < now", "entry", 0, "no field “entry.last_usd”", "entry.last_used"),
    ('true && entry.kind == "aps"', "entry", 22, "never “aps”", "delegate"),
    ('entry.kind < "app"', "entry", 11, "== and !=", ""),
    ("entry.kind == 3", "entry", 11, "cannot be compared", ""),
    ("entry.last_used < now - 3", "entry", 22, "cannot be taken from", ""),
    ("entry.last_used", "entry", 6, "a condition is true or false", ""),
    ("entry.by_hand &&", "entry", 16, "ends where a value", ""),
    ("entry.by_hand & true", "entry", 14, "not expected", "&&"),
    ("(entry.by_hand", "entry", 14, "“)” is expected", ""),
    ("entry.by_hand true", "entry", 14, "not expected", ""),
    ('entry.basis == "x', "entry", 15, "has no end", '"'),
    ('limits.unsed > duration("1h")', "entry", 0, "no limit “unsed”", "unused"),
    ('duration("90d") > limits.unused', "entry", 9, "not a length of time", "36h"),
    ('timestamp("2026-05-31") < now', "entry", 10, "not an instant", "2026"),
    ('entry.basis.matches("(a+)+$")', "entry", 12, "matches is not offered", "contains"),
    ('party.name == "x"', "account", 0, "cannot see one party", "account.entries"),
    ("account.entries.exists(e, entry.by_hand)", "account", 26, "cannot be seen here", "e.by_hand"),
    ("account.entries.exists(e, e.account.administrators > 1)", "account", 26, "counted over entries", ""),
    ("account.entries.filter(e, e.by_hand)", "account", 16, "these are entries", "size"),
    ("account.entries.exists(now, true)", "account", 23, "name of something else", ""),
    ('"fly" in entry.powers', "entry", 0, "no power “fly”", "view"),
    ("1.5 > 1", "entry", 0, "whole numbers", ""),
    ("99999999999 > 1", "entry", 0, "greater than", ""),
    ("!" * 60 + "true", "entry", 23, "nested more than", ""),
    ("true" + " && true" * 600, "entry", 4000, "characters", "several"),
]


@pytest.mark.parametrize(("text", "subject", "at", "problem", "hint"), WRONG)
def test_a_mistake_is_named_at_its_place(text: str, subject: str, at: int, problem: str, hint: str) -> None:
    with pytest.raises(Fault) as raised:
        condition(text, Subject(subject), LIMITS)
    assert problem in raised.value.problem
    assert hint in raised.value.hint
    assert raised.value.at == at


def test_every_field_can_be_asked_for_in_a_condition() -> None:
    for path in FIELDS:
        subject = Subject.ENTRY
        assert condition(f"has({path}) || !has({path})", subject, LIMITS) is not None


@pytest.mark.parametrize("text", ["now", "now - entry.given_at", "entry.given_at - entry.last_used"])
def test_a_fact_that_would_change_with_every_day_is_refused(text: str) -> None:
    with pytest.raises(Fault):
        fact(text, Subject.ENTRY, LIMITS)


@given(st.text(st.sampled_from(list("entry.kind()[]&|!<>=+-,\"' 0129axnow\\\n")), max_size=60) | st.text(max_size=60))
@example("entry.powers.exists(p, " * 8 + "p in entry.powers" + ")" * 8)
@example("[" * 2000)
@example("!" * 2000)
def test_whatever_is_written_is_read_or_refused_within_the_text(text: str) -> None:
    fault = refusal(text)
    assert fault is None or (0 <= fault.at <= len(text) and fault.problem)


names = st.integers(0, 30).map("p{}".format)
leaves = st.sampled_from(
    ["entry.by_hand", "true", "entry.level == 'x'", "size(entry.resources) > 2", "now > entry.given_at"]
)


def nested(inner: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    """Conditions that hold others, among them those over lists, which are written out once for each power."""
    over = st.sampled_from(["entry.powers", "entry.resources", "entry.permissions"])
    listed = st.tuples(over, st.sampled_from(["exists", "all"]), names, inner).map(
        lambda parts: "{}.{}({}, {})".format(*parts)
    )
    joined = st.tuples(st.lists(inner, min_size=2, max_size=12), st.sampled_from([" && ", " || "]))
    return listed | joined.map(lambda pair: f"({pair[1].join(pair[0])})") | inner.map("!({})".format)


@given(st.recursive(leaves, nested, max_leaves=40), st.sampled_from(Subject))
@example(reduce(lambda inner, n: f"entry.powers.exists(p{n}, {inner})", range(8), "true"), Subject.ENTRY)
@example(" && ".join(["entry.powers.exists(p, p == 'view')"] * 90), Subject.ENTRY)
def test_no_condition_costs_more_than_so_many_looks_however_its_lists_are_nested(text: str, subject: Subject) -> None:
    checker = _Checker(subject, LIMITS)
    try:
        node = checker.typed(parse(text))
    except Fault as refused:
        assert 0 <= refused.at <= len(text)  # noqa: PT017
    else:
        assert sum(1 for _ in inside(node)) < 100 * MOST_STEPS
    assert checker.steps <= MOST_STEPS + 1


def refusal(text: str) -> Fault | None:
    try:
        condition(text, Subject.ENTRY, LIMITS)
    except Fault as fault:
        return fault
    return None
