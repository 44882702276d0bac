"""Second factors: a code counts once and only around its time; who has to have a factor keeps one."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from uuid import uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.model import Person
from openlatch.core.people.factors import (
    STEP,
    Factor,
    accepted_step,
    is_recovery_code,
    keep_one,
    lacks_factor,
    one_time_code,
    plain_code,
    proved,
)
from openlatch.errors import Conflict
from openlatch.words import FactorKind, Role

NOW = datetime(2027, 3, 1, 12, 0, 7, tzinfo=UTC)
PRESENT = int(NOW.timestamp()) // 30


@given(typed=st.integers(-4, 4), clocks=st.lists(st.integers(0, 300), min_size=1, max_size=12))
def test_no_code_is_taken_twice_nor_one_from_before_it(typed: int, clocks: list[int]) -> None:
    used = 0
    taken: list[int] = []
    for seconds in sorted(clocks):
        now = NOW + timedelta(seconds=seconds)
        wanted = int(now.timestamp() // STEP.total_seconds()) + typed
        step = accepted_step(lambda step, wanted=wanted: step == wanted, now, used)  # type: ignore[misc]
        if abs(typed) > 1:
            assert step is None, "a code of another time is no code"
        elif step is None:
            assert wanted <= used, "only what was used, or is older, is refused"
        else:
            assert step == wanted
            used = step
            taken.append(step)
    assert taken == sorted(set(taken))


def test_every_step_is_worked_out_whichever_fits() -> None:
    seen: list[int] = []
    accepted_step(lambda step: bool(seen.append(step)) or step == PRESENT - 1, NOW, 0)
    assert seen == [PRESENT - 1, PRESENT, PRESENT + 1]


@given(st.lists(st.integers(0, 10_000), min_size=15, max_size=15), st.sampled_from(["", " ", "-", " - "]))
def test_a_recovery_code_is_known_however_it_is_typed(drawn: list[int], between: str) -> None:
    numbers = iter(drawn)
    code = one_time_code(lambda below: next(numbers) % below)
    typed = between.join(plain_code(code)).upper()
    assert is_recovery_code(typed)
    assert plain_code(typed) == plain_code(code)
    assert not is_recovery_code("123456")
    assert not is_recovery_code(code + "a")


FACTORS = st.lists(st.booleans(), min_size=1, max_size=4).map(
    lambda each: [
        Factor(uuid4(), uuid4(), FactorKind.CODES, f"app {number}", NOW, NOW if counts else None)
        for number, counts in enumerate(each)
    ]
)


@given(FACTORS, st.data(), st.sampled_from(Role), st.frozensets(st.sampled_from(Role)))
def test_whoever_has_to_have_one_keeps_one(
    factors: list[Factor], data: st.DataObject, role: Role, demanded: frozenset[Role]
) -> None:
    person = Person(uuid4(), "Keeva Lorne", "keeva@kestrelridge.example", role)
    factor = data.draw(st.sampled_from(factors))
    before = lacks_factor(person, factors, demanded)
    try:
        keep_one(person, factors, factor, demanded)
    except Conflict:
        assert role in demanded
        assert proved(factors) == (factor,)
    else:
        left = [other for other in factors if other is not factor]
        assert lacks_factor(person, left, demanded) == before, "removing what is allowed makes nobody lack one"


def test_nobody_lacks_what_nobody_demands() -> None:
    person = Person(uuid4(), "Keeva Lorne", "keeva@kestrelridge.example", Role.OWNER)
    assert not lacks_factor(person, (), frozenset({Role.MANAGER}))
    assert lacks_factor(person, (), frozenset({Role.OWNER}))
    factor = Factor(uuid4(), person.id, FactorKind.CODES, "app", NOW, NOW)
    with pytest.raises(Conflict, match="your only one"):
        keep_one(person, [factor], factor, frozenset({Role.OWNER}))
