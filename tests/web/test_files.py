"""Files: whatever a provider wrote comes out as text in every cell, and never as a formula."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator
from datetime import UTC, date, datetime, time
from uuid import UUID
from zoneinfo import ZoneInfo

import openpyxl
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from openlatch.cli.inventory import cells
from openlatch.core import model as core
from openlatch.core.hours import Hours, Window
from openlatch.core.inventory.import_rows import FIELDS
from openlatch.core.inventory.imports import Imported, read_list
from openlatch.core.inventory.reconcile import Held, reconcile
from openlatch.core.inventory.sheets import Form
from openlatch.core.powers import ORDER, in_order
from openlatch.core.record.secrecy import holds_secret
from openlatch.errors import Malformed
from openlatch.operations.inventory.entries import Sight
from openlatch.store.inventory.entries import Listed
from openlatch.web.files import entries_kept
from openlatch.web.inventory.entry_render import entry_of
from openlatch.web.sheets import READABLE, rows
from openlatch.wire.inventory.columns import COLUMNS as HEADINGS
from openlatch.wire.inventory.sheet import COLUMNS, LEFT_OUT, row
from openlatch.wire.messages import LISTS, Entry, Written
from openlatch.words import Kind
from tests.factories import NOW, PROVIDER, account, entry, ids, party

# No control characters beyond the usual ones: PostgreSQL keeps no NUL, and a spreadsheet none of the others.
words = st.text(st.characters(exclude_categories=["Cs", "Cc"], exclude_characters="\ufffe\uffff"), max_size=20)
evil = st.sampled_from(["=1+1", "+cmd|' /C calc'!A0", "-2", "@SUM(A1)", '=HYPERLINK("http://x")', '",\n=1']) | words


def made(name: str, level: str, basis: str) -> Entry:
    who = party(name=name, id=UUID(int=3))
    the_entry = entry(level=level, basis=basis, party_id=who.id)
    return shown(the_entry, who)


def shown(the_entry: core.Entry, who: core.Party, where: core.Account | None = None) -> Entry:
    provider = core.Provider(PROVIDER, "Members' Letter", core.BY_HAND, {})
    return entry_of(Sight(Listed(the_entry, who, where or account(), provider, severity=0, outside=False), ()))


def written(name: str, entries: list[Entry], *, zone: str = "UTC", separator: str = "comma") -> Iterator[bytes]:
    how = Written.model_validate({"format": name, "separator": separator})
    return entries_kept(how, entries, zone).pieces


def text_of(value: object) -> str:
    """A cell as CSV has it: a date is an instant in UTC."""
    return value.replace(tzinfo=UTC).isoformat() if isinstance(value, datetime) else str(value or "")


@given(st.lists(st.builds(made, evil, evil, evil), max_size=4))
def test_no_cell_of_any_file_is_a_formula_and_none_is_lost(entries: list[Entry]) -> None:
    text = b"".join(written("csv", entries)).decode()
    rows = list(csv.DictReader(io.StringIO(text, newline="")))
    assert rows == [row(each_entry) for each_entry in entries]
    assert not [
        cell for each_row in rows for cell in each_row.values() if cell.startswith(("=", "+", "-", "@", "\t", "\r"))
    ]
    for each_entry, line in zip(entries, rows, strict=True):
        assert line["level"].removeprefix("'") == each_entry.level.removeprefix("'")
    sheet = openpyxl.load_workbook(io.BytesIO(b"".join(written("xlsx", entries)))).active
    assert [cell.value for cell in next(sheet.iter_rows(max_row=1))] == list(COLUMNS)
    lines = list(sheet.iter_rows(min_row=2))
    assert "f" not in {cell.data_type for line in lines for cell in line}
    assert [[text_of(cell.value) for cell in line] for line in lines] == [
        list(row(each_entry).values()) for each_entry in entries
    ]
    again = [Entry.model_validate_json(line) for line in b"".join(written("jsonl", entries)).splitlines()]
    assert again == entries


@given(
    st.datetimes(datetime(1950, 1, 1), datetime(2200, 1, 1), timezones=st.just(UTC)),  # noqa: DTZ001
    st.sampled_from(["UTC", "Europe/London", "America/New_York", "Pacific/Kiritimati", "Asia/Kolkata"]),
)
def test_a_date_of_a_spreadsheet_is_a_date_that_means_the_same_instant(at: datetime, zone: str) -> None:
    """Also at midnight, which by itself would be a day, and in an hour that there is twice, which is a text."""
    at = at.replace(microsecond=0)
    for instant in (at, datetime.combine(at.astimezone(ZoneInfo(zone)), time(), ZoneInfo(zone)).astimezone(UTC)):
        the_entry = shown(entry(ends_at=instant, given_at=None, kind=Kind.GRANT), party())
        content = b"".join(written("xlsx", [the_entry], zone=zone))
        sheet = openpyxl.load_workbook(io.BytesIO(content)).active
        value = sheet.cell(2, COLUMNS.index("ends_at") + 1).value
        meant = value.replace(tzinfo=ZoneInfo(zone)) if isinstance(value, datetime) else datetime.fromisoformat(value)
        assert meant == instant
        assert sheet.auto_filter.ref == f"A1:{sheet.cell(1, len(COLUMNS)).coordinate[:-1]}2"
        seen = taken("xlsx", content, zone=zone).observation.entries
        assert [each.ends_at for each in seen] == [instant]


@given(st.lists(st.builds(made, evil, evil, evil), max_size=3), st.sampled_from(["semicolon", "tab"]))
def test_another_separator_changes_nothing_of_what_is_said(entries: list[Entry], separator: str) -> None:
    content = b"".join(written("csv", entries, separator=separator))
    assert content.startswith(b"\xef\xbb\xbf"), "else a spreadsheet does not take it for UTF-8"
    sign = {"semicolon": ";", "tab": "\t"}[separator]
    lines = csv.DictReader(io.StringIO(content.decode("utf-8-sig"), newline=""), delimiter=sign)
    assert list(lines) == [row(each_entry) for each_entry in entries]


def test_objects_with_the_names_of_columns_are_a_list_and_others_are_refused_with_their_line() -> None:
    some = (
        b'{"account": "Gate", "party": "Orla Finch", "powers": ["view", "edit"]}\n\n{"account": "Shop", "level": 3}\n'
    )
    (sheet,) = READABLE[LISTS["jsonl"]](some)
    assert [line.cells for line in sheet.lines] == [
        ("account", "party", "powers", "level"),
        ("Gate", "Orla Finch", "view; edit", ""),
        ("Shop", "", "", "3"),
    ]
    assert "line 2" in sheet.remarks[-1]
    for wrong in (b'{"account": "Gate"}\n[1]\n', b'{"account": "Gate"}\n{nope}\n', b"{}\n" + b"[" * 100_000):
        with pytest.raises(Malformed, match="line 2"):
            READABLE[LISTS["jsonl"]](wrong)


def test_a_letter_that_no_spreadsheet_can_hold_does_not_spoil_the_file() -> None:
    content = b"".join(written("xlsx", [made("Orla\ufffe", "\x0bguide\uffff", "=1")]))
    sheet = openpyxl.load_workbook(io.BytesIO(content)).active
    cells = [cell.value for cell in next(sheet.iter_rows(min_row=2))]
    assert {"Orla\N{REPLACEMENT CHARACTER}", "\N{REPLACEMENT CHARACTER}guide\N{REPLACEMENT CHARACTER}"} <= set(cells)


lines = evil.map(lambda text: text.strip() or "guide").filter(lambda text: not holds_secret(text))
# A date of a spreadsheet is one to the second.
moments = st.datetimes(datetime(1990, 1, 1), datetime(2200, 1, 1), timezones=st.just(UTC)).map(  # noqa: DTZ001
    lambda at: at.replace(microsecond=0)
)
instants = st.none() | moments
uses = st.datetimes(datetime(1990, 1, 1), datetime(2026, 5, 10), timezones=st.just(UTC)).map(  # noqa: DTZ001
    lambda at: at.replace(microsecond=0)
)
powers = st.lists(st.sampled_from(ORDER)).map(in_order)
kept = st.builds(
    entry,
    by_hand=st.just(value=True),
    kind=st.sampled_from(Kind),
    level=lines,
    powers=powers,
    permissions=st.lists(lines, unique=True).map(tuple),
    resources=st.lists(lines, unique=True).map(tuple),
    given_at=instants,
    given_by=lines,
    last_used=st.none() | uses,
    use_known=st.booleans(),
    uses=st.none() | st.dictionaries(st.sampled_from(ORDER), uses, min_size=1),
    ends_at=instants,
    end_unknown=st.booleans(),
    hours=st.none() | st.just(Hours("Europe/London", (Window(frozenset({1, 4}), time(19), time(4)),))),
    reviewed_at=st.lists(moments, unique=True).map(lambda the_moments: tuple(sorted(the_moments))),
    basis=lines,
    hangs_on=st.none() | lines,
    dependencies=st.lists(st.builds(core.Dependency, st.just("payment"), st.just("the gate"), instants)).map(tuple),
    device=lines,
    network=lines,
).filter(
    lambda the_entry: the_entry.ends_at is None or the_entry.given_at is None or the_entry.given_at < the_entry.ends_at
)


def taken(name: str, content: bytes, zone: str = "Europe/London") -> Imported:
    sheets = READABLE[LISTS[name]](content)
    imported_list = read_list(sheets, Form(), zone=zone, provider="Members' Letter", now=NOW)
    assert (imported_list.complaints, imported_list.notes) == ((), ())
    return imported_list


@given(
    st.sampled_from(["csv", "jsonl", "xlsx"]),
    st.lists(st.tuples(kept, lines), max_size=3, unique_by=lambda pair: pair[0].key),
)
def test_what_was_exported_is_imported_again_without_loss(name: str, made: list[tuple[core.Entry, str]]) -> None:
    assume(made or name != "jsonl")  # a list of no objects has no names
    entries = [
        shown(the_entry, party(name=f"{n} {who}", addresses=(f"p{n}@kestrelridge.example",)), account(name=who))
        for n, (the_entry, who) in enumerate(made)
    ]
    seen = taken(name, b"".join(written(name, entries, zone="Europe/London"))).observation
    changes = reconcile(Held(PROVIDER), seen, now=NOW, new_id=ids())
    parties = {p.id: p for p in changes.new_parties}
    accounts = {a.id: a for a in changes.new_accounts}
    again = [shown(e, parties[e.party_id], accounts[e.account_id]) for e in changes.new_entries]
    told = [{field: row(each_entry)[field] for field in FIELDS} for each_entry in again]
    # A use that is known once is known: that is the one fact which an import adds.
    assert told == [
        {field: row(each_entry)[field] for field in FIELDS} | ({"use_known": "yes"} if each_entry.last_used else {})
        for each_entry in entries
    ]
    assert taken(name, b"".join(written(name, again, zone="Europe/London"))).observation == seen or any(
        each_entry.last_used for each_entry in entries
    )


@pytest.mark.parametrize(
    ("name", "content", "problem"),
    [
        ("csv", b"\x00\x01\x02\xff\x00", "it is not text"),
        ("csv", b"\xff\xfeA", "damaged UTF-16"),
        ("csv", b'Account,Who\n"Gate,Orla\n', "line 2"),
        ("xlsx", b"Account,Who\nGate,Orla\n", "not a spreadsheet"),
        ("xlsx", b"PK\x03\x04 and nothing more", "not a spreadsheet"),
    ],
)
def test_a_file_that_is_none_is_refused_with_the_place(name: str, content: bytes, problem: str) -> None:
    with pytest.raises(Malformed, match=problem):
        READABLE[LISTS[name]](content)


def test_lists_are_read_whatever_separates_their_cells() -> None:
    for text in ("Account;Who\r\nGate;Orla\r\n", "\ufeffAccount\tWho\nGate\tOrla\n"):
        assert rows(READABLE["text/csv"](text.encode())) == [(1, ["Account", "Who"]), (2, ["Gate", "Orla"])]
    titled = "Keys of the ridge\nAccount;Who;Until\nGate;Orla, of the crew;\n"
    assert rows(READABLE["text/csv"](titled.encode()))[2] == (3, ["Gate", "Orla, of the crew", ""])


@pytest.mark.parametrize(("code", "told"), [("cp1252", True), ("utf-16", False), ("utf-8", False)])
def test_lists_are_read_in_whatever_letters_they_were_saved_and_a_guess_is_said(code: str, told: bool) -> None:
    (sheet,) = READABLE["text/csv"]("Konto;Wer\r\nTür;André\r\n".encode(code))
    assert sheet.lines[1].cells == ("Tür", "André")
    assert bool(sheet.remarks) is told


def test_a_spreadsheet_is_seen_as_a_person_sees_it() -> None:
    book = openpyxl.Workbook()
    cover, sheet = book.worksheets[0], book.create_sheet("Keys")
    cover.title, book.create_sheet("Old").sheet_state = "Cover", "hidden"
    sheet.append(["Account", "Who", "Until"])
    sheet.append(["Gate", "Orla", date(2026, 12, 31)])
    sheet.append([None, "Dov", "=A1"])
    sheet.append(["Shop", "Edda", None])
    sheet.append(["Shop", "Finn", 12])
    sheet.merge_cells("A2:A3")
    sheet.row_dimensions[4].hidden = True
    for place in (1, 2, 3):
        sheet.cell(5, place).font = openpyxl.styles.Font(strike=True)
    file = io.BytesIO()
    book.save(file)
    seen = READABLE[LISTS["xlsx"]](file.getvalue())
    assert [(sheet.name, sheet.hidden) for sheet in seen] == [("Cover", False), ("Keys", False), ("Old", True)]
    lines = seen[1].lines
    assert [line.cells for line in lines[1:]] == [
        ("Gate", "Orla", "2026-12-31"),
        ("Gate", "Dov", ""),
        ("Shop", "Edda", ""),
        ("Shop", "Finn", "12"),
    ]
    assert (lines[2].filled, lines[2].unknown) == (frozenset({0}), frozenset({2})), "merged; a formula with no result"
    assert [(line.hidden, line.struck) for line in lines[3:]] == [(True, False), (False, True)]


def test_whatever_an_entry_says_is_in_a_sheet_or_left_out_on_purpose() -> None:
    assert set(Entry.model_fields) - set(COLUMNS) == LEFT_OUT
    assert {"vouched_at", "vouched_by"} <= set(COLUMNS)


def test_the_command_line_has_every_column_but_the_one_that_is_a_drawing() -> None:
    assert {column.key for column in cells.COLUMNS} == set(HEADINGS) - {"span"}
