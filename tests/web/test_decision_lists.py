"""Lists of decisions: what is written is read back, in any order of columns; a line that is none is named."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.errors import Invalid
from openlatch.web.reviews.decision_lists import FIELDS, read
from openlatch.wire.messages import DecisionLine

words = st.text(st.characters(codec="utf-8", exclude_categories=["Cc", "Cs"]), max_size=20).map(str.strip)
lines = st.builds(
    DecisionLine,
    place=st.integers(1, 100_000),
    entry=st.just("7Q4K-BRM2"),
    choice=st.sampled_from(["keep", "narrow", "end-on", "end-now", "pass-on"]),
    reason=words,
    level=words,
    until=st.none() | st.dates(),
    to=words,
)


@given(st.lists(lines, min_size=1, max_size=6), st.permutations(FIELDS), st.integers(0, 3))
def test_what_is_filled_in_is_read_back_whatever_the_order_of_columns_and_lines_left_empty(
    decided: list[DecisionLine], columns: list[str], empty: int
) -> None:
    def row(line: DecisionLine) -> list[str]:
        return [str(getattr(line, name) or "") for name in columns]

    blank = [["1" if name == "place" else "" for name in columns]] * empty
    rows = [(n, cells) for n, cells in enumerate([columns, *blank, *map(row, decided)], start=1)]
    assert read(rows) == [(empty + 2 + n, line) for n, line in enumerate(decided)]


@given(st.lists(st.tuples(lines, st.booleans()), min_size=1, max_size=6).filter(lambda all_: any(b for _, b in all_)))
def test_every_line_that_is_no_decision_is_named_by_its_number(several: list[tuple[DecisionLine, bool]]) -> None:
    rows = [(1, list(FIELDS))]
    for number, (line, bad) in enumerate(several, start=2):
        cells = [str(getattr(line, name) or "") for name in FIELDS]
        rows.append((number, ["perhaps" if name == "choice" and bad else cells[n] for n, name in enumerate(FIELDS)]))
    with pytest.raises(Invalid, match="Nothing was decided") as refused:
        read(rows)
    wrong = [f"line {number}" for number, (_, bad) in enumerate(several, start=2) if bad]
    assert [value["at"] for value in refused.value.fields["errors"]] == wrong


@pytest.mark.parametrize("rows", [[], [(1, ["place", "entry"])], [(1, list(FIELDS))], [(1, list(FIELDS)), (2, [])]])
def test_a_list_without_a_decision_is_refused(rows: list[tuple[int, list[str]]]) -> None:
    with pytest.raises(Invalid, match="Nothing was decided"):
        read(rows)
