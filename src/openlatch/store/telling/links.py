"""Links that are answered once."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import insert, select, update

from openlatch.store.noun import Noun
from openlatch.store.telling.rows import LinkRow

__all__ = ["Link", "Links"]


@dataclass(frozen=True, slots=True)
class Link:
    """A link that was sent to an address, about something; `answer` is empty until it is used."""

    id: UUID
    purpose: str
    subject_id: UUID
    address: str
    made_at: datetime
    lapses_at: datetime
    withdrawn_at: datetime | None = None
    used_at: datetime | None = None
    answer: str = ""


class Links(Noun):
    """Queries over links."""

    def add(self, link: Link) -> None:
        values = {
            "workspace_id": self._workspace_id,
            "id": link.id,
            "purpose": link.purpose,
            "subject_id": link.subject_id,
            "address": link.address,
            "made_at": link.made_at,
            "lapses_at": link.lapses_at,
            "answer": "",
        }
        self._session.execute(insert(LinkRow).values(**values))

    def find(self, link_id: UUID, *, lock: bool = False) -> Link | None:
        query = select(LinkRow).where(LinkRow.id == link_id).execution_options(populate_existing=True)
        row = self._session.scalars(query.with_for_update() if lock else query).first()
        if row is None:
            return None
        return Link(
            id=row.id,
            purpose=row.purpose,
            subject_id=row.subject_id,
            address=row.address,
            made_at=row.made_at,
            lapses_at=row.lapses_at,
            withdrawn_at=row.withdrawn_at,
            used_at=row.used_at,
            answer=row.answer,
        )

    def used(self, link_id: UUID, answer: str, now: datetime) -> None:
        self._session.execute(update(LinkRow).where(LinkRow.id == link_id).values(used_at=now, answer=answer))

    def withdraw(self, subject_id: UUID, now: datetime) -> None:
        """Let no link about something be answered any more."""
        still = (LinkRow.subject_id == subject_id, LinkRow.used_at.is_(None), LinkRow.withdrawn_at.is_(None))
        self._session.execute(update(LinkRow).where(*still).values(withdrawn_at=now))
