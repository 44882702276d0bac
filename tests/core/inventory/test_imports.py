"""Lists kept by people: every complaint names its line, one complaint takes nothing, and a round trip loses nothing."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime, time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.hours import Hours, Window
from openlatch.core.inventory.import_rows import FIELDS, cut_apart, put_together
from openlatch.core.inventory.imports import Imported, read_rows
from openlatch.core.model import Dependency
from openlatch.core.providers.observation import ObservedEntry
from openlatch.words import Power
from tests.factories import NOW

HEADER = ("Account", "Who", "E-mail", "Role", "Until", "Powers", "Favourite star")
LINE = ("Newsletter", "Orla Finch", "orla.finch@kestrelridge.example", "editor", "2026-05-10", "view, edit", "Vega")


def taken(*lines: Sequence[str], header: Sequence[str] = HEADER, columns: dict[str, str] | None = None) -> Imported:
    rows = list(enumerate((header, *lines), 1))
    return read_rows(rows, zone="Europe/London", provider="Letter", now=NOW, columns=columns)


def test_a_sheet_as_people_keep_it_is_understood() -> None:
    imported_list = taken(LINE)
    (entry,) = imported_list.observation.entries
    assert (entry.account, entry.party, entry.level) == ("Newsletter", f"hand:{LINE[2]}", "editor")
    assert entry.powers == (Power.VIEW, Power.EDIT)
    assert entry.ends_at == datetime(2026, 5, 10, 23, tzinfo=UTC), "the last day is meant to its end, in London"
    assert imported_list.columns["Favourite star"] == ""
    assert imported_list.observation.outcome == "partial", "what is not in the list is not thereby gone"


@pytest.mark.parametrize(
    ("column", "value", "problem"),
    [
        ("Until", "2026-05-10T25:00", "2026-05-10"),
        ("Who", '"', "a ditto mark"),
        ("E-mail", "orla@a.example, dov@a.example", "two addresses in one cell"),
        ("E-mail", "ask at the gate", "neither an address nor a handle"),
        ("Until", "2026-02-30", "2026-05-10"),
        ("Powers", "view, fly", "a word of it is not a power"),
        ("Account", "", "no account"),
        ("Role", "x" * 10_001, "10001 letters"),
        ("Role", "a\x00b", "NUL"),
    ],
)
def test_a_complaint_names_its_line_and_column_and_takes_nothing(column: str, value: str, problem: str) -> None:
    bad = tuple(value if name == column else cell for name, cell in zip(HEADER, LINE, strict=True))
    imported_list = taken(("Newsletter", "Dov Finch", "dov.finch@kestrelridge.example", *LINE[3:]), bad)
    assert imported_list.observation.entries == ()
    assert [(c.line, c.column) for c in imported_list.complaints] == [(3, column)]
    assert problem in imported_list.complaints[0].problem


def test_what_cannot_be_told_apart_is_a_complaint() -> None:
    assert "same access as line 2" in taken(LINE, LINE).complaints[0].problem
    both = taken(header=("Account", "Who", "Name"), columns={"Name": "party", "Who": "party"})
    assert "taken for party" in both.complaints[0].problem
    assert taken(header=("Account", "Who", "Name")).columns == {"Account": "account", "Who": "party", "Name": ""}
    assert list(taken(header=("Account", "Who", "Who")).columns) == ["Account", "Who (column B)", "Who (column C)"]
    assert "no column is the account's name" in taken(header=("Who",)).complaints[0].problem
    elsewhere = taken((*LINE[:6], "Ticket Desk"), header=(*HEADER[:6], "provider"))
    assert "another provider than Letter" in elsewhere.complaints[0].problem
    assert "it has 8 cells" in taken((*LINE, "more")).complaints[0].problem
    assert "no such column" in taken(LINE, columns={"Whom": "party"}).complaints[0].problem
    assert "is not a field" in taken(LINE, columns={"Who": "owner"}).complaints[0].problem


def test_a_person_can_say_what_a_column_is() -> None:
    imported_list = taken(LINE, columns={"Favourite star": "basis", "Role": ""})
    assert (imported_list.observation.entries[0].basis, imported_list.observation.entries[0].level) == (
        "Vega",
        "delegate",
    )


TEXT = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\x00"), max_size=12)
NAMED = TEXT.map(str.strip).filter(bool)
TIMES = st.times().map(lambda t: t.replace(second=0, microsecond=0, fold=0))


@given(st.lists(NAMED))
def test_values_put_together_are_cut_apart_again(values: list[str]) -> None:
    assert cut_apart(put_together(values)) == values


@given(
    st.sampled_from(["UTC", "Europe/London", "America/New_York"]),
    st.lists(
        st.builds(Window, st.frozensets(st.integers(0, 6), min_size=1), TIMES, TIMES).filter(
            lambda window: window.start != window.end or window.start == time()
        ),
        min_size=1,
        max_size=3,
    ),
)
def test_hours_are_read_as_they_are_written(zone: str, windows: list[Window]) -> None:
    hours = Hours(zone, tuple(windows))
    assert Hours.parse(hours.written()) == hours


@given(st.text("abc -", min_size=1), st.text("abc ()x:", max_size=9), st.none() | st.datetimes(timezones=st.just(UTC)))
def test_a_dependency_is_read_as_it_is_written(kind: str, what: str, at: datetime | None) -> None:
    dependency = Dependency(kind.strip(), what.strip(), at)
    assert Dependency.parse(dependency.written()) == dependency


@given(st.lists(st.lists(TEXT, max_size=9), max_size=5), st.lists(st.sampled_from([*FIELDS, "x"]), max_size=9))
def test_any_sheet_at_all_gives_entries_or_complaints(rows: list[list[str]], header: list[str]) -> None:
    imported_list = read_rows(list(enumerate([header, *rows], 1)), zone="UTC", provider="Letter", now=NOW)
    assert not (imported_list.complaints and imported_list.observation.entries)
    assert all(c.line <= len(rows) + 1 for c in imported_list.complaints)
    assert len({e.key for e in imported_list.observation.entries}) == len(imported_list.observation.entries)
    assert len(imported_list.observation.entries) <= len(rows)


CANARY = "Gr4phite!Weasel7"
HEADINGS = ["Who", "Address", "Account", "Level", "Password", "Notes", "Powers", "Until", "Hours"]


@given(
    st.lists(
        st.lists(
            st.sampled_from(["", "Orla", "o@a.example", "Gate", "guide", "view", CANARY, f"pw is {CANARY}"]),
            min_size=1,
            max_size=9,
        ),
        min_size=1,
        max_size=4,
    ),
    st.permutations(HEADINGS),
)
def test_no_password_is_taken_or_repeated_wherever_it_stands_and_however_short_the_line_is(
    lines: list[list[str]], headings: list[str]
) -> None:
    rows = [(1, headings), *enumerate(lines, 2)]
    imported_list = read_rows(rows, zone="Europe/London", provider="Letter", now=NOW)
    where = {"account", "level"}
    told = repr((imported_list.complaints, imported_list.remarks, imported_list.columns, imported_list.secrets))
    assert CANARY not in told
    assert imported_list.secrets == ("Password",)
    kept = [
        value
        for entry in imported_list.observation.entries
        for name, value in vars_of(entry).items()
        if name not in where and not name.startswith("key")
    ]
    assert not any(f"pw is {CANARY}" in str(value) for value in kept)
    people = [(p.name, p.addresses) for p in imported_list.observation.parties]
    assert CANARY not in repr(people)
    assert CANARY not in repr([e.basis for e in imported_list.observation.entries])
    short = [line for line, cells in rows[1:] if any(c.strip() for c in cells) and len(cells) < len(headings)]
    assert {c.line for c in imported_list.complaints if "cells only" in c.problem} == set(short)


def vars_of(entry: ObservedEntry) -> dict[str, object]:
    return {name: getattr(entry, name) for name in ObservedEntry.__slots__}
