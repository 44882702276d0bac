"""What the queries of every noun share: the session, the workspace, and finding a thing by what people type."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, TypeVar
from uuid import UUID

from sqlalchemy import Select, func, select, update
from sqlalchemy.orm import Session

from openlatch.core.ids import normal_ref, ref_of
from openlatch.core.phrases import counted
from openlatch.errors import Changed, Invalid, NotFound
from openlatch.store.base import Base
from openlatch.store.bulk import add_rows
from openlatch.store.codec import Codec

__all__ = ["Noun", "changed", "id_or_ref", "missing", "the_one"]

T = TypeVar("T")
R = TypeVar("R", bound=Base)


class Noun:
    """The queries of one noun in one workspace and one transaction."""

    def __init__(self, session: Session, workspace_id: UUID) -> None:
        self._session = session
        self._workspace_id = workspace_id

    def _rows_of(self, codec: Codec[T], values: Iterable[T], **more: Any) -> list[dict[str, Any]]:
        """Return the rows that values are kept in, with `more` columns that are the same in each."""
        return [{"workspace_id": self._workspace_id, **codec.values(value), **more} for value in values]

    def _add(self, codec: Codec[T], values: Iterable[T], **more: Any) -> None:
        """Store new values, with `more` columns that are the same in each."""
        add_rows(self._session, codec.row, self._rows_of(codec, values, **more))

    def _values(self, codec: Codec[T], query: Select[Any]) -> Iterator[T]:
        """Return the values that a query of rows finds, as they are stored now; no rows are made of them."""
        return map(codec.of, self._session.execute(query.with_only_columns(*codec.columns)))

    def _called(self, row: type[R], name: Any, ids: Iterable[UUID]) -> dict[UUID, str]:
        """Return what things are called, by their ids; `name` is a column, or made of some."""
        wanted = list(ids)
        table: Any = row
        query = select(table.id, name).where(table.id == func.any(wanted))
        return dict(self._session.execute(query).all()) if wanted else {}

    def _save(self, noun: str, codec: Codec[T], value: T, **more: Any) -> None:
        """Store a value that is one version on; refuses if someone else changed it meanwhile."""
        row: Any = codec.row
        columns = {**codec.values(value), **more}
        mine = (row.id == columns["id"], row.version == columns["version"] - 1)
        if self._session.execute(update(row).where(*mine).values(**columns).returning(row.id)).first() is None:
            raise changed(noun, columns["ref"])

    def _row(self, noun: str, row: type[R], text: str, *, lock: bool = False) -> R:
        """Return the row of the thing that a person means, by id or short form; of several, the one that was first."""
        wanted = id_or_ref(text)
        table: Any = row
        query = select(row).where(table.id == wanted if isinstance(wanted, UUID) else table.ref == wanted)
        query = query.order_by(table.id).limit(1).execution_options(populate_existing=True)
        query = query.with_for_update() if lock else query
        base = None if wanted is None else self._session.scalars(query).first()
        if base is None:
            raise missing(noun, text)
        return base


def id_or_ref(text: str) -> UUID | str | None:
    """Return what a person typed as an id, as a ref in its one spelling, or None if it can be neither."""
    try:
        return UUID(text)
    except ValueError:
        return normal_ref(text)


def the_one(noun: str, text: str, found: Sequence[T], told: Callable[[T], tuple[UUID, str, str]]) -> T:
    """Return the one thing that a person means; `told` gives the id of each, its name, and what tells it apart.

    A short form is meant before a name; a name identifies nothing by itself, and where it fits several, raises Invalid
    with all of them.
    """
    ref = normal_ref(text)
    named = [value for value in found if told(value)[1].casefold() == text.strip().casefold()]
    meant = [
        value for value in found if ref_of(told(value)[0]) == ref or str(told(value)[0]) == text.strip().lower()
    ] or named
    if not meant:
        raise missing(noun, text)
    if len(meant) > 1:
        each = "; ".join(
            f"{ref_of(each_id)} ({', '.join(filter(None, [name, more]))})" for each_id, name, more in map(told, meant)
        )
        raise Invalid(
            f"“{text}” fits {counted(len(meant), noun)}. Nothing was changed.",
            next_step=f"Name one by its short form: {each}",
            errors=[{"at": noun, "problem": f"fits {len(meant)}"}],
        )
    return meant[0]


def missing(noun: str, what: object) -> NotFound:
    """The error for a thing that is not in this workspace."""
    return NotFound(
        f"There is no {noun} “{what}” in this workspace.",
        next_step=f"List what there is, and use the id or the short form of one {noun}.",
        noun=noun,
        id=str(what),
    )


def changed(noun: str, what: str) -> Changed:
    """The error for a thing that someone else changed at the same moment."""
    return Changed(
        f"{noun.capitalize()} {what} was changed by someone else at the same moment. Nothing was changed.",
        next_step="Look at it again.",
        **{noun: what},
    )
