"""A value of a line: found by its paths, put together, and read as what it is."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from openlatch.core.providers.described.shapes import (
    EPOCH,
    Fault,
    Line,
    Value,
)

__all__ = ["KINDS", "instant", "needed", "plain", "text_of", "texts_of"]


KINDS = {
    "str": "a text",
    "int": "a number",
    "float": "a number",
    "bool": "yes or no",
    "NoneType": "null",
    "list": "a list",
}


def instant(value: Value, text: str) -> datetime:
    """Return the instant that a text is, in UTC; raises ValueError or OverflowError for what is none."""
    if value.form in EPOCH:
        return datetime.fromtimestamp(float(text) / EPOCH[value.form], UTC)
    if value.form in ("day", "last-day"):
        # A last day is over when the next one begins, in the zone that is meant.
        day = date.fromisoformat(text) + timedelta(days=value.form == "last-day")
        return datetime.combine(day, time(), ZoneInfo(value.zone)).astimezone(UTC)
    found = datetime.fromisoformat(text)
    return (
        found
        if found.tzinfo is UTC
        else (found if found.tzinfo else found.replace(tzinfo=ZoneInfo(value.zone))).astimezone(UTC)
    )


def needed(value: Value, line: Line, part: str, name: str) -> str:
    """Return a value that has to be there; raises Fault where it is not, or is no text and no whole number."""
    if value.only is not None and value.plain:
        found = value.only.first(line)
        if type(found) is str and found:
            return found
    for path in value.paths:
        found = path.first(line)
        if type(found) is not str and type(found) is not int:
            kind = type(path.find(line)[0]).__name__ if path.find(line) else None
            said = "is not there" if kind is None else f"is {KINDS.get(kind, kind)}"
            raise Fault(part, f"`{name}` ({path}) {said}, and has to be a text or a whole number")
    text = text_of(value, line)
    if not text:
        raise Fault(part, f"`{name}` has no value")
    return text


def text_of(value: Value, line: Line) -> str:
    """Return a value as one text; what a path does not find is empty."""
    if value.only is not None:
        found = value.only.first(line)
        text = found if type(found) is str else plain(found)
    else:
        text = "".join([piece if isinstance(piece, str) else plain(piece.first(line)) for piece in value.parts])
    return text if value.plain else _converted(value, text)


def texts_of(value: Value, line: Line) -> Iterator[str]:
    """Yield all that a value finds, one by one: every place that a path leads to, and what is in a list there."""
    if value.only is None:
        yield text_of(value, line)
        return
    for found in value.only.find(line):
        several = found if isinstance(found, list) else [found]
        yield from (_converted(value, plain(each)) for each in several)


def _converted(value: Value, text: str) -> str:
    text = text.lower() if value.form == "lower" else text
    if value.table:
        return value.table.get(text, value.otherwise)
    return text or value.otherwise


def plain(found: Any) -> str:
    """Return what was found as a text; empty for what is neither text nor number nor yes or no."""
    if isinstance(found, str):
        return found
    if isinstance(found, bool):
        return "true" if found else "false"
    return str(found) if isinstance(found, int | float) else ""
