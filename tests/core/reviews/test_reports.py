"""Reports: what remains is said, and whoever checks one comes to the same digest as whoever signed it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.model import Author
from openlatch.core.reviews.decisions import Decision, Facts
from openlatch.core.reviews.plans import Item
from openlatch.core.reviews.reports import Fact, Report, digest, plain, review_line, rule_counts, what_remains
from openlatch.core.taking_back.settled import LeftOpen
from openlatch.wire.record.signatures import report_digest
from openlatch.words import Choice, Outcome
from tests.factories import NOW, ago, ids

NEW = ids()
FINE = Facts("Orla Finch", "Gate", "Ticket Desk", "delegate", "guide", ("view",), use_known=True, last_used=ago(1))


def item(choice: Choice | None, facts: Facts = FINE, **more: Any) -> Item:
    decision = Decision(choice, Author("Ines Okoro"), NOW, "It is so") if choice else None
    return Item(NEW(), 0, NEW(), NEW(), NEW(), facts, None, decision, **more)


def report(*lines: Any, title: str = "A review") -> Report:
    return Report(
        "review",
        "7Q4K-BRM2",
        title,
        "Kestrel Ridge",
        "Europe/London",
        "closed",
        ago(9),
        NOW,
        (Fact("asked", title),),
        (),
        {"kept": len(lines)},
        {},
        0,
        0,
        None,
        (),
        tuple(lines),
    )


# What JSON and a database can hold: no lone surrogates, no NUL.
words = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"))


@given(words, words)
def test_whoever_checks_a_report_comes_to_the_digest_that_was_signed(title: str, other: str) -> None:
    line = review_line(item(Choice.KEEP), Outcome.KEPT, ("orla@kestrelridge.example",), "Ines Okoro", {}, None)
    made = plain(report(line, title=title))
    assert report_digest(made) == digest(made)
    altered = {**made, "lines": [{**made["lines"][0], "reason": other}]}
    assert (digest(altered) == digest(made)) == (other == "It is so")


@pytest.mark.parametrize(
    ("choice", "against"), [(Choice.KEEP, True), (Choice.END_ON, True), (Choice.NARROW, True), (Choice.END_NOW, False)]
)
def test_a_decision_that_leaves_more_than_was_advised_is_marked(choice: Choice, against: bool) -> None:
    gone = replace(FINE, left=True)
    assert review_line(item(choice, gone), Outcome.KEPT, (), "", {}, None).against_advice is against
    assert not review_line(item(choice), Outcome.KEPT, (), "", {}, None).against_advice


def test_what_is_left_open_remains_and_says_who_sees_to_it() -> None:
    left = LeftOpen("They are away until May", Author("Tobias Quill"), Author("Maren Ashdown"), NOW)
    kept = review_line(item(Choice.KEEP), Outcome.KEPT, (), "", {}, None)
    open_ = review_line(item(Choice.END_NOW, left_open=left), Outcome.LEFT_OPEN, (), "", {}, None)
    (remains,) = what_remains(plain(report(kept, open_))["lines"])
    assert remains["note"] == "They are away until May (Tobias Quill)"


def test_flags_are_counted_by_rule_before_and_after_the_gravest_first() -> None:
    flagged = replace(FINE, flags=(("unused", "medium", "So."), ("open", "critical", "So.")))
    counts = rule_counts([flagged, flagged, FINE], [replace(FINE, flags=flagged.flags[:1])], {"open": "Open to all"})
    told = [(count.rule, count.title, count.then, count.now) for count in counts]
    assert told == [("open", "Open to all", 2, 0), ("unused", "unused", 2, 1)]
