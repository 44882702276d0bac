"""Orders: a table of states that always comes to an end, and waiting that grows until a person has to look."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.orders.orders import ATTEMPTS, FINAL, MOVES, PATIENCE, TABLE, Move, again_after, look_again
from openlatch.errors import Conflict
from openlatch.words import OrderState


@pytest.mark.parametrize("state", list(OrderState))
@pytest.mark.parametrize("how", list(Move))
def test_a_move_that_is_not_in_the_table_is_refused_and_says_what_is_possible(state: OrderState, how: Move) -> None:
    if (state, how) in TABLE:
        assert MOVES.after(state, how) is TABLE[state, how]
        return
    with pytest.raises(Conflict) as refused:
        MOVES.after(state, how)
    assert all(m in str(refused.value) for (s, m) in TABLE if s is state)


def test_every_order_can_come_to_an_end_and_stays_there() -> None:
    assert not [pair for pair in TABLE if pair[0] in FINAL]
    reaches = {state: {state} for state in OrderState}
    for _ in OrderState:
        for (state, _how), after in TABLE.items():
            reaches[state] |= reaches[after]
    assert all(OrderState.PROVED in reaches[s] for s in OrderState if s is not OrderState.CANCELLED)


def test_waiting_grows_and_then_a_person_has_to_look() -> None:
    waits = [again_after(n) for n in range(1, ATTEMPTS + 1)]
    lasting = [w for w in waits if w is not None]
    assert lasting == sorted(lasting)
    assert waits[-1] is None
    assert lasting[0] >= timedelta(seconds=1)


@given(st.timedeltas(timedelta(0), PATIENCE * 2))
def test_a_device_is_waited_for_less_and_less_often_and_then_a_person_has_to_look(age: timedelta) -> None:
    told_at = datetime(2026, 11, 29, tzinfo=UTC)
    wait = look_again(told_at, told_at + age)
    assert (wait is None) == (age >= PATIENCE)
    later = look_again(told_at, told_at + age + timedelta(minutes=10))
    if wait is not None:
        assert timedelta(seconds=30) <= wait <= timedelta(hours=6)
        assert later is None or later >= wait
