"""Risk adds up to its lines, stays within 0 and 100, and never falls when something is added."""

from __future__ import annotations

import re
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.rules.catalogue import COLUMNS
from openlatch.core.rules.check import EPOCH, micros
from openlatch.core.rules.policy import Policy
from openlatch.core.rules.program import compile_policy
from openlatch.core.rules.risk import CIRCUMSTANCES, MOST, Weights, combined, lines, risk, shares
from openlatch.core.rules.rows import Concerned, Singly
from openlatch.operations.rules.policy_file import BUILT_IN, read
from openlatch.words import Power, Subject
from tests.core.rules.inventories import Inventory, inventory
from tests.core.rules.test_agreement import LIMITS
from tests.factories import NOW


def test_the_weights_are_the_same_wherever_they_stand() -> None:
    built_in = read(BUILT_IN, "UTC").policy.risk
    left_out = read(re.sub(r"\[risk\]\n.*?(?=\n# )", "", BUILT_IN, count=1, flags=re.DOTALL), "UTC").policy.risk
    assert built_in == left_out == Weights()


powers = st.sets(st.sampled_from(list(Power)))
LESS = {"minor", "practice"}
weights = st.builds(
    Weights,
    st.fixed_dictionaries({power: st.integers(0, 100) for power in Power}),
    st.integers(0, 100),
    st.fixed_dictionaries(
        {c.id: st.integers(0, 100) if c.id in LESS else st.integers(100, 1000) for c in CIRCUMSTANCES}
    ),
)
ORDER = [c.id for c in CIRCUMSTANCES]
holding = st.sets(st.sampled_from(ORDER)).map(lambda some: [text for text in ORDER if text in some])


@given(powers, st.booleans(), holding, weights)
def test_a_risk_is_what_its_lines_add_up_to(held: set[Power], unknown: bool, some: list[str], by: Weights) -> None:
    number = risk(held, unknown=unknown, holding=some, weights=by)
    assert 0 <= number <= MOST
    assert sum(line.points for line in lines(held, unknown=unknown, holding=some, weights=by)) == number


@given(powers, st.sampled_from(list(Power)), st.booleans(), holding, st.sampled_from(ORDER), weights)
def test_one_more_power_unknown_word_or_dangerous_circumstance_never_lowers_it(
    held: set[Power], more: Power, unknown: bool, some: list[str], also: str, by: Weights
) -> None:
    before = risk(held, unknown=unknown, holding=some, weights=by)
    assert risk(held | {more}, unknown=unknown, holding=some, weights=by) >= before
    assert risk(held, unknown=True, holding=some, weights=by) >= before
    if also not in LESS:
        worse = [text for text in ORDER if text in {*some, also}]
        assert risk(held, unknown=unknown, holding=worse, weights=by) >= before


@given(st.lists(st.integers(0, MOST)), st.integers(0, MOST))
def test_one_more_entry_never_lowers_the_risk_of_its_account(risks: list[int], more: int) -> None:
    assert combined(risks) <= combined([*risks, more]) <= MOST
    assert combined(risks) >= max(risks, default=0)
    assert sum(shares(risks)) == combined(risks)


@given(st.sampled_from(list(Power)), st.integers(1, 10_000))
def test_what_is_ten_times_as_dangerous_is_told_apart_and_nothing_is_beyond_the_scale(
    power: Power, points: int
) -> None:
    def of(number: int) -> int:
        by = Weights({**dict.fromkeys(Power, 0), power: number})
        return risk([power], unknown=False, holding=(), weights=by)

    assert of(points) <= of(points + 1) < MOST
    assert of(points) < of(10 * points) or points > 900


@given(st.randoms(use_true_random=False), st.sampled_from(["entry_powers", "party_outside"]))
def test_in_an_inventory_a_power_or_an_outsider_more_never_lowers_any_risk(chance: Any, what: str) -> None:
    program = Singly(compile_policy(Policy(limits=LIMITS), "UTC"))
    held = inventory(chance, 4)
    before = _risks(program, held)
    if what == "entry_powers":
        own, account, party = held.entries[0]
        more = {**own, what: own[what] | {chance.choice(list(Power))}}
        after = Inventory(held.providers, held.accounts, held.parties, [(more, account, party), *held.entries[1:]])
    else:
        parties = [{**held.parties[0], what: True}, held.parties[1]]
        after = Inventory(held.providers, held.accounts, parties, held.entries)
    assert all(_risks(program, after)[key] >= risk for key, risk in before.items())


def _risks(program: Singly, held: Inventory) -> dict[Any, int]:
    rows = held.rows(program.program)
    every = Concerned(frozenset(range(len(held.entries))), frozenset([0, 1]), frozenset([0, 1]))
    now = micros(NOW - EPOCH)
    return program.evaluate(rows[Subject.ENTRY], rows[Subject.ACCOUNT], rows[Subject.PARTY], every, now).risks


def test_the_columns_that_risk_needs_are_in_the_catalogue() -> None:
    columns = compile_policy(Policy(limits=LIMITS), "UTC").columns(Subject.ENTRY)
    assert set(columns) - {"entry_id"} <= set(COLUMNS)
