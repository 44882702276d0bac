"""What the queries of every noun share: the session, the workspace, and finding a thing by what people type."""

from __future__ import annotations

from uuid import UUID

from sqlalchemy.orm import Session

from openlatch.core.ids import normal_ref
from openlatch.errors import NotFound

__all__ = ["Noun", "id_or_ref", "missing"]


class Noun:
    """The queries of one noun in one workspace and one transaction."""

    def __init__(self, session: Session, workspace_id: UUID) -> None:
        self._session = session
        self._workspace_id = workspace_id


def id_or_ref(text: str) -> UUID | str | None:
    """Return what a person typed as an id, as a ref in its one spelling, or None if it can be neither."""
    try:
        return UUID(text)
    except ValueError:
        return normal_ref(text)


def missing(noun: str, what: object) -> NotFound:
    """The error for a thing that is not in this workspace."""
    return NotFound(
        f"There is no {noun} “{what}” in this workspace.",
        next_step=f"List what there is, and use the id or the short form of one {noun}.",
        noun=noun,
        id=str(what),
    )
