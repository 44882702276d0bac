"""A policy that would take for ever to check is refused at once, with the place where it is too much."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.rules.check import MOST_LOOKED_AT, MOST_STEPS, MOST_WRITTEN, Effort, condition
from openlatch.core.rules.syntax import Fault
from openlatch.core.toml_text import DEEPEST
from openlatch.errors import Invalid
from openlatch.operations.rules.policy_file import BUILT_IN, MOST_TOLD, read
from openlatch.words import Subject

LIMITS = BUILT_IN.partition("[[apart]]")[0]
NESTED = (
    "account.entries.exists(e, " + "".join(f"e.powers.exists(p{n}, " for n in range(6)) + "p5 in e.powers" + ")" * 7
)


def rules(*conditions: str) -> str:
    """A policy with these conditions, each in a rule of its own."""
    made = [
        f'[[rules]]\nid = "rule-{n}"\ntitle = "One"\napplies_to = "account"\nwhen = \'{text}\'\n'
        'severity = "low"\nreason = ["so"]\n'
        for n, text in enumerate(conditions)
    ]
    return LIMITS + "\n".join(made)


def refused(text: str) -> Invalid:
    with pytest.raises(Invalid, match="stays in force") as caught:
        read(text, "UTC")
    return caught.value


def test_many_rules_are_read_as_long_as_they_are_not_too_much_together() -> None:
    text = 'account.entries.exists(e, e.kind == "app") && account.name != "x"'
    few = 200
    assert few * len(text) * 2 < MOST_WRITTEN
    assert len(read(rules(*[text] * few), "UTC").policy.rules) == few
    error = refused(rules(*[text + " " * 1000] * 70))
    assert "all conditions and facts together are longer than 60,000 characters" in error.message
    assert error.fields["errors"][0]["rule"] == f"rule-{MOST_WRITTEN // (len(text) + 1000)}", "where it is too much"


def test_what_nesting_multiplies_is_counted_over_all_rules() -> None:
    error = refused(rules(*[NESTED] * 300))
    assert len(error.fields["errors"]) <= MOST_LOOKED_AT // MOST_STEPS + 2, "what stands behind is not looked at"
    assert "once its lists are written out" in error.message


@given(
    st.lists(st.sampled_from([NESTED, "account.practice", "account.nonsense", "!", "(" * 100, 'account.name == "x"']))
)
def test_no_more_is_spent_than_there_is(texts: list[str]) -> None:
    effort = Effort()
    for text in texts:
        spent = effort.spent
        try:
            condition(text, Subject.ACCOUNT, {}, effort)
        except Fault:
            continue
        assert not spent, "nothing is taken that is too much"
    assert effort.steps <= MOST_STEPS * len(texts) + len(texts)


def test_a_key_of_very_many_parts_is_refused_before_anybody_takes_memory_for_it() -> None:
    for key in (".".join("a" * 240_000), f"[{'.'.join('a' * 9999)}]\nb", "[a]\nb = { " + ' . "x".'.join("a" * 99)):
        error = refused(f"policy = 1\n{key} = 1\n")
        assert f"a key has more than {DEEPEST} parts" in error.message
        assert error.fields["errors"][0]["at"] in ("line 2", "line 3")
    longest = ".".join("a" * DEEPEST)
    assert "more than" not in refused(f"policy = 1\n{longest} = 1\n").message


def test_however_much_is_wrong_each_of_the_first_is_told_with_its_own_place() -> None:
    errors = refused(rules(*["account.nonsense"] * 250)).fields["errors"]
    assert len(errors) == MOST_TOLD
    lines = [int(error["at"].partition("line ")[2].partition(",")[0]) for error in errors]
    written = rules(*["account.nonsense"] * 250).splitlines()
    assert all(written[line - 1] == "when = 'account.nonsense'" for line in lines)
    assert len(set(lines)) == len(lines)
    assert "and at least 99 more" in refused(rules(*["account.nonsense"] * 250)).message


def test_a_policy_without_any_rule_says_what_its_risk_needs() -> None:
    error = refused("policy = 1\n")
    assert "the policy has no limit “unused”" in error.message
