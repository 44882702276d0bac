"""Lists as files to keep, and files as lists: CSV, JSON Lines, and spreadsheets."""

from __future__ import annotations

import csv
import io
import itertools
import json
import re
import tempfile
import zipfile
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import TYPE_CHECKING

from openlatch.deferred import deferred
from openlatch.errors import Invalid, Malformed
from openlatch.wire.messages import LISTS, Entry, KeptEntry
from openlatch.wire.sheet import COLUMNS, in_cell, row

if TYPE_CHECKING:
    import openpyxl
else:
    openpyxl = deferred("openpyxl")

__all__ = ["FORMATS", "READABLE", "Format", "Rows", "cells", "headers"]


PIECE = 50
"""So many entries are written down before they are sent."""
READ = 1 << 18


@dataclass(frozen=True, slots=True)
class Format:
    """A way to write entries down."""

    content_type: str
    write: Callable[[Iterable[Entry]], Iterator[bytes]]
    """piece by piece, each as soon as it is there"""


def _csv(entries: Iterable[Entry]) -> Iterator[bytes]:
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")  # as RFC 4180 has it
    writer.writerow(COLUMNS)
    for some in _pieces(entries):
        writer.writerows(row(entry).values() for entry in some)
        yield text.getvalue().encode()
        text.seek(0)
        text.truncate()


def _jsonl(entries: Iterable[Entry]) -> Iterator[bytes]:
    for some in _pieces(entries):
        yield b"".join(entry.model_dump_json().encode() + b"\n" for entry in some)


def _pieces(entries: Iterable[Entry]) -> Iterator[list[Entry]]:
    """Some entries at a time, at least once: a list of nobody has its headings too."""
    lines = iter(entries)
    some = list(itertools.islice(lines, PIECE))
    yield some
    while some := list(itertools.islice(lines, PIECE)):
        yield some


# Letters that no XML 1.0 document may hold, and so no spreadsheet.
_NOT_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")


def _xlsx(entries: Iterable[Entry]) -> Iterator[bytes]:
    """A spreadsheet is packed as a whole at its end; until then its rows lie in a file, and so do its bytes."""
    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet("Inventory")
    sheet.freeze_panes = "A2"

    def text(value: str) -> openpyxl.cell.WriteOnlyCell:
        cell = openpyxl.cell.WriteOnlyCell(sheet, _NOT_XML.sub("\N{REPLACEMENT CHARACTER}", value)[:32767])
        cell.data_type = "s"  # a text, whatever it begins with
        return cell

    sheet.append([text(name) for name in COLUMNS])
    for entry in entries:
        sheet.append([text(value) for value in row(entry).values()])
    with tempfile.TemporaryFile() as file:
        book.save(file)
        file.seek(0)
        while piece := file.read(READ):
            yield piece


FORMATS: Mapping[str, Format] = {
    "csv": Format("text/csv; charset=utf-8", _csv),
    "jsonl": Format("application/jsonl", _jsonl),
    "xlsx": Format(LISTS["xlsx"], _xlsx),
}
"""The formats in which a list can be kept."""

_MOST_UNPACKED = 256 * 1024 * 1024
_MOST_ROWS = 200_000
Rows = list[tuple[int, list[str]]]


def _unreadable(problem: str, next_step: str) -> Malformed:
    return Malformed(f"The list cannot be read: {problem}. Nothing was changed.", next_step=next_step)


def _rows_of_csv(content: bytes) -> Rows:
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = content.count(b"\n", 0, error.start) + 1
        raise _unreadable(
            f"line {line} is not UTF-8", "Save it as CSV in UTF-8, or as a spreadsheet (.xlsx), and import that."
        ) from error
    first = text.partition("\n")[0]
    delimiter = max(",;\t", key=first.count)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    rows: Rows = []
    before = 0
    try:
        for row in reader:
            # A row may go over several lines; it is named by its first.
            rows.append((before + 1, row))
            before = reader.line_num
            _within(len(rows))
    except csv.Error as error:
        raise _unreadable(f"line {reader.line_num}: {error}", "Check the quotation marks on that line.") from error
    return rows


def _rows_of_xlsx(content: bytes) -> Rows:
    problem = "Save it as a spreadsheet (.xlsx) or as CSV in UTF-8, and import that."
    rows: Rows = []
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            if sum(part.file_size for part in packed.infolist()) > _MOST_UNPACKED:
                raise _unreadable("unpacked, the spreadsheet is larger than 256 MB", "Import it in parts.")
        book = openpyxl.load_workbook(io.BytesIO(content), read_only=True, data_only=True)
        if not book.worksheets:
            raise _unreadable("the spreadsheet has no sheet", problem)
        for number, row in enumerate(book.worksheets[0].iter_rows(values_only=True), 1):
            cells = [_shown(value) for value in row]
            while cells and not cells[-1]:
                cells.pop()
            if rows and cells:
                # A spreadsheet has no short rows: what is not written down is empty.
                cells += [""] * (len(rows[0][1]) - len(cells))
            rows.append((number, cells))
            _within(len(rows))
    except Malformed:
        raise
    except Exception as error:  # the library lets through whatever its parts raise on a file that is none
        raise _unreadable("it is not a spreadsheet, or a damaged one", problem) from error
    return rows


def _within(rows: int) -> None:
    if rows > _MOST_ROWS:
        raise _unreadable(f"it has more than {_MOST_ROWS} lines", "Import it in parts.")


def _shown(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        midnight = (value.hour, value.minute, value.second, value.microsecond) == (0, 0, 0, 0)
        return value.date().isoformat() if midnight else value.isoformat()
    if isinstance(value, date):
        return value.isoformat()
    return str(int(value)) if isinstance(value, float) and value.is_integer() else str(value)


READABLE: Mapping[str, Callable[[bytes], Rows]] = {
    LISTS["csv"]: _rows_of_csv,
    LISTS["xlsx"]: _rows_of_xlsx,
}
"""What can be imported: content types, with what reads each as numbered rows of texts."""


def headers(text: str) -> dict[str, str]:
    """Return the fields by header that a query asks for, which are written as a JSON object of texts."""
    if not text:
        return {}
    try:
        found = json.loads(text)
    except (ValueError, RecursionError):
        found = None
    if not isinstance(found, dict) or not all(isinstance(name, str) for name in found.values()):
        raise Invalid(
            "“columns” in the query: it is not a JSON object of texts. Nothing was changed.",
            next_step='Write it such as {"Who": "party", "Until": "ends_at"}.',
            errors=[{"at": "columns", "problem": "not a JSON object of texts"}],
        )
    return found


def cells(body: KeptEntry) -> dict[str, str]:
    """Return an entry to keep by hand as the line that an imported list would have for it."""
    values = {name: getattr(body, name) for name in KeptEntry.model_fields if name != "somebody_else"}
    values["powers"] = ["none"] if body.powers == [] else body.powers
    return {name: in_cell(value) for name, value in values.items()}
