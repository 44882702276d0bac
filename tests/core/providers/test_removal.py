"""Removing a provider: what is told beforehand, and what its entries are afterwards."""

from __future__ import annotations

import re
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.model import Entry
from openlatch.core.providers.removal import MATTERS, Hindrance, Removal, let_go
from openlatch.core.taking_back.settled import why_gone
from openlatch.words import EndReason, Kind, State
from tests.factories import ago, entry

FEW = st.integers(0, 2000)
STANDING = st.sampled_from([state for state in State if state is not State.ENDED])


@given(st.lists(st.builds(lambda state, kind: entry(state=state, kind=kind), STANDING, st.sampled_from(Kind))))
def test_nothing_of_an_entry_is_lost_but_that_it_stands(entries: list[Entry]) -> None:
    after = let_go(entries, ago(0))
    assert len(after) == len(entries)
    for before, left in zip(entries, after, strict=True):
        assert (left.stands, left.in_doubt, left.ended_at) == (False, True, ago(0))
        back = replace(left, state=before.state, end_reason=None, ended_at=None, version=before.version)
        assert back == before


@given(st.sampled_from(EndReason))
def test_only_of_what_was_removed_it_is_not_said_that_it_ended(reason: EndReason) -> None:
    gone = entry(state=State.ENDED, end_reason=reason, ended_at=ago(1))
    assert gone.in_doubt == (reason is EndReason.PROVIDER_REMOVED) == ("not known" in why_gone(gone))


@given(st.builds(Removal, st.just("Box"), st.booleans(), FEW, FEW, FEW, FEW, FEW))
def test_every_number_is_told_where_there_is_something_and_no_other(removal: Removal) -> None:
    said = " ".join(removal.says)
    told = {int(number.replace(",", "")) for number in re.findall(r"\d[\d,]*", said)}
    of_entries = {removal.entries, removal.accounts} if removal.entries else set()
    others = {number for number in (removal.to_end, removal.nowhere_else, removal.memberships) if number}
    assert told == of_entries | others
    assert ("credentials" in said) != removal.by_hand, "there are none where no reading is made"
    assert re.search(r"\b1 (entries|accounts|parties|memberships)\b", said) is None


@given(st.sampled_from(sorted(MATTERS)), st.integers(1, 9))
def test_a_hindrance_names_some_and_counts_the_rest(matter: str, number: int) -> None:
    hindrance = Hindrance(matter, tuple(f"ref{place}" for place in range(number)))
    assert hindrance.says.startswith(f"{number} ")
    assert len(re.findall(r"ref\d", hindrance.says)) == min(number, 3)
    assert ("more" in hindrance.says) == (number > 3)
    assert hindrance.next_step
