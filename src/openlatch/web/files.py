"""Lists as files to keep: CSV, JSON Lines, and spreadsheets; a column for each fact, a line for each thing."""

from __future__ import annotations

import csv
import io
import itertools
import re
import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from pydantic import BaseModel

from openlatch.deferred import deferred
from openlatch.web.api import Stream
from openlatch.wire import flat
from openlatch.wire.inventory.sheet import COLUMNS, in_cell, row
from openlatch.wire.messages import LISTS, Entry, KeptEntry

if TYPE_CHECKING:
    import openpyxl
else:
    openpyxl = deferred("openpyxl")

__all__ = ["CONTENT_TYPES", "FORMATS", "Format", "Kept", "cells", "entries_kept", "kept"]

M = TypeVar("M", bound=BaseModel)

PIECE = 50
"""So many lines are written down before they are sent."""
READ = 1 << 18


@dataclass(frozen=True, slots=True)
class Kept(Generic[M]):
    """What is written down: under which title, in which columns, and how a thing is a line of them."""

    title: str
    columns: Sequence[str]
    row: Callable[[M], Mapping[str, str]]
    items: Iterable[M]


@dataclass(frozen=True, slots=True)
class Format:
    """A way to write things down."""

    content_type: str
    write: Callable[[Kept[Any]], Iterator[bytes]]
    """piece by piece, each as soon as it is there"""


def _csv(kept: Kept[M]) -> Iterator[bytes]:
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")  # as RFC 4180 has it
    writer.writerow(kept.columns)
    for some in _pieces(kept.items):
        writer.writerows(kept.row(item).values() for item in some)
        yield text.getvalue().encode()
        text.seek(0)
        text.truncate()


def _jsonl(kept: Kept[M]) -> Iterator[bytes]:
    for some in _pieces(kept.items):
        yield b"".join(item.model_dump_json().encode() + b"\n" for item in some)


def _pieces(items: Iterable[M]) -> Iterator[list[M]]:
    """Some at a time, at least once: a list of nothing has its headings too."""
    lines = iter(items)
    some = list(itertools.islice(lines, PIECE))
    yield some
    while some := list(itertools.islice(lines, PIECE)):
        yield some


# Letters that no XML 1.0 document may hold, and so no spreadsheet.
_NOT_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")


def _xlsx(kept: Kept[M]) -> Iterator[bytes]:
    """A spreadsheet is packed as a whole at its end; until then its rows lie in a file, and so do its bytes."""
    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet(kept.title)
    sheet.freeze_panes = "A2"

    def text(value: str) -> openpyxl.cell.WriteOnlyCell:
        cell = openpyxl.cell.WriteOnlyCell(sheet, _NOT_XML.sub("\N{REPLACEMENT CHARACTER}", value)[:32767])
        cell.data_type = "s"  # a text, whatever it begins with
        return cell

    sheet.append([text(name) for name in kept.columns])
    try:
        for item in kept.items:
            sheet.append([text(value) for value in kept.row(item).values()])
    except BaseException:
        sheet.close()  # else what it has begun to write is ended whenever memory happens to be cleared
        raise
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
CONTENT_TYPES = tuple(each.content_type for each in FORMATS.values())


def entries_kept(the_format: str, entries: Iterable[Entry]) -> Stream:
    """Return entries as a file that can be imported again."""
    return _stream(the_format, Kept("Inventory", COLUMNS, row, entries))


def kept(name: str, the_format: str, kind: type[M], items: Iterable[M]) -> Stream:
    """Return messages of one kind as a file of that name."""
    return _stream(the_format, Kept(name.capitalize(), flat.header(kind), flat.row, items))


def _stream(the_format: str, kept: Kept[Any]) -> Stream:
    chosen = FORMATS[the_format]
    return Stream(chosen.write(kept), chosen.content_type, f"{kept.title.lower()}.{the_format}")


def cells(body: KeptEntry) -> dict[str, str]:
    """Return an entry to keep by hand as the line that an imported list would have for it."""
    values = {name: getattr(body, name) for name in KeptEntry.model_fields if name != "somebody_else"}
    values["powers"] = ["none"] if body.powers == [] else body.powers
    return {name: in_cell(value) for name, value in values.items()}
