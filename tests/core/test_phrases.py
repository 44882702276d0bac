"""How a sentence lists and counts things."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.phrases import counted, listed


@given(st.integers(0, 10**7))
def test_a_number_is_said_with_its_noun(number: int) -> None:
    one = number == 1
    assert counted(number, "entry") == f"{number:,} {'entry' if one else 'entries'}"
    assert counted(number, "day") == f"{number:,} {'day' if one else 'days'}"
    assert counted(number, "party") == f"{number:,} {'party' if one else 'parties'}"
    assert counted(number, "way in", "ways in") == f"{number:,} {'way' if one else 'ways'} in"


@pytest.mark.parametrize(
    ("things", "said"), [((), "nothing"), (("a",), "a"), (("a", "b"), "a and b"), (("a", "b", "c"), "a, b and c")]
)
def test_things_are_listed_as_one_phrase(things: tuple[str, ...], said: str) -> None:
    assert listed(things) == said
