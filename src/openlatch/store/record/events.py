"""The log's events: inserted freely by any transaction, numbered and linked afterwards by the one sealer."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, func, literal, or_, select, text
from sqlalchemy.dialects.postgresql import insert as upsert

from openlatch.core.record.ledger import START, Event
from openlatch.store.bulk import add_rows, change_rows
from openlatch.store.inventory.rows import EntryRow
from openlatch.store.noun import Noun
from openlatch.store.orders.rows import OrderRow
from openlatch.store.pages import Page, Sort, page
from openlatch.store.record.rows import EventRow, SealRow

__all__ = ["Events", "Head", "LoggedEvent"]


@dataclass(frozen=True, slots=True)
class LoggedEvent:
    """An event as it lies in the log; `number` and `link` are None until it is sealed."""

    id: UUID
    subject_id: UUID
    content: dict[str, Any]
    number: int | None
    link: str | None


@dataclass(frozen=True, slots=True)
class Head:
    """The end of the sealed log: its size, its last link, when it was sealed, and what waits to be sealed."""

    size: int
    link: str
    sealed_at: datetime | None
    unsealed: int


def _logged(row: EventRow) -> LoggedEvent:
    return LoggedEvent(row.id, row.subject_id, row.content, row.number, row.link)


class Events(Noun):
    """Queries over the log."""

    def append(self, events: Iterable[Event]) -> None:
        rows = [
            {
                "workspace_id": self._workspace_id,
                "id": event.id,
                "at": event.at,
                "actor": event.actor,
                "act": event.act,
                "subject": event.subject,
                "subject_id": event.subject_id,
                "content": event.content(),
            }
            for event in events
        ]
        add_rows(self._session, EventRow, rows)

    def head(self) -> Head:
        seal = self._session.get(SealRow, self._workspace_id, populate_existing=True)
        unsealed = self._session.scalar(select(func.count()).where(EventRow.number.is_(None))) or 0
        if seal is None:
            return Head(0, START, None, unsealed)
        return Head(seal.size, seal.link, seal.sealed_at, unsealed)

    def seal(self, link: Callable[[str, dict[str, Any]], str], now: datetime, most: int = 5000) -> int:
        """Number and link the committed events in their order; returns how many. One sealer at a time."""
        self._session.execute(select(func.pg_advisory_xact_lock(func.hashtext(str(self._workspace_id)))))
        head = self.head()
        waiting = self._session.execute(
            select(EventRow.id, EventRow.content)
            .where(EventRow.number.is_(None), text("written_by < pg_snapshot_xmin(pg_current_snapshot())"))
            .order_by(text("written_by"), EventRow.id)
            .limit(most)
        ).all()
        number, last = head.size, head.link
        sealed = []
        for row in waiting:
            number, last = number + 1, link(last, row.content)
            sealed.append({"workspace_id": self._workspace_id, "id": row.id, "number": number, "link": last})
        change_rows(self._session, EventRow, sealed, versioned=False)
        if sealed:
            values = {"size": number, "link": last, "sealed_at": now}
            self._session.execute(
                upsert(SealRow)
                .values(workspace_id=self._workspace_id, **values)
                .on_conflict_do_update(index_elements=["workspace_id"], set_=values)
            )
        return len(sealed)

    def after(self, number: int, limit: int) -> tuple[LoggedEvent, ...]:
        """Return the sealed events that come after a place in the log, in its order."""
        end = self._session.scalar(select(SealRow.size)) or 0
        query = select(EventRow).where(EventRow.number > number, EventRow.number <= end)
        return tuple(_logged(row) for row in self._session.scalars(query.order_by(EventRow.number).limit(limit)))

    def browse(
        self,
        *,
        subject_id: UUID | None,
        account_id: UUID | None = None,
        party_id: UUID | None = None,
        sealed_only: bool,
        oldest_first: bool,
        limit: int,
        cursor: str | None,
    ) -> Page[LoggedEvent]:
        """Return events; those about an account or a party include those about their entries and orders on these."""
        query = select(EventRow)
        if subject_id is not None:
            query = query.where(EventRow.subject_id == subject_id)
        for one, whose in ((account_id, EntryRow.account_id), (party_id, EntryRow.party_id)):
            if one is not None:
                theirs = select(EntryRow.id).where(whose == one)
                on: ColumnElement[bool] = OrderRow.entry_id.in_(theirs)
                if one == party_id:
                    on = or_(on, OrderRow.team_id == one, OrderRow.member_id == one)
                orders = select(OrderRow.id).where(on)
                about = select(literal(one, EntryRow.id.type).label("id")).union_all(theirs, orders).subquery()
                query = query.where(EventRow.subject_id.in_(select(about.c.id)))
        if sealed_only:
            query = query.where(EventRow.number.is_not(None))
            sort = Sort("number", (EventRow.number,), descending=not oldest_first)
        else:
            sort = Sort("time", (EventRow.at, EventRow.id), descending=not oldest_first)
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=lambda r: _logged(r[0]))
