"""Events in words: what nobody reads is left out, days are those of the workspace."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.record.events import SAID, detail, more, sentence


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
def test_an_act_is_a_sentence_whatever_is_known_of_it(act: str) -> None:
    assert list(SAID) == sorted(SAID)
    bare = sentence(act, "South Dome", {}, "Europe/London")
    assert bare[0].isupper()
    assert not set(bare) & set("{}[]|"), "every slot is filled, and every part that may be left out is"
    assert not bare.endswith((",", ":", "."))


@given(st.sampled_from(sorted(SAID)), st.dictionaries(st.text(max_size=8), values, max_size=4))
def test_a_sentence_tells_a_fact_once(act: str, facts: dict[str, Any]) -> None:
    """What the sentence says is not said again beside it, and what it does not say is."""
    said = {"name": "Rowan Quill", "reason": "Course over", "why": "Holiday", "level": "guide", "until": "then"} | facts
    sentence_ = sentence(act, "it", said, "Europe/London")
    beside = more(act, said, "Europe/London")
    for name in ("name", "reason", "why", "level", "until"):
        if name not in facts:
            assert (said[name] in sentence_) != (f"{name} {said[name]}" in beside)


def test_a_sentence_counts_and_leaves_out_what_is_empty() -> None:
    def said(act: str, **facts: Any) -> str:
        return sentence(act, "Everybody outside", facts, "Europe/London")

    assert (
        said("round.opened", review="Everybody outside", items=53) == "Opened a round of “Everybody outside” (53 items)"
    )
    assert said("round.closed", items=1) == "Closed a round of “Everybody outside” (1 item)"
    assert said("round.decided", items=[{"place": 1}, {"place": 2}], choice="end") == (
        "Decided on 2 items of a round of “Everybody outside”: end"
    )
    assert said("reading.complete", new=2, changed=0, gone=1) == "Read Everybody outside, 2 new, 1 gone"
    named = {"rule": "no-end", "title": "Without an end"}
    assert said("flag.raised", rule="no-end") == "Raised the flag “no-end” on Everybody outside", "of an older log"
    assert said("flag.accepted", **named, why="Course", until="2026-05-01T23:00:00+00:00") == (
        "Accepted the flag “Without an end” on Everybody outside until 1 May 2026: Course"
    ), "an end at midnight is the day before"
    assert said("person.role-changed", before="member", after="reviewer") == (
        "Changed the role of Everybody outside from member to reviewer"
    )


def test_an_act_of_another_version_is_said_by_its_name() -> None:
    facts = {"reason": "Kept from before"}
    assert sentence("gift.made", "it", facts, "UTC") == "gift.made"
    assert more("gift.made", facts, "UTC") == "reason Kept from before"


def test_what_was_before_stands_beside_what_is_after() -> None:
    facts = {
        "before": {"level": "guide", "ends_at": None},
        "after": {"level": "keeper", "ends_at": "2026-05-01T12:00:00Z"},
    }
    assert detail(facts, "Europe/London") == "level: guide → keeper · ends at: nothing → 1 May 2026, 13:00"
