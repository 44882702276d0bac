"""What a flag shows: its facts, which stand still, and the sentence that they make.

Facts are kept as JSON, made twice: from the values of one row, and by the column engine for a whole column. The two
are letter for letter the same, so that a fact that has not changed is never taken for one that has.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime, timedelta
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from openlatch.core.powers import ORDER
from openlatch.core.rules.check import EPOCH
from openlatch.core.rules.tree import Type
from openlatch.deferred import deferred

if TYPE_CHECKING:
    import polars as pl
else:
    pl = deferred("polars")

__all__ = ["Fact", "Facts", "facts_column", "facts_text", "named", "sentence"]

Fact = str | int | bool | list[str] | None
Facts = Mapping[str, Fact]

_ESCAPES = {chr(code): f"\\u{code:04x}" for code in range(32)} | {'"': '\\"', "\\": "\\\\"}
_TABLE = str.maketrans(_ESCAPES)
_POWERS = {
    bits: "[" + ",".join(f'"{power}"' for place, power in enumerate(ORDER) if bits >> place & 1) + "]"
    for bits in range(1 << len(ORDER))
}
_NAME = re.compile(r"\{(\w+)\}", re.ASCII)


def facts_text(names: Sequence[str], types: Sequence[Type], values: Iterable[object]) -> str:
    """Return the facts of one row as JSON."""
    parts = (f'"{name}":{_text(kind, value)}' for name, kind, value in zip(names, types, values, strict=True))
    return "{" + ",".join(parts) + "}"


def _text(kind: Type, value: object) -> str:
    match kind, value:
        case _, None:
            return "null"
        case Type.BOOL, bool():
            return "true" if value else "false"
        case Type.POWERS, int():
            return _POWERS[value]
        case Type.TIME, int():
            return f'"{_instant(value)}"'
        case Type.STRINGS, list() | tuple():
            return "[" + ",".join(f'"{str(each_value).translate(_TABLE)}"' for each_value in value) + "]"
        case Type.STRING, str():
            return f'"{value.translate(_TABLE)}"'
    return str(value)


def _instant(micros: int) -> str:
    return (EPOCH + timedelta(seconds=micros // 1_000_000)).strftime("%Y-%m-%dT%H:%M:%SZ")


def facts_column(names: Sequence[str], types: Sequence[Type], values: Sequence[pl.Expr]) -> pl.Expr:
    """Return the facts of all rows as a column of JSON."""
    parts = []
    for place, (name, kind, value) in enumerate(zip(names, types, values, strict=True)):
        parts += [pl.lit(f'{"," if place else "{"}"{name}":'), _column(kind, value).fill_null("null")]
    return pl.concat_str([*parts, pl.lit("}")]) if parts else pl.lit("{}")


def _column(kind: Type, value: pl.Expr) -> pl.Expr:
    escaped: list[str] = list(_ESCAPES)
    match kind:
        case Type.BOOL:
            return value.replace_strict([True, False], ["true", "false"], return_dtype=pl.String)
        case Type.POWERS:
            return value.replace_strict(list(_POWERS), list(_POWERS.values()), return_dtype=pl.String)
        case Type.TIME:
            return pl.from_epoch(value.floordiv(1_000_000), "s").dt.strftime('"%Y-%m-%dT%H:%M:%SZ"')
        case Type.STRING:
            return pl.concat_str(pl.lit('"'), value.str.replace_many(escaped, list(_ESCAPES.values())), pl.lit('"'))
        case Type.STRINGS:
            each = pl.element().str.replace_many(escaped, list(_ESCAPES.values()))
            quoted = value.list.eval(pl.concat_str(pl.lit('"'), each, pl.lit('"')))
            return pl.concat_str(pl.lit("["), quoted.list.join(","), pl.lit("]"))
    return value.cast(pl.String)


def named(sentence: str) -> tuple[str, ...]:
    """Return the names of the facts that a sentence tells."""
    return tuple(_NAME.findall(sentence))


def sentence(sentences: Sequence[str], facts: Facts, zone: str) -> str:
    """Return the first sentence all of whose facts are known, with the facts in it; instants are days in the zone."""
    for each_sentence in sentences:
        if all(facts.get(name) is not None for name in named(each_sentence)):
            return _NAME.sub(lambda match: _told(facts[match[1]], zone), each_sentence)
    return ""


def _told(fact: Fact, zone: str) -> str:
    if isinstance(fact, list):
        *first, last = fact or ["nothing"]
        return f"{', '.join(first)} and {last}" if first else last
    if isinstance(fact, str) and re.fullmatch(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ", fact):
        day = datetime.fromisoformat(fact).astimezone(ZoneInfo(zone))
        return f"{day.day} {day:%B %Y}"
    return {True: "yes", False: "no"}[fact] if isinstance(fact, bool) else str(fact)
