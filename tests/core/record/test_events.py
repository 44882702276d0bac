"""Events in words: what nobody reads is left out, days are those of the workspace."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.record.events import SAID, detail


def test_what_nobody_reads_is_left_out_and_what_is_nested_is_laid_flat() -> None:
    facts = {
        "evidence": "01a20770-83d3-7bfe-92ae-3ab012e34b9d",
        "plan": "5" * 64,
        "signed": f"{'e' * 30}.{'y' * 90}.{'J' * 86}",
        "reason": "",
        "gone": 0,
        "already": False,
        "new": 7,
        "powers": ["view", "edit"],
        "facts": {"last_used": "2026-04-23T22:46:23+00:00", "limit_days": 90},
        "items": [{"place": 1, "entry": "a"}, {"place": 2, "entry": "b"}],
        "receipt": {"did": "end", "remains": []},
    }
    assert detail(facts, "Pacific/Kiritimati") == (
        "new 7 · powers view, edit · last used 24 April 2026, 12:46 · limit days 90 · items 2 · receipt: did end"
    )
    assert "last used 23 April 2026, 18:46" in detail(facts, "America/New_York")


values: st.SearchStrategy[Any] = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=40),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
    max_leaves=8,
)


@given(st.dictionaries(st.text(max_size=8), values, max_size=4))
def test_whatever_was_so_can_be_said(facts: dict[str, Any]) -> None:
    said = detail(facts, "Europe/London")
    assert "{" not in said or "{" in str(facts).replace("{", "", 1)
    assert "None" not in said or "None" in " ".join(_texts(facts))


def _texts(value: object) -> list[str]:
    if isinstance(value, dict):
        return [text for name, each_value in value.items() for text in (name, *_texts(each_value))]
    if isinstance(value, list):
        return [text for each_value in value for text in ("None" if each_value is None else "", *_texts(each_value))]
    return [value] if isinstance(value, str) else []


@pytest.mark.parametrize("act", SAID)
def test_an_act_is_said_in_words_that_begin_a_sentence(act: str) -> None:
    assert SAID[act][0].isupper()
    assert "." not in SAID[act]
    assert list(SAID) == sorted(SAID)
