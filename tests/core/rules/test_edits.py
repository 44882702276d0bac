"""Changes of a policy by its parts: each says what it was asked to say, and leaves all the rest as it was written."""

from __future__ import annotations

import tomllib
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.rules import edits
from openlatch.core.rules.edits import Misfit
from openlatch.operations.rules.policy_file import BUILT_IN, read

RULES = [rule["id"] for rule in tomllib.loads(BUILT_IN)["rules"]]
LIMITS = [limit.name for limit in edits.limits(BUILT_IN)]
words = st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=40)


def lines_beside(before: str, after: str) -> set[str]:
    """The lines of the text before that are not in the text after."""
    return set(before.splitlines()) - set(after.splitlines())


@given(st.sampled_from(LIMITS), st.integers(1, 400))
def test_a_limit_is_changed_and_nothing_else(name: str, days: int) -> None:
    before = {limit.name: limit for limit in edits.limits(BUILT_IN)}
    value: str | int = f"{days}d" if isinstance(before[name].value, str) else days
    text = edits.set_limit(BUILT_IN, name, value)
    after = {limit.name: limit for limit in edits.limits(text)}
    assert after[name].value == value
    assert after[name].says == before[name].says, "the remark beside it stays"
    assert {k: v for k, v in after.items() if k != name} == {k: v for k, v in before.items() if k != name}
    assert len(lines_beside(BUILT_IN, text)) <= 1
    assert len(read(text, "Europe/London").policy.rules) == len(RULES)


@given(st.sampled_from(RULES), st.sampled_from(["low", "medium", "high", "critical"]), st.booleans())
def test_a_rule_is_turned_off_and_on_again_and_the_file_is_what_it_was(rule: str, severity: str, off: bool) -> None:
    text = edits.set_rule(BUILT_IN, rule, {"off": off or None, "severity": severity})
    policy = {each.id: each for each in read(text, "Europe/London").policy.rules}
    assert (policy[rule].off, policy[rule].severity.value) == (off, severity)
    original = {each.id: each for each in read(BUILT_IN, "Europe/London").policy.rules}
    assert {k: v for k, v in policy.items() if k != rule} == {k: v for k, v in original.items() if k != rule}
    back = edits.set_rule(text, rule, {"off": None, "severity": original[rule].severity.value})
    assert back == BUILT_IN


@given(st.sampled_from(RULES), st.lists(words, min_size=1, max_size=4))
def test_exceptions_are_added_and_taken_out_in_any_order(rule: str, reasons: list[str]) -> None:
    text = BUILT_IN
    applies_to = next(each["applies_to"] for each in tomllib.loads(BUILT_IN)["rules"] if each["id"] == rule)
    whom = {"account": "Gate", "party": ""} if applies_to == "account" else {"party": "orla.finch@x.example"}
    for reason in reasons:
        text = edits.exempt(text, rule, {"reason": reason, **whom, "tag": ""})
    (found,) = [each for each in read(text, "Europe/London").policy.rules if each.id == rule]
    assert [one.reason for one in found.exempt] == reasons
    assert {one.tag for one in found.exempt} == {""}
    for left in range(len(reasons), 0, -1):
        text = edits.drop_exemption(text, rule, 1)
        (there,) = [each for each in tomllib.loads(text)["rules"] if each["id"] == rule]
        assert [one["reason"] for one in there.get("exempt", [])] == reasons[len(reasons) - left + 1 :]
    assert tomllib.loads(text) == tomllib.loads(BUILT_IN)


def test_a_rule_of_ones_own_is_added_and_dropped() -> None:
    own: dict[str, Any] = {
        "id": "guide-with-money",
        "title": "A guide who can spend",
        "applies_to": "entry",
        "when": 'entry.level == "guide" && "spend" in entry.powers',
        "severity": "high",
        "facts": {"level": "entry.level"},
        "reason": ["{level} can spend.", "A guide can spend."],
        "why": "",
    }
    text = edits.add_rule(BUILT_IN, own)
    (found,) = [each for each in read(text, "Europe/London").policy.rules if each.id == own["id"]]
    assert (found.title, found.when, dict(found.facts)) == (own["title"], own["when"], own["facts"])
    assert text.startswith(BUILT_IN.rstrip("\n")), "all that was there stays as it was written"
    with pytest.raises(Misfit, match="already"):
        edits.add_rule(text, own)
    assert tomllib.loads(edits.drop_rule(text, own["id"])) == tomllib.loads(BUILT_IN)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda: edits.set_limit(BUILT_IN, "unusd", "3d"), "did you mean “unused”"),
        (lambda: edits.set_rule(BUILT_IN, RULES[0][:-1], {"off": True}), f"did you mean “{RULES[0]}”"),
        (lambda: edits.drop_exemption(BUILT_IN, RULES[0], 1), "no number 1"),
        (lambda: edits.set_rule(BUILT_IN, "takes-and-admits", {"off": True}), "has no off"),
        (lambda: edits.exempt(BUILT_IN, "takes-and-admits", {"reason": "x"}), "has no exceptions"),
        (lambda: edits.set_limit("[limits\n", "unused", "3d"), "cannot be read"),
    ],
)
def test_a_change_that_does_not_fit_is_refused_and_names_what_would(change: Any, says: str) -> None:
    with pytest.raises(Misfit, match=says):
        change()
