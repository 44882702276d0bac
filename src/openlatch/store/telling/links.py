"""Links that are answered once."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import func, select, update

from openlatch.store.codec import Codec
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


_LINK = Codec(LinkRow, Link)


class Links(Noun):
    """Queries over links."""

    def add(self, link: Link) -> None:
        self._add(_LINK, [link])

    def find(self, link_id: UUID, *, lock: bool = False) -> Link | None:
        query = select(LinkRow).where(LinkRow.id == link_id).execution_options(populate_existing=True)
        row = self._session.scalars(query.with_for_update() if lock else query).first()
        return None if row is None else _LINK.read(row)

    def made_since(self, subject_id: UUID, purpose: str, since: datetime) -> int:
        """Return how many links of one purpose were made about something since an instant."""
        mine = (LinkRow.subject_id == subject_id, LinkRow.purpose == purpose, LinkRow.made_at > since)
        return self._session.scalar(select(func.count()).where(*mine)) or 0

    def used(self, link_id: UUID, answer: str, now: datetime) -> None:
        self._session.execute(update(LinkRow).where(LinkRow.id == link_id).values(used_at=now, answer=answer))

    def withdraw(self, subject_id: UUID, now: datetime) -> None:
        """Let no link about something be answered any more."""
        still = (LinkRow.subject_id == subject_id, LinkRow.used_at.is_(None), LinkRow.withdrawn_at.is_(None))
        self._session.execute(update(LinkRow).where(*still).values(withdrawn_at=now))
