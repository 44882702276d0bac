"""Readings: one row for each pass over a provider."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import delete, exists, func, or_, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import aliased

from openlatch.core.model import Reading
from openlatch.core.providers import ports
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun, missing
from openlatch.store.pages import Page, Sort, page
from openlatch.store.providers.rows import ReadingPageRow, ReadingRow
from openlatch.words import ReadingState

__all__ = ["Readings"]

_PAGE = TypeAdapter(ports.Page)
_OPEN = (ReadingState.QUEUED.value, ReadingState.RUNNING.value)


_READING = Codec(ReadingRow, Reading)


class Readings(Noun):
    """Queries over readings."""

    def open(self, reading: Reading) -> tuple[Reading, bool]:
        """Store a reading that is to be made, unless one is in progress: returns the one that is, and if it is new."""
        inserted = self._session.execute(
            insert(ReadingRow)
            .values(*self._rows_of(_READING, [reading]))
            .on_conflict_do_nothing()
            .returning(ReadingRow.id)
        ).first()
        if inserted is not None:
            return reading, True
        row = self._session.scalars(
            select(ReadingRow).where(ReadingRow.provider_id == reading.provider_id, ReadingRow.state.in_(_OPEN))
        ).first()
        return (_READING.read(row), False) if row is not None else self.open(reading)

    def save(self, reading: Reading) -> None:
        """Store a reading that moved on; of one that is over, what it saw page by page is forgotten."""
        self._session.execute(update(ReadingRow).where(ReadingRow.id == reading.id).values(**_READING.values(reading)))
        if reading.finished_at is not None:
            self.forget_pages(reading.id)

    def progress(self, reading_id: UUID, seen: int, total: int | None) -> None:
        """Record how far a reading is, and nothing else of it."""
        self._session.execute(update(ReadingRow).where(ReadingRow.id == reading_id).values(seen=seen, total=total))

    def keep_page(self, reading_id: UUID, place: int, seen: ports.Page, now: datetime) -> None:
        """Keep a page of a reading that can go on after it."""
        body = _PAGE.dump_python(seen, mode="json")
        mine = {"workspace_id": self._workspace_id, "reading_id": reading_id, "place": place}
        self._session.execute(insert(ReadingPageRow).values(**mine, body=body, seen_at=now))

    def pages_since(self, reading_id: UUID, instant: datetime) -> tuple[ports.Page, ...]:
        """Return the pages that a reading has seen, in their order; none if the last one is older than an instant."""
        mine = ReadingPageRow.reading_id == reading_id
        rows = self._session.scalars(select(ReadingPageRow).where(mine).order_by(ReadingPageRow.place)).all()
        if not rows or rows[-1].seen_at < instant:
            return ()
        return tuple(_PAGE.validate_python(row.body) for row in rows)

    def forget_pages(self, reading_id: UUID) -> None:
        """Forget what a reading has seen so far."""
        self._session.execute(delete(ReadingPageRow).where(ReadingPageRow.reading_id == reading_id))

    def forget(self, before: datetime) -> None:
        """Delete readings that were over before an instant, but for each provider’s latest and first complete one."""
        later = aliased(ReadingRow)
        own = (later.workspace_id == ReadingRow.workspace_id, later.provider_id == ReadingRow.provider_id)
        newer = exists().where(*own, later.id > ReadingRow.id)
        complete = ReadingState.COMPLETE.value
        earlier = exists().where(*own, later.state == complete, later.finished_at < ReadingRow.finished_at)
        gone = (ReadingRow.finished_at < before, newer, or_(ReadingRow.state != complete, earlier))
        self._session.execute(delete(ReadingRow).where(*gone))

    def accept_loss(self, reading_id: UUID) -> None:
        """Have a reading that is in progress end whatever it no longer shows."""
        self._session.execute(update(ReadingRow).where(ReadingRow.id == reading_id).values(accept_loss=True))

    def under_way(self, provider_id: UUID) -> Reading | None:
        """Return the reading of a provider that waits or is being made."""
        query = select(ReadingRow).where(ReadingRow.provider_id == provider_id, ReadingRow.state.in_(_OPEN))
        row = self._session.scalar(query)
        return None if row is None else _READING.read(row)

    def get(self, reading_id: UUID) -> Reading:
        row = self._session.get(ReadingRow, (self._workspace_id, reading_id), populate_existing=True)
        if row is None:
            raise missing("reading", reading_id)
        return _READING.read(row)

    def latest(self) -> dict[UUID, Reading]:
        """Return the latest reading of every provider."""
        last = func.first_value(ReadingRow.id).over(partition_by=ReadingRow.provider_id, order_by=ReadingRow.id.desc())
        rows = self._session.scalars(select(ReadingRow).where(ReadingRow.id.in_(select(last))))
        return {row.provider_id: _READING.read(row) for row in rows}

    def first_complete(self) -> dict[UUID, datetime]:
        """Return for every provider when its first complete reading was over."""
        query = select(ReadingRow.provider_id, func.min(ReadingRow.finished_at)).where(
            ReadingRow.state == ReadingState.COMPLETE.value
        )
        return {row[0]: row[1] for row in self._session.execute(query.group_by(ReadingRow.provider_id)) if row[1]}

    def browse(self, *, provider_id: UUID | None, limit: int, cursor: str | None) -> Page[Reading]:
        query = select(ReadingRow)
        if provider_id is not None:
            query = query.where(ReadingRow.provider_id == provider_id)
        sort = Sort("latest", (ReadingRow.id,), descending=True)
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=_READING.first)
