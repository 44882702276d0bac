"""Lists as files to keep: CSV, JSON Lines, and spreadsheets; a column for each fact, a line for each thing."""

from __future__ import annotations

import csv
import io
import itertools
import re
import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import TYPE_CHECKING, Any, Generic, TypeVar
from zoneinfo import ZoneInfo

from pydantic import BaseModel

from openlatch.deferred import deferred
from openlatch.web.api import Stream
from openlatch.web.cells import cells_of
from openlatch.wire import flat
from openlatch.wire.base import Written
from openlatch.wire.inventory.sheet import COLUMNS, INSTANTS, in_cell, row
from openlatch.wire.messages import LISTS, Entry, KeptEntry

if TYPE_CHECKING:
    import openpyxl
    import polars as pl
else:
    openpyxl = deferred("openpyxl")

__all__ = [
    "CONTENT_TYPES",
    "FORMATS",
    "JSON_LINES",
    "Format",
    "Kept",
    "cells",
    "entries_kept",
    "kept",
    "lines_kept",
    "sheet_kept",
    "template",
]

M = TypeVar("M", bound=BaseModel)
T = TypeVar("T")
JSON_LINES = "application/jsonl"

SEPARATORS = {"comma": ",", "semicolon": ";", "tab": "\t"}
PIECE = 50
"""So many lines are written down before they are sent."""
LINES = 500
"""The same of lines that are written down already."""
READ = 1 << 18
FIRST_YEAR = 1901
"""No spreadsheet has an earlier date that all of them take for the same."""


@dataclass(frozen=True, slots=True)
class Kept(Generic[M]):
    """What is written down: under which title, in which columns, and how a thing is a line of them."""

    title: str
    columns: Sequence[str]
    row: Callable[[M], Mapping[str, str]]
    items: Iterable[M]
    instants: frozenset[str] = frozenset()
    """the columns that hold instants"""
    zone: str = "UTC"
    """in which a spreadsheet shows them"""
    separator: str = "comma"
    """of CSV, by its name"""
    guide: Mapping[str, str] = field(default_factory=dict)
    """what belongs in which column, on a sheet of its own"""


@dataclass(frozen=True, slots=True)
class Format:
    """A way to write things down."""

    content_type: str
    write: Callable[[Kept[Any]], Iterator[bytes]]
    """piece by piece, each as soon as it is there"""


def _csv(kept: Kept[M]) -> Iterator[bytes]:
    text = io.StringIO()
    if kept.separator != "comma":
        text.write("\ufeff")  # a spreadsheet takes it for UTF-8 only so
    # As RFC 4180 has it, unless another separator is wanted.
    writer = csv.writer(text, lineterminator="\r\n", delimiter=SEPARATORS[kept.separator])
    writer.writerow(kept.columns)
    for some in _pieces(kept.items):
        writer.writerows(kept.row(item).values() for item in some)
        yield text.getvalue().encode()
        text.seek(0)
        text.truncate()


def _jsonl(kept: Kept[M]) -> Iterator[bytes]:
    for some in _pieces(kept.items):
        yield b"".join(item.model_dump_json().encode() + b"\n" for item in some)


def _pieces(items: Iterable[T], size: int = PIECE) -> Iterator[list[T]]:
    """Some at a time, at least once: a list of nothing has its headings too."""
    lines = iter(items)
    some = list(itertools.islice(lines, size))
    yield some
    while some := list(itertools.islice(lines, size)):
        yield some


# Letters that no XML 1.0 document may hold, and so no spreadsheet.
_NOT_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")


def _xlsx(kept: Kept[M]) -> Iterator[bytes]:
    """A spreadsheet is packed as a whole at its end; until then its rows lie in a file, and so do its bytes.

    Instants are dates of the zone, to the second; its headings can be filtered by.
    """
    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet(kept.title)
    sheet.freeze_panes = "A2"
    zone = ZoneInfo(kept.zone)

    def text(value: str) -> openpyxl.cell.WriteOnlyCell:
        cell = openpyxl.cell.WriteOnlyCell(sheet, _NOT_XML.sub("\N{REPLACEMENT CHARACTER}", value)[:32767])
        cell.data_type = "s"  # a text, whatever it begins with
        return cell

    def cell(name: str, value: str) -> openpyxl.cell.WriteOnlyCell:
        here = _date(value, zone) if value and name in kept.instants else None
        if here is None:
            return text(value)
        dated = openpyxl.cell.WriteOnlyCell(sheet, here)
        dated.number_format = "yyyy-mm-dd hh:mm:ss"
        return dated

    for place, name in enumerate(kept.columns, 1):
        letter = openpyxl.utils.get_column_letter(place)
        sheet.column_dimensions[letter].width = 20 if name in kept.instants else max(12, len(name) + 4)
    rows = 1
    sheet.append([text(name) for name in kept.columns])
    try:
        for item in kept.items:
            sheet.append([cell(name, value) for name, value in kept.row(item).items()])
            rows += 1
    except BaseException:
        sheet.close()  # else what it has begun to write is ended whenever memory happens to be cleared
        raise
    sheet.auto_filter.ref = f"A1:{openpyxl.utils.get_column_letter(len(kept.columns))}{rows}"
    if kept.guide:
        told = book.create_sheet("Columns")
        told.column_dimensions["A"].width, told.column_dimensions["B"].width = 20, 90
        for name, says in kept.guide.items():
            told.append([name, says])
    with tempfile.TemporaryFile() as file:
        book.save(file)
        file.seek(0)
        while piece := file.read(READ):
            yield piece


def _date(text: str, zone: ZoneInfo) -> datetime | None:
    """An instant as a spreadsheet can hold it; None for one that it cannot tell from another, or not at all."""
    instant = datetime.fromisoformat(text).replace(microsecond=0)
    here = instant.astimezone(zone).replace(tzinfo=None)
    twice = here.replace(tzinfo=zone, fold=0).utcoffset() != here.replace(tzinfo=zone, fold=1).utcoffset()
    return None if twice or here.year < FIRST_YEAR else here


FORMATS: Mapping[str, Format] = {
    "csv": Format("text/csv; charset=utf-8", _csv),
    "jsonl": Format(JSON_LINES, _jsonl),
    "xlsx": Format(LISTS["xlsx"], _xlsx),
}
"""The formats in which a list can be kept."""
CONTENT_TYPES = tuple(each.content_type for each in FORMATS.values())


def entries_kept(written: Written, entries: Iterable[Entry], zone: str) -> Stream:
    """Return entries as a file that can be imported again."""
    return _stream(
        written, Kept("Inventory", COLUMNS, row, entries, instants=INSTANTS, zone=zone, separator=written.separator)
    )


def sheet_kept(written: Written, pieces: Iterable[pl.DataFrame], zone: str) -> Stream:
    """Return entries in columns as a sheet, with the very cells that `entries_kept` gives it."""
    texts = map(cells_of, pieces)
    if written.format == "csv":
        return Stream(_csv_of(written, texts), FORMATS["csv"].content_type, "inventory.csv")
    lines = itertools.chain.from_iterable(some.iter_rows(named=True) for some in texts)
    return _stream(written, Kept("Inventory", COLUMNS, dict, lines, instants=INSTANTS, zone=zone))


def _csv_of(written: Written, texts: Iterable[pl.DataFrame]) -> Iterator[bytes]:
    yield from _csv(Kept("Inventory", COLUMNS, dict, iter(()), separator=written.separator))
    for some in texts:
        yield some.write_csv(
            include_header=False, separator=SEPARATORS[written.separator], line_terminator="\r\n"
        ).encode()


def kept(name: str, written: Written, kind: type[M], items: Iterable[M], zone: str) -> Stream:
    """Return messages of one kind as a file of that name."""
    columns, instants = flat.header(kind), flat.instants(kind)
    return _stream(
        written,
        Kept(name.capitalize(), columns, flat.row, items, instants=instants, zone=zone, separator=written.separator),
    )


def lines_kept(name: str, lines: Iterable[str]) -> Stream:
    """Return lines that are JSON each as a file of that name."""
    pieces = (("\n".join(some) + "\n").encode() if some else b"" for some in _pieces(lines, LINES))
    return Stream(pieces, JSON_LINES, f"{name}.jsonl")


def template(written: Written, fields: Mapping[str, str]) -> Stream:
    """Return a list to be filled in and imported: its columns, and in a spreadsheet what belongs in each."""
    return _stream(written, Kept("Template", tuple(fields), dict, iter(()), separator=written.separator, guide=fields))


def _stream(written: Written, kept: Kept[Any]) -> Stream:
    chosen = FORMATS[written.format]
    return Stream(chosen.write(kept), chosen.content_type, f"{kept.title.lower()}.{written.format}")


def cells(body: KeptEntry) -> dict[str, str]:
    """Return an entry to keep by hand as the line that an imported list would have for it."""
    values = {name: getattr(body, name) for name in KeptEntry.model_fields if name != "somebody_else"}
    values["powers"] = ["none"] if body.powers == [] else body.powers
    return {name: in_cell(value) for name, value in values.items()}
