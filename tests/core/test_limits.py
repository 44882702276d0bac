"""Limits on whom an account can be given to."""

from __future__ import annotations

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.limits import Limits, Taken, broken, strictest
from openlatch.words import Power

ME = Taken("me", "Orla Finch", outside=False)
OUTSIDER = Taken("out", "Lantern Works", outside=True)
OTHERS = tuple(Taken(f"p{n}", f"Party {n}", outside=n == 0) for n in range(3))
DAYS = timedelta(days=10)


@pytest.mark.parametrize(
    ("limits", "who", "powers", "lasts", "passed"),
    [
        (Limits(), OUTSIDER, (Power.OWN,), None, []),
        (Limits(most=4), ME, (), DAYS, []),
        (Limits(most=3), ME, (), DAYS, ["most"]),
        (Limits(most=3), OTHERS[1], (), DAYS, []),  # who is in already takes no further place
        (Limits(outsiders=1), ME, (), DAYS, []),
        (Limits(outsiders=1), OUTSIDER, (), DAYS, ["outsiders"]),
        (Limits(outsiders=1), OTHERS[0], (), DAYS, []),
        (Limits(never=frozenset({Power.ADMIT})), ME, (Power.VIEW,), DAYS, []),
        (Limits(never=frozenset({Power.ADMIT})), ME, (Power.ADMIT,), DAYS, ["never"]),
        (Limits(longest=DAYS), ME, (), DAYS, []),
        (Limits(longest=DAYS), ME, (), DAYS + timedelta(seconds=1), ["longest"]),
        (Limits(longest=DAYS), ME, (), None, ["longest"]),
        (Limits(most=1, outsiders=0), OUTSIDER, (), DAYS, ["most", "outsiders"]),
    ],
)
def test_a_limit_is_told_exactly_where_it_would_be_passed(
    limits: Limits, who: Taken, powers: tuple[Power, ...], lasts: timedelta | None, passed: list[str]
) -> None:
    broken_links = broken(limits, "Hill Road display", who, powers, OTHERS, lasts)
    assert [broken_link.limit for broken_link in broken_links] == passed
    assert all("Hill Road display" in broken_link.text and broken_link.next_step for broken_link in broken_links)


LIMITS = st.builds(
    Limits,
    st.none() | st.integers(1, 4),
    st.none() | st.integers(0, 2),
    st.frozensets(st.sampled_from(tuple(Power)), max_size=2),
    st.none() | st.builds(timedelta, days=st.integers(1, 20)),
    st.booleans(),
)


@given(st.lists(LIMITS, max_size=3), st.frozensets(st.sampled_from(tuple(Power))), st.integers(1, 30))
def test_limits_taken_together_break_exactly_where_one_of_them_does(
    several: list[Limits], powers: frozenset[Power], days: int
) -> None:
    def passed(limits: Limits) -> set[str]:
        return {
            broken_link.limit for broken_link in broken(limits, "x", OUTSIDER, powers, OTHERS, timedelta(days=days))
        }

    assert passed(strictest(several)) == set().union(*map(passed, several))
    assert strictest(several).opt_in is any(limits.opt_in for limits in several)
