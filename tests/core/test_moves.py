"""Tables of moves: what is not in one is refused, and nothing that has ended goes on."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from openlatch.core.model import ENTRY_MOVES, EntryMove
from openlatch.core.reviews.plans import ROUND_MOVES, RoundMove
from openlatch.errors import Conflict
from openlatch.words import EndReason, RoundState, State
from tests.factories import entry

NOW = datetime(2027, 6, 1, tzinfo=UTC)


@pytest.mark.parametrize("state", State)
@pytest.mark.parametrize("how", EntryMove)
def test_an_entry_moves_as_its_table_says_one_version_on_and_never_once_it_has_ended(
    state: State, how: EntryMove
) -> None:
    the_entry = entry(state=state)
    if state is State.ENDED:
        with pytest.raises(Conflict, match="Nothing was changed"):
            the_entry.moved(how)
        return
    after = the_entry.moved(how)
    assert (after.state, after.version) == (ENTRY_MOVES.table[state, how], the_entry.version + 1)


def test_an_entry_ends_once_with_why_and_when() -> None:
    ended = entry(state=State.LIVE).ended(EndReason.GONE, NOW)
    assert (ended.state, ended.end_reason, ended.ended_at) == (State.ENDED, EndReason.GONE, NOW)
    with pytest.raises(Conflict):
        ended.ended(EndReason.REVOKED, NOW)


@pytest.mark.parametrize("state", RoundState)
def test_a_round_that_is_over_moves_no_more_and_one_is_closed_only_after_it_was_settled(state: RoundState) -> None:
    moves = ROUND_MOVES.of(state)
    assert bool(moves) == (state in (RoundState.OPEN, RoundState.SETTLING))
    assert (RoundMove.CLOSE in moves) == (state is RoundState.SETTLING)
    for how in set(RoundMove) - set(moves):
        with pytest.raises(Conflict, match=how):
            ROUND_MOVES.after(state, how)
