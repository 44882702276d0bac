"""How lists are printed: whole addresses and short forms at any width, and flat columns for programs."""

from __future__ import annotations

import csv
import io
import re

from hypothesis import given
from hypothesis import strategies as st
from pydantic import BaseModel
from rich.console import Console

from openlatch.cli.columns import Column, chosen
from openlatch.cli.table import print_table
from openlatch.wire import messages as wire
from openlatch.wire.flat import header, row

LETTERS = st.text("abcdefghijklmnopqrstuvwxyz", min_size=1, max_size=12)
REFS = st.text("0123456789ABCDEFGHJKMNPQRSTVWXYZ", min_size=8, max_size=8).map(lambda ref: f"{ref[:4]}-{ref[4:]}")
ADDRESSES = st.builds(lambda name, host: f"{name}@{host}.example", LETTERS, LETTERS)
PROSE = st.lists(LETTERS, min_size=0, max_size=30).map(" ".join)
ROWS = st.lists(st.tuples(REFS, LETTERS, ADDRESSES, PROSE, LETTERS), min_size=1, max_size=5)
COLUMNS = (
    Column.ref(lambda row: row[0]),
    Column.who("who", lambda row: row[1]),
    Column.address("address", lambda row: row[2]),
    Column.prose("reason", lambda row: row[3]),
    Column("state", lambda row: row[4]),
)
MODELS = sorted(
    {each for each in map(vars(wire).get, wire.__all__) if isinstance(each, type)}, key=lambda m: m.__name__
)


def printed(rows: list[tuple[str, ...]], width: int) -> str:
    to = Console(file=io.StringIO(), width=width, highlight=False, markup=False)
    print_table(to, COLUMNS, [[column.says(row) for column in COLUMNS] for row in rows])
    text: str = to.file.getvalue()  # type: ignore[attr-defined]
    return text


@given(ROWS, st.integers(48, 240))
def test_no_short_form_and_no_address_is_cut_or_broken_however_narrow_the_terminal_is(
    rows: list[tuple[str, ...]], width: int
) -> None:
    said = printed(rows, width)
    for ref, name, address, *_ in rows:
        assert ref in said
        assert name in said
        assert address in said
    assert max(len(line) for line in said.splitlines()) <= width


@given(ROWS)
def test_where_there_is_room_every_thing_is_one_line_of_a_table(rows: list[tuple[str, ...]]) -> None:
    head, *lines = printed(rows, 2000).splitlines()
    assert head.split() == [column.heading for column in COLUMNS]
    assert len(lines) == len(rows)


def test_a_cell_with_brackets_is_printed_as_it_is() -> None:
    said = printed([("7Q4K-BRM2", "[bold]x[/bold]", "a@b.example", "[link=x]y", "live")], 200)
    assert "[bold]x[/bold]" in said
    assert "[link=x]y" in said


@given(st.lists(st.sampled_from([column.key for column in COLUMNS]), min_size=1))
def test_columns_come_as_they_were_asked_for_and_each_once(keys: list[str]) -> None:
    assert [column.key for column in chosen(COLUMNS, ",".join(keys), wide=False)] == list(dict.fromkeys(keys))


@given(st.sampled_from(MODELS))
def test_the_columns_of_a_kind_of_message_are_flat_and_named_once(model: type[BaseModel]) -> None:
    names = header(model)
    assert len(names) == len(set(names))
    assert all(re.fullmatch(r"[a-z_0-9]+(\.[a-z_0-9]+)*", name) for name in names)


def test_every_line_has_every_column_whatever_a_thing_leaves_out() -> None:
    token = {"id": "0190a1b2-0000-7000-8000-000000000001", "name": "=cmd()", "scope": "read"}
    some = wire.Token.model_validate(
        {
            **token,
            "created_at": "2026-05-01T08:00:00Z",
            "expires_at": "2026-06-01T08:00:00Z",
            "last_used_at": None,
            "revoked_at": None,
        }
    )
    flat = row(some)
    assert list(flat) == header(wire.Token)
    assert flat["last_used_at"] == ""
    assert not flat["name"].startswith("="), "no program takes it for a formula"
    out = io.StringIO()
    csv.DictWriter(out, header(wire.Token)).writerow(flat)
    assert len(next(csv.reader([out.getvalue()]))) == len(header(wire.Token))
