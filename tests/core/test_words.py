"""What things come to: one list of words, of which nothing is over that still goes on."""

from __future__ import annotations

import pytest

from openlatch.core.orders.orders import FINAL
from openlatch.words import OrderState, Outcome, Tone


@pytest.mark.parametrize("state", OrderState)
def test_every_state_of_an_order_is_an_outcome_and_rests_where_the_order_does(state: OrderState) -> None:
    outcome = Outcome(state.value)
    assert outcome.rests == (state in FINAL or state is OrderState.STUCK)
    assert outcome.over == (state is OrderState.PROVED)


@pytest.mark.parametrize("outcome", Outcome)
def test_what_is_over_is_settled_what_is_settled_rests_and_what_goes_wrong_is_neither(outcome: Outcome) -> None:
    assert not outcome.over or outcome.settled
    assert not outcome.settled or outcome.rests
    assert not outcome.over or outcome.tone in (Tone.GOOD, Tone.STAYS, Tone.NONE)
    assert outcome.tone not in (Tone.WAITS, Tone.GOING) or not outcome.rests
    assert not outcome.can_be_left or not outcome.settled
    assert outcome.tone is not Tone.BAD or (outcome.rests and not outcome.settled)
