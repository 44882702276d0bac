"""Sheets as people keep them, and how one is to be taken: which line is the header, what is left out, and why.

What is found is proposed, with its line. Nothing is taken silently: a person sees the proposal and
confirms it, or says otherwise.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from openlatch.words import DayOrder

__all__ = ["Form", "Line", "Note", "Sheet", "headers_of", "left_out", "proposed", "signature"]

_LOOKED_AT = 20
"""So many lines are looked at for the one that names the columns."""
_TOTAL = re.compile(
    r"(?:(?:grand|sub)[- ]?)?totals?\b.*|sum\b.*|count\b.*|summe\b.*|gesamt\w*\b.*|anzahl\b.*|somme\b.*|totaal\b.*|#",
    re.IGNORECASE,
)
_PLAIN_NUMBER = re.compile(r"[\d.,'\s€$£%-]*")


@dataclass(frozen=True, slots=True)
class Line:
    """A line of a sheet: its number as a person counts, and its cells as texts.

    `filled` are the places of cells that got their text from a merged one, `unknown` those of formulas of which the
    file has no result.
    """

    number: int
    cells: tuple[str, ...]
    hidden: bool = False
    struck: bool = False
    filled: frozenset[int] = frozenset()
    unknown: frozenset[int] = frozenset()

    @property
    def empty(self) -> bool:
        return not any(cell.strip() for cell in self.cells) and not self.unknown


@dataclass(frozen=True, slots=True)
class Sheet:
    """One sheet of a file, or a CSV file; `remarks` are about the file, such as how it was decoded."""

    name: str
    lines: tuple[Line, ...]
    hidden: bool = False
    remarks: tuple[str, ...] = ()

    @property
    def width(self) -> int:
        return max((len(line.cells) for line in self.lines), default=0)


@dataclass(frozen=True, slots=True)
class Form:
    """How a sheet is to be taken; what is None or empty is proposed from what is there.

    `header` is the line that names the columns, the last of `headers` lines that do so together. `columns` are fields
    by header, `orders` say by header which number of a date is the day. `hidden` and `struck` say whether such lines
    are taken; `skip` are lines that are left out, and `take` some that are taken though they look like no entry.
    """

    sheet: str | None = None
    header: int | None = None
    headers: int | None = None
    columns: Mapping[str, str] = field(default_factory=dict)
    orders: Mapping[str, DayOrder] = field(default_factory=dict)
    hidden: bool = False
    struck: bool = False
    skip: frozenset[int] = frozenset()
    take: frozenset[int] = frozenset()


@dataclass(frozen=True, slots=True)
class Note:
    """Why a line is left out, unless someone says that it is to be taken."""

    line: int
    why: str


def proposed(sheets: Sequence[Sheet], wanted: Form, known: Callable[[str], bool]) -> tuple[Sheet, Form]:
    """Return the sheet that is meant and the form with everything that was left open; `known` knows headers."""
    sheet = _meant(sheets, wanted, known)
    header = wanted.header or _header(sheet, known)
    headers = wanted.headers or (2 if _has_two(sheet, header) else 1)
    return sheet, replace(wanted, sheet=sheet.name, header=header, headers=headers)


def headers_of(sheet: Sheet, form: Form) -> tuple[str, ...]:
    """Return what each column is called, each once: what has the same name as another has its place with it.

    Of two lines, the upper one goes before: “Period” and “Until” are “Period Until”.
    """
    header = form.header or 1
    wanted = range(header - (form.headers or 1) + 1, header + 1)
    parts = [_spread(line, upper=line.number < header) for line in sheet.lines if line.number in wanted]
    names = []
    for place in range(max((len(cells) for cells in parts), default=0)):
        words = [" ".join(cells[place].split()) if place < len(cells) else "" for cells in parts]
        names.append(" ".join(dict.fromkeys(filter(None, words))))
    times = {name: names.count(name) for name in names}
    return tuple(
        f"{name or 'no name'} (column {_letters(place)})" if times[name] > 1 or not name else name
        for place, name in enumerate(names)
    )


def left_out(sheet: Sheet, form: Form) -> tuple[Note, ...]:
    """Return the lines below the header that are not taken, each with why."""
    names, first = headers_of(sheet, form), form.header or 1
    notes: list[Note] = []
    seen: dict[tuple[str, ...], int] = {}
    for line in sheet.lines:
        if line.number <= first or line.empty:
            continue
        if line.number in form.skip:
            notes.append(Note(line.number, "as you said"))
            continue
        why = _why(line, names, form)
        cells = tuple(cell.strip() for cell in line.cells)
        if not why and cells in seen:
            why = f"the same as line {seen[cells]}"
        if why and line.number not in form.take:
            notes.append(Note(line.number, why))
        elif not why:
            seen[cells] = line.number
    return tuple(notes)


def signature(headers: Iterable[str]) -> str:
    """Return what tells the form of a list from others: the names of its columns, whatever their order."""
    names = sorted(" ".join(header.casefold().split()) for header in headers)
    return hashlib.sha256("\x1f".join(names).encode()).hexdigest()


def _meant(sheets: Sequence[Sheet], wanted: Form, known: Callable[[str], bool]) -> Sheet:
    if wanted.sheet is not None:
        named = next((sheet for sheet in sheets if sheet.name == wanted.sheet), None)
        if named is not None:
            return named
    return max(
        sheets,
        key=lambda sheet: (not sheet.hidden, _score(sheet, known), sum(not line.empty for line in sheet.lines) > 1),
    )


def _score(sheet: Sheet, known: Callable[[str], bool]) -> int:
    return max((sum(map(known, line.cells)) for line in _top(sheet)), default=0)


def _top(sheet: Sheet) -> list[Line]:
    return [line for line in sheet.lines if not line.empty][:_LOOKED_AT]


def _header(sheet: Sheet, known: Callable[[str], bool]) -> int:
    """The line that names most columns that are known; else the first that is as wide as those after it."""
    top = _top(sheet)
    best = max(top, key=lambda line: (sum(map(known, line.cells)), -line.number), default=None)
    if best is not None and sum(map(known, best.cells)):
        return best.number
    wide = max((_filled(line) for line in top), default=0)
    return next((line.number for line in top if _filled(line) >= max(2, wide - 1)), top[0].number if top else 1)


def _filled(line: Line) -> int:
    return sum(bool(cell.strip()) for cell in line.cells)


def _has_two(sheet: Sheet, header: int) -> bool:
    """Whether the line above the header names groups of columns: several of them, or one that was merged."""
    above = next((line for line in sheet.lines if line.number == header - 1), None)
    below = next((line for line in sheet.lines if line.number == header), None)
    if above is None or below is None or above.empty:
        return False
    groups = {cell.strip() for cell in above.cells if cell.strip()}
    names = [cell.strip().casefold() for cell in below.cells]
    incomplete = "" in names or len(set(names)) < len(names) or bool(above.filled)
    return incomplete and len(groups) > 1 and not any(letter.isdigit() for group in groups for letter in group)


def _spread(line: Line, *, upper: bool) -> tuple[str, ...]:
    """The names on a line of the header; a group goes on to the right until the next one, unless cells were merged."""
    if not upper or line.filled:
        return line.cells
    texts, last = [], ""
    for cell in line.cells:
        last = cell if cell.strip() else last
        texts.append(last)
    return tuple(texts)


def _why(line: Line, headers: Sequence[str], form: Form) -> str:
    """Why a line is no entry, as it seems; empty if it looks like one."""
    if line.hidden and not form.hidden:
        return "hidden in the sheet"
    if line.struck and not form.struck:
        return "struck through in the sheet"
    filled = [cell.strip() for cell in line.cells if cell.strip()]
    if filled and _TOTAL.fullmatch(filled[0]) and all(_PLAIN_NUMBER.fullmatch(text) for text in filled[1:]):
        return "looks like a total"
    if len(filled) == 1 and len([header for header in headers if header]) > 2 and not line.unknown:
        return "has one cell only, and looks like a note"
    if [text.casefold() for text in filled] == [header.casefold() for header in headers if header][
        : len(filled)
    ] and filled:
        return "repeats the header"
    return ""


def _letters(place: int) -> str:
    """What a column is called in a spreadsheet: A, B, …, Z, AA."""
    name, number = "", place + 1
    while number:
        number, rest = divmod(number - 1, 26)
        name = chr(65 + rest) + name
    return name
