"""Lists as people keep them: what is no entry is found, shown and left out; nothing is taken or dropped silently."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.inventory.imports import Imported, read_list, shown
from openlatch.core.inventory.sheets import Form, Line, Sheet, headers_of, left_out, signature
from openlatch.words import DayOrder
from tests.factories import NOW

HEADER = ("Account", "Name", "E-mail", "Since", "Until")
ORLA = ("Gate", "Orla Finch", "orla@kestrelridge.example", "2026-01-05", "2026-12-31")
DOV = ("Gate", "Dov Finch", "dov@kestrelridge.example", "2026-02-05", "")


def sheet(*rows: Any, name: str = "", hidden: bool = False) -> Sheet:
    lines = [row if isinstance(row, Line) else Line(number, tuple(row)) for number, row in enumerate(rows, 1)]
    return Sheet(name, tuple(lines), hidden=hidden)


def taken(*sheets: Sheet, form: Form | None = None) -> Imported:
    return read_list(sheets, form or Form(), zone="Europe/London", provider="Letter", now=NOW)


def people(imported_list: Imported) -> list[str]:
    assert not imported_list.complaints, imported_list.complaints
    return [entry.party.removeprefix("hand:").partition("@")[0] for entry in imported_list.observation.entries]


def why(imported_list: Imported) -> dict[int, str]:
    return {note.line: note.why for note in imported_list.notes}


def test_a_title_above_and_a_note_below_are_no_entries() -> None:
    imported_list = taken(
        sheet(
            ("Keys and passwords of the ridge", "", "", "", ""),
            ("", "", "", "", ""),
            HEADER,
            ORLA,
            DOV,
            ("Total", "2", "", "", ""),
            ("Last looked at by Tobias on 3 May", "", "", "", ""),
        )
    )
    assert people(imported_list) == ["orla", "dov"]
    assert imported_list.form.header == 3
    assert why(imported_list) == {6: "looks like a total", 7: "has one cell only, and looks like a note"}


def test_two_lines_name_the_columns_together() -> None:
    top = Line(1, ("Where", "Who", "Who", "Period", "Period"), filled=frozenset({2, 4}))
    imported_list = taken(sheet(top, ("Account", "Name", "E-mail", "From", "Until"), ORLA))
    assert imported_list.form.headers == 2
    assert list(imported_list.columns) == ["Where Account", "Who Name", "Who E-mail", "Period From", "Period Until"]
    assert list(imported_list.columns.values()) == ["account", "party", "addresses", "given_at", "ends_at"]
    assert people(imported_list) == ["orla"]
    alone = taken(sheet(top, ("Account", "Name", "E-mail", "From", "Until"), ORLA), form=Form(header=2, headers=1))
    assert list(alone.columns) == ["Account", "Name", "E-mail", "From", "Until"]


def test_a_line_above_that_names_no_groups_is_no_header() -> None:
    imported_list = taken(sheet(("Access list", "", "", "Printed", "May"), HEADER, ORLA))
    assert (imported_list.form.headers, people(imported_list)) == (1, ["orla"])


def test_hidden_and_struck_lines_are_shown_and_left_out_until_somebody_takes_them() -> None:
    rows = (HEADER, ORLA, Line(3, DOV, hidden=True), Line(4, ("Gate", "Edda", "edda@a.example", "", ""), struck=True))
    assert why(taken(sheet(*rows))) == {3: "hidden in the sheet", 4: "struck through in the sheet"}
    assert people(taken(sheet(*rows), form=Form(hidden=True))) == ["orla", "dov"]
    assert people(taken(sheet(*rows), form=Form(struck=True))) == ["orla", "edda"]
    assert people(taken(sheet(*rows), form=Form(take=frozenset({4})))) == ["orla", "edda"]


def test_what_is_there_twice_is_pointed_out_and_what_contradicts_itself_is_refused() -> None:
    imported_list = taken(sheet(HEADER, ORLA, DOV, ORLA))
    assert (people(imported_list), why(imported_list)) == (["orla", "dov"], {4: "the same as line 2"})
    other = (*ORLA[:4], "2027-12-31")
    (complaint,) = taken(sheet(HEADER, ORLA, other)).complaints
    assert (complaint.line, complaint.problem) == (3, "same access as line 2")
    assert people(taken(sheet(HEADER, ORLA, other), form=Form(skip=frozenset({2})))) == ["orla"]


def test_the_sheet_that_names_most_columns_is_meant_and_a_hidden_one_never() -> None:
    cover, old = sheet(("Read me",), ("Ask Tobias",), name="Cover"), sheet(HEADER, ORLA, DOV, name="2019", hidden=True)
    imported_list = taken(cover, old, sheet(HEADER, DOV, name="Now"))
    assert (imported_list.form.sheet, people(imported_list)) == ("Now", ["dov"])
    assert people(taken(cover, old, form=Form(sheet="2019"))) == ["orla", "dov"]


def test_dates_are_decided_by_their_column_or_asked_about() -> None:
    def of(*untils: str) -> Sheet:
        return sheet(HEADER, *((*ORLA[:1], f"P{n}", f"p{n}@a.example", "", text) for n, text in enumerate(untils)))

    imported_list = taken(of("31/12/2026", "01/02/2027"))
    assert imported_list.orders == {"Until": DayOrder.DAY_FIRST}
    assert imported_list.observation.entries[1].ends_at == datetime(2027, 2, 2, tzinfo=UTC)
    asked = taken(of("01/02/2027", "03/04/2027"))
    assert asked.orders == {"Until": None}
    assert [(c.line, c.column) for c in asked.complaints] == [(1, "Until")]
    said = taken(of("01/02/2027", "03/04/2027"), form=Form(orders={"Until": DayOrder.MONTH_FIRST}))
    assert said.observation.entries[0].ends_at == datetime(2027, 1, 3, tzinfo=UTC)
    (against,) = taken(of("31/12/2026", "12/31/2026")).complaints
    assert (against.line, against.column) == (3, "Until")


def test_what_people_write_for_no_end_and_for_what_nobody_knows() -> None:
    rows = [("Gate", f"P{n}", f"p{n}@a.example", "n/a", end) for n, end in enumerate(("unlimited", "9999-12-31", "?"))]
    imported_list = taken(sheet(HEADER, *rows, Line(5, ("Gate", "P9", "p9@a.example", "", ""), unknown=frozenset({4}))))
    assert not imported_list.complaints
    ends = [(entry.ends_at, entry.end_unknown) for entry in imported_list.observation.entries]
    assert ends == [(None, False), (None, False), (None, True), (None, True)], "a formula without a result is unknown"


@pytest.mark.parametrize(
    ("row", "column", "problem"),
    [
        (("Gate", "Orla", "orla@a.example", "2026-05-01", "2026-04-01"), "Until", "it ends before it begins"),
        (("Gate", "Orla", "orla@a.example", "2026-05-01", "2026-04-30"), "Until", "it ends before it begins"),
        (("do.", "Orla", "orla@a.example", "", ""), "Account", "a ditto mark"),
        (("Gate", "Orla", "orla@a.example; dov@a.example", "", ""), "E-mail", "two addresses in one cell"),
        (("Gate", "Orla", "see the board", "", ""), "E-mail", "neither an address nor a handle"),
        (("Gate", "Orla", "orla@a.example", ""), "", "it has 4 cells only"),
        (Line(2, ("", "Orla", "orla@a.example", "", ""), unknown=frozenset({0})), "Account", "no result"),
    ],
)
def test_what_cannot_be_taken_is_refused_at_its_cell(row: Any, column: str, problem: str) -> None:
    imported_list = taken(sheet(HEADER, row, DOV))
    assert any((c.line, c.column) == (2, column) and problem in c.problem for c in imported_list.complaints), (
        imported_list.complaints
    )
    assert imported_list.observation.entries == ()


def test_a_use_in_the_future_is_refused() -> None:
    imported_list = taken(sheet(("Account", "Name", "Last used"), ("Gate", "Orla", "2031-01-01")))
    assert [c.problem for c in imported_list.complaints] == ["a use in the future"]


def test_a_merged_cell_counts_for_every_line_and_that_is_said() -> None:
    rows = (HEADER, ORLA, Line(3, DOV, filled=frozenset({0})))
    (remark,) = taken(sheet(*rows)).remarks
    assert (remark.line, remark.column) == (3, "Account")


def test_what_is_shown_of_a_sheet_holds_no_password() -> None:
    header = ("Account", "Name", "Password", "Remark")
    line = Line(2, ("Gate", "Orla", "sunflower", "pw is x9"))
    imported_list = taken(sheet(header, line))
    assert shown(imported_list, line) == ["Gate", "Orla", "•••", "•••"]
    assert shown(imported_list, Line(1, header)) == list(header)


def test_lists_of_one_form_are_known_again_whatever_the_order_of_their_columns() -> None:
    assert signature(["Name", "E-mail "]) == signature(["e-mail", "name"]) != signature(["Name"])


CELLS = st.sampled_from(["", "Gate", "Orla", "o@a.example", "Total", "7", "2026-01-01", "01/02/2026", '"', "n/a"])
LINES = st.builds(
    Line,
    st.just(0),
    st.lists(CELLS, min_size=5, max_size=5).map(tuple),
    st.booleans(),
    st.booleans(),
    unknown=st.sets(st.integers(0, 4), max_size=1).map(frozenset),
)


@given(st.lists(LINES, max_size=8), st.booleans(), st.booleans())
def test_every_line_is_an_entry_left_out_with_why_or_complained_about(
    rows: list[Line], hidden: bool, struck: bool
) -> None:
    numbered = [
        Line(number, row.cells, row.hidden, row.struck, unknown=row.unknown) for number, row in enumerate(rows, 2)
    ]
    whole = sheet(HEADER, *numbered)
    form = Form("", 1, 1, hidden=hidden, struck=struck)
    imported_list = taken(whole, form=form)
    out = {note.line for note in left_out(whole, imported_list.form)}
    wanted = {line.number for line in numbered if not line.empty} - out
    if imported_list.complaints:
        assert imported_list.observation.entries == ()
        assert all(c.line in wanted | {0, 1} for c in imported_list.complaints)
    else:
        assert set(imported_list.lines.values()) == wanted, "each line that is not left out is an entry"
    assert out == set(why(imported_list))
    assert len(set(headers_of(whole, imported_list.form))) == len(HEADER)
