"""How long it is waited before something is tried again."""

from __future__ import annotations

from datetime import timedelta

from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.waits import doubling

spans = st.timedeltas(min_value=timedelta(milliseconds=1), max_value=timedelta(days=1))


@given(spans, spans, st.integers(1, 10_000))
def test_each_wait_is_twice_the_one_before_until_it_is_the_longest(
    first: timedelta, longest: timedelta, attempts: int
) -> None:
    wait, following = doubling(attempts, first, longest), doubling(attempts + 1, first, longest)
    assert doubling(1, first, longest) == min(first, longest)
    assert following == min(2 * wait, longest)
