"""Finding a workspace and entering it: from then on the transaction sees that workspace and no other."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from sqlalchemy import CompoundSelect, Select, func, insert, literal, select, update
from sqlalchemy.orm import Session

from openlatch.core.model import Circle, Workspace
from openlatch.store.people.rows import WorkspaceRow
from openlatch.store.providers.rows import ProviderRow
from openlatch.store.record.rows import EventRow, SealRow
from openlatch.store.rules.rows import UpcomingRow

__all__ = ["Housekeeping", "insert_workspace", "rename_workspace", "workspace_of"]


def _set(session: Session, **values: str) -> None:
    session.execute(
        select(*(func.set_config(f"openlatch.{name}", one, literal(value=True)) for name, one in values.items()))
    )


def to_workspace(row: WorkspaceRow) -> Workspace:
    return Workspace(
        id=row.workspace_id,
        slug=row.slug,
        name=row.name,
        zone=row.zone,
        circle=Circle(frozenset(row.circle_domains), frozenset(row.circle_parties)),
        unused_days=row.unused_days,
        policy=row.policy,
    )


def workspace_of(session: Session, workspace: UUID | str) -> Workspace | None:
    """Enter the workspace of that id or slug for the rest of the transaction."""
    if isinstance(workspace, UUID):
        _set(session, workspace=str(workspace), slug="")
        row = session.scalar(select(WorkspaceRow).where(WorkspaceRow.workspace_id == workspace))
    else:
        _set(session, slug=workspace)
        row = session.scalar(select(WorkspaceRow).where(WorkspaceRow.slug == workspace))
        if row is not None:
            _set(session, workspace=str(row.workspace_id), slug="")
    return None if row is None else to_workspace(row)


def insert_workspace(session: Session, workspace: Workspace, created_at: datetime) -> None:
    """Create a workspace and enter it."""
    _set(session, workspace=str(workspace.id))
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


def rename_workspace(session: Session, workspace_id: UUID, name: str, zone: str) -> None:
    """Keep another name and zone of the workspace that was entered."""
    mine = WorkspaceRow.workspace_id == workspace_id
    session.execute(update(WorkspaceRow).where(mine).values(name=name, zone=zone))


class Housekeeping:
    """What the service asks of all workspaces together: their names, and which of them have work waiting."""

    def __init__(self, session: Session) -> None:
        self._session = session
        _set(session, housekeeping="on")

    def workspaces(self) -> tuple[Workspace, ...]:
        rows = self._session.scalars(select(WorkspaceRow).order_by(WorkspaceRow.slug))
        return tuple(to_workspace(row) for row in rows)

    def unsealed(self) -> tuple[UUID, ...]:
        behind = select(SealRow.workspace_id).where(SealRow.grown < SealRow.size)
        return self._ids(select(EventRow.workspace_id).where(EventRow.number.is_(None)).union(behind))

    def due(self, now: datetime) -> tuple[UUID, ...]:
        return self._ids(select(ProviderRow.workspace_id).where(ProviderRow.next_reading <= now).distinct())

    def due_again(self, now: datetime) -> tuple[UUID, ...]:
        return self._ids(select(UpcomingRow.workspace_id).where(UpcomingRow.at <= now).distinct())

    def _ids(self, query: Select[UUID] | CompoundSelect[UUID]) -> tuple[UUID, ...]:
        return tuple(self._session.scalars(query))
