"""Lists as files to keep: CSV, JSON Lines, and spreadsheets."""

from __future__ import annotations

import csv
import io
import itertools
import re
import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from openlatch.deferred import deferred
from openlatch.wire.inventory.sheet import COLUMNS, in_cell, row
from openlatch.wire.messages import LISTS, Entry, KeptEntry

if TYPE_CHECKING:
    import openpyxl
else:
    openpyxl = deferred("openpyxl")

__all__ = ["FORMATS", "Format", "cells"]

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


def cells(body: KeptEntry) -> dict[str, str]:
    """Return an entry to keep by hand as the line that an imported list would have for it."""
    values = {name: getattr(body, name) for name in KeptEntry.model_fields if name != "somebody_else"}
    values["powers"] = ["none"] if body.powers == [] else body.powers
    return {name: in_cell(value) for name, value in values.items()}
