"""Finding a workspace and entering it: from then on the transaction sees that workspace and no other."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Select, bindparam, func, insert, inspect, literal, select, text, update
from sqlalchemy.orm import Session

from openlatch.core.model import Circle, Workspace
from openlatch.core.running.state import LONG
from openlatch.store.people.rows import WorkspaceRow
from openlatch.words import Role

__all__ = ["Housekeeping", "change_workspace", "insert_workspace", "workspace_of"]


def _setting(*names: str) -> Select[Any]:
    """A statement that sets these of the transaction's settings, made once: it begins each of them."""
    return select(*(func.set_config(f"openlatch.{name}", bindparam(name), literal(value=True)) for name in names))


_ENTER, _LOOK, _FOUND = _setting("workspace", "slug"), _setting("slug"), _setting("workspace")
_TABLE = inspect(WorkspaceRow).local_table
_BY_ID = select(_TABLE).where(WorkspaceRow.workspace_id == bindparam("wanted"))
_BY_SLUG = select(_TABLE).where(WorkspaceRow.slug == bindparam("wanted"))


_KEEPS = ("keep_events_days", "keep_activity_days", "keep_readings_days")


def to_workspace(row: Any) -> Workspace:
    return Workspace(
        id=row.workspace_id,
        slug=row.slug,
        name=row.name,
        zone=row.zone,
        circle=Circle(frozenset(row.circle_domains), frozenset(row.circle_parties)),
        unused_days=row.unused_days,
        policy=row.policy,
        second_factor=frozenset(map(Role, row.second_factor)),
        **{name: getattr(row, name) for name in _KEEPS},
    )


def workspace_of(session: Session, workspace: UUID | str) -> Workspace | None:
    """Enter the workspace of that id or slug for the rest of the transaction."""
    if isinstance(workspace, UUID):
        session.execute(_ENTER, {"workspace": str(workspace), "slug": ""})
        row = session.execute(_BY_ID, {"wanted": workspace}).first()
    else:
        session.execute(_LOOK, {"slug": workspace})
        row = session.execute(_BY_SLUG, {"wanted": workspace}).first()
        if row is not None:
            session.execute(_ENTER, {"workspace": str(row.workspace_id), "slug": ""})
    return None if row is None else to_workspace(row)


def insert_workspace(session: Session, workspace: Workspace, created_at: datetime) -> None:
    """Create a workspace and enter it."""
    session.execute(_FOUND, {"workspace": str(workspace.id)})
    session.execute(
        insert(WorkspaceRow).values(
            workspace_id=workspace.id,
            slug=workspace.slug,
            name=workspace.name,
            zone=workspace.zone,
            circle_domains=sorted(workspace.circle.domains),
            unused_days=workspace.unused_days,
            policy=0,
            circle_parties=[],
            created_at=created_at,
        )
    )


def change_workspace(session: Session, workspace: Workspace) -> None:
    """Store what can be set of the workspace that was entered: its name and zone, who needs what, what is kept."""
    values = {"name": workspace.name, "zone": workspace.zone, "second_factor": sorted(workspace.second_factor)}
    values |= {name: getattr(workspace, name) for name in _KEEPS}
    session.execute(update(WorkspaceRow).where(WorkspaceRow.workspace_id == workspace.id).values(**values))


class Housekeeping:
    """What the service asks of all workspaces together: their names, and which of them have work waiting.

    It is asked by functions of the owner's: no other way leads to more than one workspace.
    """

    def __init__(self, session: Session) -> None:
        self._session = session

    def workspaces(self) -> tuple[Workspace, ...]:
        every = select(WorkspaceRow).from_statement(text("select * from openlatch_workspaces()"))
        return tuple(to_workspace(row) for row in self._session.scalars(every))

    def unsealed(self) -> tuple[UUID, ...]:
        return self._ids("select openlatch_unsealed()")

    def due(self, now: datetime) -> tuple[UUID, ...]:
        return self._ids("select openlatch_due(:now)", now=now)

    def due_again(self, now: datetime) -> tuple[UUID, ...]:
        return self._ids("select openlatch_due_again(:now)", now=now)

    def measured(self, now: datetime) -> list[tuple[str, str, float]]:
        """Return what is counted of all workspaces together: its name, what tells it apart, and the value."""
        counted = text("select name, label, value from openlatch_measured(:now, :late)")
        rows = self._session.execute(counted, {"now": now, "late": LONG})
        return [(row.name, row.label, row.value) for row in rows]

    def learn(self, many: int) -> int:
        """Have the planner know tables of which so many rows are new, and half as many as there were; returns how many.

        Of the database's own numbers, which it brings up to date some seconds after a transaction is over.
        """
        return int(self._session.scalar(text("select openlatch_learn(:many)"), {"many": many}) or 0)

    def _ids(self, statement: str, **values: datetime) -> tuple[UUID, ...]:
        return tuple(self._session.scalars(text(statement), values))
