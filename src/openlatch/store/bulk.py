"""Many rows in one go: COPY into a temporary table, and one statement from there.

COPY cannot write to a table with row-level security itself; a few rows are stored sooner without the detour.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

from sqlalchemy import Column, MetaData, Table, and_, inspect, select, text, update
from sqlalchemy.dialects.postgresql import JSONB, insert
from sqlalchemy.orm import Session

from openlatch.deferred import deferred
from openlatch.store.base import Base

if TYPE_CHECKING:
    from psycopg.types import json as psycopg_json
else:
    psycopg_json = deferred("psycopg.types.json")

__all__ = ["FEW", "MANY", "add_rows", "change_rows"]

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
    with _staged(session, table, rows) as staged:
        session.connection().execute(statement.from_select(list(staged.c.keys()), select(staged)))


def change_rows(session: Session, row: type[Base], rows: Sequence[Mapping[str, Any]], *, versioned: bool) -> bool:
    """Update rows by their primary key, all with the same columns; returns whether each of them was found.

    With `versioned` a row counts as found only if it is stored one version before the one given.
    """
    if not rows:
        return True
    table = _table(row)
    keys = {column.name for column in table.primary_key}
    with _staged(session, table, rows) as staged:
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


@contextmanager
def _staged(session: Session, table: Table, rows: Sequence[Mapping[str, Any]]) -> Iterator[Table]:
    """A temporary table that holds the rows, for as long as the block lasts."""
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
    structured = [isinstance(c.type, JSONB) for c in columns]
    names = [c.name for c in columns]
    listed = ", ".join(f'"{name}"' for name in names)
    raw: Any = connection.connection.driver_connection
    with raw.cursor() as cursor, cursor.copy(f"copy staged ({listed}) from stdin") as copy:
        for values in rows:
            copy.write_row(
                [
                    psycopg_json.Jsonb(values[name]) if json and values[name] is not None else values[name]
                    for name, json in zip(names, structured, strict=True)
                ]
            )
    if len(rows) > MANY:
        # A temporary table has no statistics: without them a join with it can become a nested loop over everything.
        connection.execute(text("analyze staged"))
    yield staged
    staged.drop(connection)
