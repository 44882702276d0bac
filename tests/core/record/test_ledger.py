"""The log: one canonical form, and no change that goes unnoticed."""

from __future__ import annotations

from typing import Any

import pytest
import rfc8785
from hypothesis import assume, given
from hypothesis import strategies as st

from openlatch.core.record.heads import Checked, checked
from openlatch.core.record.ledger import START, Sealed, canonical, link
from openlatch.errors import Invalid

keys = st.text(st.characters(min_codepoint=32, max_codepoint=126), max_size=8)
plain = (
    st.none() | st.booleans() | st.integers(-(2**53) + 1, 2**53 - 1) | st.text(st.characters(exclude_categories=["Cs"]))
)
values = st.recursive(plain, lambda inner: st.lists(inner, max_size=4) | st.dictionaries(keys, inner, max_size=4))
contents = st.dictionaries(keys, values, max_size=5)


def sealed(contents: list[dict[str, Any]]) -> list[Sealed]:
    last, log = START, []
    for number, content in enumerate(contents, 1):
        last = link(last, content)
        log.append(Sealed(number, content, last))
    return log


@given(contents)
def test_the_canonical_form_is_that_of_rfc_8785(content: dict[str, Any]) -> None:
    assert canonical(content) == rfc8785.dumps(content)


@pytest.mark.parametrize("content", [{"a": 0.5}, {"a": [2**53]}, {"é": 1}, {"a": {"b": [-(2**60)]}}])
def test_what_has_no_exact_form_is_refused(content: dict[str, Any]) -> None:
    with pytest.raises(Invalid):
        canonical(content)


@given(st.lists(contents, max_size=6))
def test_an_untouched_log_holds(log: list[dict[str, Any]]) -> None:
    events = sealed(log)
    assert checked(events) == Checked(len(log), events[-1].link if events else START)


@given(st.lists(contents, min_size=1, max_size=6), contents, st.data())
def test_any_change_is_found_at_its_place(
    log: list[dict[str, Any]], other: dict[str, Any], data: st.DataObject
) -> None:
    events = sealed(log)
    at = data.draw(st.integers(0, len(log) - 1))
    assume(canonical(other) != canonical(log[at]))
    forged = [*events[:at], Sealed(at + 1, other, events[at].link), *events[at + 1 :]]
    found = checked(forged)
    assert (found.held, found.broken.number if found.broken else None) == (at, at + 1)


@given(st.lists(contents, min_size=2, max_size=6, unique_by=canonical), st.data())
def test_what_is_taken_out_or_swapped_is_found(log: list[dict[str, Any]], data: st.DataObject) -> None:
    events = sealed(log)
    at = data.draw(st.integers(0, len(log) - 2))
    without = [*events[:at], *events[at + 1 :]]
    renumbered = sealed(log[:at] + log[at + 1 :])
    swapped = [*events[:at], events[at + 1], events[at], *events[at + 2 :]]
    assert checked(without).broken is not None
    assert checked(swapped).broken is not None
    # Whoever seals anew what is left gets other links than those that were kept elsewhere.
    assert renumbered[-1].link not in {event.link for event in events}
