"""Many rows in one go: COPY into a temporary table, and one statement from there.

COPY cannot write to a table with row-level security itself; a few rows are stored sooner without the detour.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any

import orjson
from sqlalchemy import Column, MetaData, Table, and_, inspect, select, text, update
from sqlalchemy.dialects.postgresql import JSONB, insert
from sqlalchemy.orm import Session

from openlatch.store.base import Base, Several

__all__ = ["FEW", "MANY", "add_new", "add_rows", "as_array", "change_rows"]

FEW = 50
"""So many rows are not worth the detour."""
MANY = 1000
"""More rows than this are worth counting before they are joined with."""


def add_rows(session: Session, row: type[Base], rows: Sequence[Mapping[str, Any]], *, skip_known: bool = False) -> None:
    """Insert rows, all with the same columns; with `skip_known`, those whose key is there already are left alone."""
    if not rows:
        return
    table = _table(row)
    statement = insert(table)
    if skip_known:
        statement = statement.on_conflict_do_nothing()
    if len(rows) <= FEW:
        session.connection().execute(statement, rows)
        return
    with _staged(session, table, rows, joined=False) as staged:
        session.connection().execute(statement.from_select(list(staged.c.keys()), select(staged)))


def add_new(session: Session, row: type[Base], rows: Sequence[Mapping[str, Any]]) -> set[Any]:
    """Insert rows, all with the same columns, but for those that clash with one that is there; returns the new ids."""
    if not rows:
        return set()
    table = _table(row)
    statement = insert(table).on_conflict_do_nothing().returning(table.c.id)
    if len(rows) <= FEW:
        return set(session.connection().execute(statement, rows).scalars())
    with _staged(session, table, rows, joined=False) as staged:
        chosen = statement.from_select(list(staged.c.keys()), select(staged))
        return set(session.connection().execute(chosen).scalars())


def change_rows(session: Session, row: type[Base], rows: Sequence[Mapping[str, Any]], *, versioned: bool) -> bool:
    """Update rows by their primary key, all with the same columns; returns whether each of them was found.

    With `versioned` a row counts as found only if it is stored one version before the one given.
    """
    if not rows:
        return True
    table = _table(row)
    keys = {column.name for column in table.primary_key}
    with _staged(session, table, rows, joined=True) as staged:
        same = [table.c[name] == staged.c[name] for name in keys]
        if versioned:
            same.append(table.c.version == staged.c.version - 1)
        values = {name: staged.c[name] for name in staged.c.keys() if name not in keys}  # noqa: SIM118 - no mapping
        the_rows = session.connection().execute(update(table).where(and_(*same)).values(values))
        return the_rows.rowcount == len(rows)


def _table(row: type[Base]) -> Table:
    table = inspect(row).local_table
    assert isinstance(table, Table)  # noqa: S101 - each of our rows is one of a table
    return table


def as_array(values: Sequence[object]) -> str | Sequence[object]:
    """Return a list of texts as PostgreSQL writes one down, which is sooner done here; any other is for the driver."""
    if not values:
        return "{}"
    if not all(isinstance(value, str) for value in values):
        return values
    return "{" + ",".join(f'"{_ESCAPED.sub(_escape, value)}"' for value in map(str, values)) + "}"


_ESCAPED = re.compile(r'["\\]')


def _escape(found: re.Match[str]) -> str:
    return f"\\{found[0]}"


def _json(value: object) -> str:
    return orjson.dumps(value, option=orjson.OPT_NON_STR_KEYS).decode()


_TURNS: Mapping[type, Callable[[Any], Any]] = {JSONB: _json, Several: as_array}
"""How values are written down that the driver takes long for, by the kind of their column."""


@contextmanager
def _staged(session: Session, table: Table, rows: Sequence[Mapping[str, Any]], *, joined: bool) -> Iterator[Table]:
    """A temporary table that holds the rows while the block lasts; with `joined` other rows are sought by it."""
    columns = [table.c[name] for name in rows[0]]
    staged = Table(
        "staged",
        MetaData(),
        *(Column(c.name, c.type) for c in columns),
        prefixes=["TEMPORARY"],
        postgresql_on_commit="DROP",
    )
    connection = session.connection()
    staged.create(connection)
    turns = [(place, turn) for place, c in enumerate(columns) if (turn := _TURNS.get(type(c.type))) is not None]
    names = [c.name for c in columns]
    listed = ", ".join(f'"{name}"' for name in names)
    raw: Any = connection.connection.driver_connection
    with raw.cursor() as cursor, cursor.copy(f"copy staged ({listed}) from stdin") as copy:
        for values in rows:
            given = [values[name] for name in names]
            for place, turn in turns:
                if given[place] is not None:
                    given[place] = turn(given[place])
            copy.write_row(given)
    if joined and len(rows) > MANY:
        # A temporary table has no statistics: without them a join with it can become a nested loop over everything.
        connection.execute(text("analyze staged"))
    yield staged
    staged.drop(connection)
