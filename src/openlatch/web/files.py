"""Lists as files to keep: CSV, JSON Lines, and spreadsheets."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

from openpyxl import Workbook
from openpyxl.cell import WriteOnlyCell
from openpyxl.cell.cell import ILLEGAL_CHARACTERS_RE

from openlatch.wire.messages import Entry
from openlatch.wire.sheet import COLUMNS, row

__all__ = ["FORMATS", "Format"]


@dataclass(frozen=True, slots=True)
class Format:
    """A way to write entries down."""

    content_type: str
    write: Callable[[Iterable[Entry]], bytes]


def _csv(entries: Iterable[Entry]) -> bytes:
    text = io.StringIO()
    writer = csv.DictWriter(text, COLUMNS, lineterminator="\r\n")  # as RFC 4180 has it
    writer.writeheader()
    writer.writerows(row(entry) for entry in entries)
    return text.getvalue().encode()


def _jsonl(entries: Iterable[Entry]) -> bytes:
    return b"".join(entry.model_dump_json().encode() + b"\n" for entry in entries)


def _xlsx(entries: Iterable[Entry]) -> bytes:
    book = Workbook(write_only=True)
    sheet = book.create_sheet("Inventory")
    sheet.freeze_panes = "A2"

    def text(value: str) -> WriteOnlyCell:
        cell = WriteOnlyCell(sheet, ILLEGAL_CHARACTERS_RE.sub("\N{REPLACEMENT CHARACTER}", value)[:32767])
        cell.data_type = "s"  # a text, whatever it begins with
        return cell

    sheet.append([text(name) for name in COLUMNS])
    for entry in entries:
        sheet.append([text(value) for value in row(entry).values()])
    file = io.BytesIO()
    book.save(file)
    return file.getvalue()


FORMATS: Mapping[str, Format] = {
    "csv": Format("text/csv; charset=utf-8", _csv),
    "jsonl": Format("application/jsonl", _jsonl),
    "xlsx": Format("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", _xlsx),
}
"""The formats in which a list can be kept."""
