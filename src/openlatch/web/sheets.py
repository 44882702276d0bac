"""Files as sheets: CSV and spreadsheets as people keep them, with what a person sees in them and a program does not."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import suppress
from datetime import date, datetime
from typing import TYPE_CHECKING, Any

from pydantic import ValidationError

from openlatch.core.inventory.sheets import Line, Sheet
from openlatch.deferred import deferred
from openlatch.errors import Malformed
from openlatch.wire.inventory.sheet import in_cell
from openlatch.wire.inventory.sheet import row as row_of
from openlatch.wire.messages import LISTS, Entry

if TYPE_CHECKING:
    import openpyxl
else:
    openpyxl = deferred("openpyxl")

__all__ = ["READABLE", "Rows", "rows"]

_MOST_UNPACKED = 64 * 1024 * 1024
_MOST_ROWS = 200_000
_LOOKED_AT = 20_000
"""So many letters tell what separates the cells of a CSV file."""
Rows = list[tuple[int, list[str]]]


def _unreadable(problem: str, next_step: str) -> Malformed:
    return Malformed(f"The list cannot be read: {problem}. Nothing was changed.", next_step=next_step)


# CSV


def _sheets_of_csv(content: bytes) -> list[Sheet]:
    text, remarks = _decoded(content)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=_delimiter(text), strict=True)
    lines: list[Line] = []
    before = 0
    try:
        for cells in reader:
            # A row may go over several lines; it is named by its first.
            lines.append(Line(before + 1, tuple(cells)))
            before = reader.line_num
            _within(len(lines))
    except csv.Error as error:
        raise _unreadable(f"line {reader.line_num}: {error}", "Check the quotation marks on that line.") from error
    return [Sheet("", tuple(lines), remarks=remarks)]


def _decoded(content: bytes) -> tuple[str, tuple[str, ...]]:
    """The text of a file, and what has to be said of how it was found."""
    if content.startswith((b"\xff\xfe", b"\xfe\xff")):
        try:
            return content.decode("utf-16"), ()
        except UnicodeDecodeError as error:
            raise _unreadable("it is damaged UTF-16", "Save it as CSV in UTF-8, and import that.") from error
    try:
        return content.decode("utf-8-sig"), ()
    except UnicodeDecodeError:
        pass
    try:
        text, name = content.decode("cp1252"), "Windows-1252"
    except UnicodeDecodeError:
        text, name = content.decode("latin-1"), "Latin-1"
    if any(letter < " " and letter not in "\t\r\n\f" for letter in text):
        raise _unreadable("it is not text", "Save it as CSV in UTF-8, or as a spreadsheet (.xlsx), and import that.")
    return text, (f"it is not in UTF-8, and was read as {name}; look at the letters with accents",)


def _delimiter(text: str) -> str:
    """What separates the cells: what makes most cells of the first rows, in rows that are equally long."""

    def makes(sign: str) -> int:
        rows = csv.reader(io.StringIO(text[:_LOOKED_AT], newline=""), delimiter=sign)
        lengths: Counter[int] = Counter()
        with suppress(csv.Error):
            lengths.update(len(row) for row in rows if row)
        return max(((length - 1) * times for length, times in lengths.items()), default=0)

    return max(",;\t|", key=makes)


# JSON Lines


def _sheets_of_jsonl(content: bytes) -> list[Sheet]:
    """Objects, a line each: entries as they are exported, or objects with the columns of a list as their names."""
    text, remarks = _decoded(content)
    rows: list[dict[str, str]] = []
    for number, line in enumerate(text.splitlines(), 1):
        if line.strip():
            rows.append(_object(number, line))
            _within(len(rows))
    columns = list(dict.fromkeys(name for row in rows for name in row))
    lines = [
        Line(1, tuple(columns)),
        *(Line(n, tuple(row.get(c, "") for c in columns)) for n, row in enumerate(rows, 2)),
    ]
    remarks = (*remarks, "its names are line 1 here, so that its first object is line 2") if rows else remarks
    return [Sheet("", tuple(lines) if rows else (), remarks=remarks)]


def _object(number: int, line: str) -> dict[str, str]:
    try:
        said = json.loads(line)
    except (ValueError, RecursionError) as error:
        raise _unreadable(f"line {number} is not JSON", "Write one object on each line.") from error
    if not isinstance(said, dict):
        raise _unreadable(f"line {number} is not an object", "Write one object on each line.")
    try:
        return row_of(Entry.model_validate(said))
    except ValidationError:
        return {str(name): in_cell(value) for name, value in said.items()}


# Spreadsheets


def _sheets_of_xlsx(content: bytes) -> list[Sheet]:
    problem = "Save it as a spreadsheet (.xlsx) or as CSV in UTF-8, and import that."
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            if sum(part.file_size for part in packed.infolist()) > _MOST_UNPACKED:
                raise _unreadable("unpacked, the spreadsheet is larger than 64 MB", "Import it in parts, or as CSV.")
        book = openpyxl.load_workbook(io.BytesIO(content), data_only=True)
        if not book.worksheets:
            raise _unreadable("the spreadsheet has no sheet", problem)
        formulas = _formulas(content)
        return [_sheet(worksheet, formulas.get(worksheet.title, frozenset())) for worksheet in book.worksheets]
    except Malformed:
        raise
    except Exception as error:  # the library lets through whatever its parts raise on a file that is none
        raise _unreadable("it is not a spreadsheet, or a damaged one", problem) from error


def _formulas(content: bytes) -> dict[str, frozenset[tuple[int, int]]]:
    """The places of the formulas of each sheet, as line and column from 1."""
    book = openpyxl.load_workbook(io.BytesIO(content), read_only=True, data_only=False)
    return {
        sheet.title: frozenset(
            (cell.row, cell.column) for row in sheet.iter_rows() for cell in row if cell.data_type == "f"
        )
        for sheet in book.worksheets
    }


def _sheet(sheet: Any, formulas: frozenset[tuple[int, int]]) -> Sheet:
    _within(sheet.max_row)
    filled = dict(_filled(sheet))
    places: dict[int, set[int]] = {}
    for line, place in filled:
        places.setdefault(line, set()).add(place - 1)
    width = sheet.max_column
    lines: list[Line] = []
    for number, row in enumerate(sheet.iter_rows(), 1):
        cells = [
            _shown(filled.get((number, place), cell.value), timed="h" in (cell.number_format or "").lower())
            for place, cell in enumerate(row, 1)
        ]
        unknown = {place for place, cell in enumerate(row) if cell.value is None and (number, place + 1) in formulas}
        struck = [bool(cell.font and cell.font.strike) for cell in row if cell.value is not None]
        lines.append(
            Line(
                number,
                # A spreadsheet has no short rows: what is not written down is empty.
                tuple(cells + [""] * (width - len(cells))),
                hidden=bool(sheet.row_dimensions[number].hidden) if number in sheet.row_dimensions else False,
                struck=bool(struck) and all(struck),
                filled=frozenset(places.get(number, ())),
                unknown=frozenset(unknown),
            )
        )
    return Sheet(sheet.title, tuple(lines), hidden=sheet.sheet_state != "visible")


def _filled(sheet: Any) -> Iterator[tuple[tuple[int, int], object]]:
    """The places that a merged cell spans beside its first, with its value."""
    for merged in sheet.merged_cells.ranges:
        value = sheet.cell(merged.min_row, merged.min_col).value
        for line in range(merged.min_row, merged.max_row + 1):
            for place in range(merged.min_col, merged.max_col + 1):
                if (line, place) != (merged.min_row, merged.min_col) and value is not None:
                    yield (line, place), value


def _within(count: int) -> None:
    if count > _MOST_ROWS:
        raise _unreadable(f"it has more than {_MOST_ROWS} lines", "Import it in parts.")


def _shown(value: object, *, timed: bool) -> str:
    """What a person sees of a cell; one that is `timed` shows hours, so that its midnight is a moment and not a day."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        midnight = (value.hour, value.minute, value.second, value.microsecond) == (0, 0, 0, 0)
        return value.date().isoformat() if midnight and not timed else value.isoformat()
    if isinstance(value, date):
        return value.isoformat()
    return str(int(value)) if isinstance(value, float) and value.is_integer() else str(value)


READABLE: Mapping[str, Callable[[bytes], list[Sheet]]] = {
    LISTS["csv"]: _sheets_of_csv,
    LISTS["jsonl"]: _sheets_of_jsonl,
    LISTS["xlsx"]: _sheets_of_xlsx,
}
"""What can be imported: content types, with what reads each as sheets."""


def rows(sheets: Iterable[Sheet]) -> Rows:
    """Return the first of some sheets as plain numbered rows."""
    return [(line.number, list(line.cells)) for line in next(iter(sheets), Sheet("", ())).lines]
