"""Files: whatever a provider wrote comes out as text in every cell, and never as a formula."""

from __future__ import annotations

import csv
import io
from uuid import UUID

import openpyxl
from hypothesis import given
from hypothesis import strategies as st

from openlatch.operations.entries import Sight
from openlatch.store.entries import Listed
from openlatch.web import render
from openlatch.web.files import FORMATS
from openlatch.wire.messages import Entry
from openlatch.wire.sheet import COLUMNS, row
from tests.factories import account, entry, party

# No control characters beyond the usual ones: PostgreSQL keeps no NUL, and a spreadsheet none of the others.
words = st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=20)
evil = st.sampled_from(["=1+1", "+cmd|' /C calc'!A0", "-2", "@SUM(A1)", '=HYPERLINK("http://x")', '",\n=1']) | words


def made(name: str, level: str, basis: str) -> Entry:
    who = party(name=name, id=UUID(int=3))
    one = entry(level=level, basis=basis, party_id=who.id)
    return render.entry(Sight(Listed(one, who, account(), "Ticket Desk", severity=0, outside=False), ()))


@given(st.lists(st.builds(made, evil, evil, evil), max_size=4))
def test_no_cell_of_any_file_is_a_formula_and_none_is_lost(entries: list[Entry]) -> None:
    text = FORMATS["csv"].write(entries).decode()
    rows = list(csv.DictReader(io.StringIO(text, newline="")))
    assert rows == [row(one) for one in entries]
    assert not [cell for one in rows for cell in one.values() if cell.startswith(("=", "+", "-", "@", "\t", "\r"))]
    for one, cells in zip(entries, rows, strict=True):
        assert cells["level"].removeprefix("'") == one.level.removeprefix("'")
    sheet = openpyxl.load_workbook(io.BytesIO(FORMATS["xlsx"].write(entries))).active
    assert [cell.value for cell in next(sheet.iter_rows(max_row=1))] == list(COLUMNS)
    lines = list(sheet.iter_rows(min_row=2))
    assert "f" not in {cell.data_type for line in lines for cell in line}
    assert [[cell.value or "" for cell in line] for line in lines] == [list(row(one).values()) for one in entries]
    again = [Entry.model_validate_json(line) for line in FORMATS["jsonl"].write(entries).splitlines()]
    assert again == entries
