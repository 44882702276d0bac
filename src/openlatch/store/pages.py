"""Keyset paging: a cursor names the last row seen, so a page costs the same wherever it lies."""

from __future__ import annotations

import base64
import binascii
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Generic, TypeVar
from uuid import UUID

import orjson
from sqlalchemy import ARRAY, ColumnElement, Select, Text, any_, cast, func, literal, tuple_
from sqlalchemy.orm import Session

from openlatch.errors import Invalid

__all__ = ["Page", "Sort", "any_of", "every", "folded", "page"]

FIRST_PAGE, NEXT_PAGE = 50, 1000
"""How many rows are asked for at first, so that something can be sent soon, and then."""

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Sort:
    """A total order: the expressions by which rows are compared, the last of them unique."""

    name: str
    by: tuple[Any, ...]
    descending: bool = False


@dataclass(frozen=True, slots=True)
class Page(Generic[T]):
    """Some items, and the cursor that continues after them, or None at the end."""

    items: tuple[T, ...]
    next: str | None


def folded(column: Any) -> ColumnElement[str]:
    """Return a column of names without its capitals, for sorting as people expect it."""
    return func.lower(column, type_=Text())


def any_of(texts: Iterable[str]) -> Any:
    """Return what an expression equals if it is one of the texts; one parameter, however many they are."""
    return any_(literal(list(texts), ARRAY(Text())))


def page(
    session: Session, query: Select[Any], sort: Sort, *, limit: int, cursor: str | None, read: Callable[[Any], T]
) -> Page[T]:
    """Run a query for one page of at most `limit` rows after the cursor."""
    columns: list[Any] = [expression.label(f"sort_{place}") for place, expression in enumerate(sort.by)]
    query = query.add_columns(*columns)
    if cursor is not None:
        values = [cast(literal(v), e.type) for v, e in zip(_opened(cursor, sort), sort.by, strict=True)]
        left, right = tuple_(*sort.by), tuple_(*values)
        query = query.where(left < right if sort.descending else left > right)
    ordered = [e.desc() if sort.descending else e.asc() for e in sort.by]
    rows: Sequence[Any] = session.execute(query.order_by(*ordered).limit(limit + 1)).all()
    following = None
    if len(rows) > limit:
        rows = rows[:limit]
        following = _closed(sort, [getattr(rows[-1], c.name) for c in columns])
    return Page(tuple(read(row) for row in rows), following)


def every(fetch: Callable[[int, str | None], Page[T]]) -> Iterator[T]:
    """Return everything of a list, page by page; `fetch` returns at most so many after a cursor.

    The first page is fetched at once: what cannot be asked is refused before anything is given.
    """
    first = fetch(FIRST_PAGE, None)

    def pages() -> Iterator[T]:
        some = first
        yield from some.items
        while some.next is not None:
            some = fetch(NEXT_PAGE, some.next)
            yield from some.items

    return pages()


def _closed(sort: Sort, values: Sequence[Any]) -> str:
    plain = [str(v) if isinstance(v, UUID) else v.isoformat() if isinstance(v, datetime) else v for v in values]
    return base64.urlsafe_b64encode(orjson.dumps([sort.name, sort.descending, *plain])).decode().rstrip("=")


def _opened(cursor: str, sort: Sort) -> list[Any]:
    """The values of a cursor of this very order; anything else is refused."""
    try:
        name, descending, *values = orjson.loads(base64.urlsafe_b64decode(cursor + "=" * (-len(cursor) % 4)))
        if (name, descending, len(values)) != (sort.name, sort.descending, len(sort.by)):
            raise ValueError
        return [_typed(v, e.type.python_type) for v, e in zip(values, sort.by, strict=True)]
    except (ValueError, TypeError, binascii.Error) as error:
        raise Invalid(
            "The cursor does not belong to this list in this order.",
            next_step="Start again without a cursor.",
            errors=[{"at": "cursor", "problem": "not a cursor of this list and order"}],
        ) from error


def _typed(value: Any, kind: type) -> Any:
    if kind is UUID:
        return UUID(value)
    if kind is datetime:
        return datetime.fromisoformat(value)
    if not isinstance(value, kind):
        raise TypeError
    return value
