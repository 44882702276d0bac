"""Views of lists that people saved for themselves."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert

from openlatch.store.inventory.rows import ViewRow
from openlatch.store.noun import Noun
from openlatch.words import Listable

__all__ = ["View", "Views"]


@dataclass(frozen=True, slots=True)
class View:
    """A search of a list with its filters and order, as the query of an address, under a name."""

    id: UUID
    of: Listable
    name: str
    query: str


class Views(Noun):
    """Queries over the views of one person."""

    def of(self, person_id: UUID) -> tuple[View, ...]:
        rows = self._session.scalars(
            select(ViewRow).where(ViewRow.person_id == person_id).order_by(ViewRow.name, ViewRow.of)
        )
        return tuple(View(row.id, Listable(row.of), row.name, row.query) for row in rows)

    def save(self, person_id: UUID, view: View) -> None:
        """Store a view; one of the same list that has the same name is replaced."""
        statement = insert(ViewRow).values(
            workspace_id=self._workspace_id,
            id=view.id,
            person_id=person_id,
            of=view.of.value,
            name=view.name,
            query=view.query,
        )
        names = [ViewRow.workspace_id, ViewRow.person_id, ViewRow.of, ViewRow.name]
        self._session.execute(statement.on_conflict_do_update(index_elements=names, set_={"query": view.query}))

    def remove(self, person_id: UUID, view_id: UUID) -> bool:
        """Delete a view; returns whether there was one."""
        statement = delete(ViewRow).where(ViewRow.person_id == person_id, ViewRow.id == view_id).returning(ViewRow.id)
        return self._session.scalars(statement).first() is not None
