"""How a provider stands: trouble is never said to be well, and what is well is never said to be trouble."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.model import Provider, Reading
from openlatch.core.providers.standing import IN_ORDER, in_trouble, standing
from openlatch.words import ProviderState, ReadingState
from tests.factories import NOW, PROVIDER, ids

DESK = Provider(PROVIDER, "Ticket Desk", "feed", {}, last_complete=NOW, stale_after=60)
READ = Reading(ids()(), PROVIDER, ReadingState.COMPLETE, "worker", NOW, finished_at=NOW)
providers = st.builds(
    lambda hand, paused, complete: replace(
        DESK,
        connector="by-hand" if hand else "feed",
        paused=paused,
        last_complete=None if complete is None else NOW - timedelta(minutes=complete),
    ),
    st.booleans(),
    st.booleans(),
    st.none() | st.integers(0, 200),
)
readings = st.none() | st.builds(
    lambda state, withheld: replace(READ, state=state, withheld=withheld),
    st.sampled_from(list(ReadingState)),
    st.sampled_from([0, 0, 60]),
)


@given(providers, readings, st.integers(0, 3))
def test_somebody_has_to_see_to_it_unless_it_is_read_complete_and_fresh_or_all_vouched_for(
    provider: Provider, latest: Reading | None, worn_off: int
) -> None:
    state = standing(provider, latest, worn_off, NOW)
    going = latest is not None and latest.finished_at is not None and latest.state in ("queued", "running")
    if provider.by_hand:
        assert in_trouble(state) is (worn_off > 0)
    elif going:
        assert (state, in_trouble(state)) == (ProviderState.READING, False)
    else:
        bad = latest is not None and (latest.withheld or latest.state in ("failed", "partial"))
        assert in_trouble(state) is bool(provider.paused or bad or provider.stale(NOW))
    # What needs no one comes after all that does.
    assert [in_trouble(one) for one in IN_ORDER] == sorted((in_trouble(one) for one in IN_ORDER), reverse=True)


@pytest.mark.parametrize(
    ("provider", "latest", "state"),
    [
        (DESK, READ, "complete"),
        (DESK, None, "complete"),
        (replace(DESK, last_complete=None), None, "not-read"),
        (DESK, replace(READ, state=ReadingState.PARTIAL), "broken-off"),
        (DESK, replace(READ, state=ReadingState.PARTIAL, withheld=60), "not-believed"),
        (replace(DESK, last_complete=NOW - timedelta(hours=2)), READ, "too-old"),
    ],
)
def test_what_it_is_called(provider: Provider, latest: Reading | None, state: str) -> None:
    assert standing(provider, latest, 0, NOW) == state
