"""What people are told: news that was made, and the letters in which it was sent."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, func, select, update

from openlatch.core.telling.notices import Notice
from openlatch.store.bulk import add_new
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun
from openlatch.store.pages import Page, Sort, page
from openlatch.store.telling.rows import NoticeRow

__all__ = ["Addressed", "Notices"]


@dataclass(frozen=True, slots=True)
class Addressed:
    """News for someone: a person of the workspace, or whoever has that address. `due_at` None is never sent."""

    id: UUID
    notice: Notice
    address: str
    name: str
    person_id: UUID | None
    made_at: datetime
    due_at: datetime | None
    sent_at: datetime | None = None
    letter_id: UUID | None = None
    attempts: int = 0
    trouble: str = ""


_NEWS = Codec(NoticeRow, Notice)
_NOTICE = Codec(NoticeRow, Addressed, apart=["notice"])


class Notices(Noun):
    """Queries over what people are told."""

    def add(self, new: Iterable[Addressed]) -> int:
        """Store news; what the same address was told already under the same key is left out. Returns how many."""
        rows = [self._rows_of(_NOTICE, [one], **_NEWS.values(one.notice))[0] for one in new]
        return len(add_new(self._session, NoticeRow, rows))

    def of(self, person_id: UUID, limit: int, cursor: str | None) -> Page[Addressed]:
        """Return what someone was told, the latest first."""
        query = select(NoticeRow).where(NoticeRow.person_id == person_id)
        sort = Sort("latest", (NoticeRow.made_at, NoticeRow.id), descending=True)
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=lambda row: _notice(row[0]))

    def to(self, address: str) -> tuple[Addressed, ...]:
        """Return all that whoever has an address was told, the first first."""
        query = select(NoticeRow).where(NoticeRow.address == address).order_by(NoticeRow.id)
        return tuple(_notice(row) for row in self._session.scalars(query))

    def due(self, now: datetime, limit: int) -> tuple[Addressed, ...]:
        """Return all that is to be sent now to whoever has waited longest, unless another worker is at it."""
        unsent = (NoticeRow.sent_at.is_(None), NoticeRow.due_at <= now)
        first = select(NoticeRow.address).where(*unsent).order_by(NoticeRow.due_at).limit(1)
        address = self._session.scalar(first.with_for_update(skip_locked=True))
        if address is None:
            return ()
        query = select(NoticeRow).where(*unsent, NoticeRow.address == address).order_by(NoticeRow.id).limit(limit)
        rows = self._session.scalars(query.with_for_update(skip_locked=True).execution_options(populate_existing=True))
        return tuple(_notice(row) for row in rows)

    def in_letter(self, letter_id: UUID) -> tuple[Addressed, ...]:
        rows = self._session.scalars(select(NoticeRow).where(NoticeRow.letter_id == letter_id).order_by(NoticeRow.id))
        return tuple(_notice(row) for row in rows)

    def put_in(self, ids: Iterable[UUID], letter_id: UUID) -> None:
        """Keep in which letter news goes out, before it is sent."""
        self._session.execute(update(NoticeRow).where(NoticeRow.id == func.any(list(ids))).values(letter_id=letter_id))

    def sent(self, letter_id: UUID, now: datetime) -> None:
        statement = update(NoticeRow).where(NoticeRow.letter_id == letter_id)
        self._session.execute(statement.values(sent_at=now, trouble=""))

    def not_sent(self, letter_id: UUID, why: str, again_at: datetime | None) -> None:
        """Keep why a letter could not be sent, and when it is tried again, if it is."""
        statement = update(NoticeRow).where(NoticeRow.letter_id == letter_id)
        self._session.execute(statement.values(attempts=NoticeRow.attempts + 1, trouble=why, due_at=again_at))

    def forget_before(self, before: datetime) -> None:
        self._session.execute(delete(NoticeRow).where(NoticeRow.made_at < before))


def _notice(row: NoticeRow) -> Addressed:
    return _NOTICE.read(row, notice=_NEWS.read(row))
