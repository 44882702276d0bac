"""Batches: the action wanted, and for each entry in it the order that was created, or why there is none."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import ColumnElement, and_, case, func, not_, or_, select, text, update

from openlatch.core.ids import ref_of
from openlatch.core.model import Author
from openlatch.core.taking_back.settled import LeftOpen
from openlatch.store.bulk import add_rows
from openlatch.store.codec import Codec, Form
from openlatch.store.inventory.rows import MembershipRow
from openlatch.store.jsonb import authored
from openlatch.store.noun import Noun
from openlatch.store.orders.orders import GOES_ON, waits_long
from openlatch.store.orders.rows import OrderRow
from openlatch.store.pages import Page, Sort, page
from openlatch.store.taking_back.rows import BatchItemRow, BatchRow
from openlatch.words import Outcome

__all__ = [
    "LEFT_OPEN",
    "Batch",
    "BatchItem",
    "Batches",
]


@dataclass(frozen=True, slots=True)
class Batch:
    """A batch of orders: `kind` is bulk, or leaver with the party that goes; `begins_at` None is at once.

    `over_at` is when nothing remained of someone who goes; what they are given after that is another matter.
    """

    id: UUID
    kind: str
    action: str
    wanted: Mapping[str, Any]
    reason: str
    ordered_by: Author
    ordered_at: datetime
    party_id: UUID | None = None
    begins_at: datetime | None = None
    cancelled_at: datetime | None = None
    over_at: datetime | None = None

    @property
    def ref(self) -> str:
        return ref_of(self.id)


@dataclass(frozen=True, slots=True)
class BatchItem:
    """One thing in a batch: an action on an entry or a membership, or for a person to do; `outcome` is what came of it.

    What a person does about a membership is done once a reading shows that no more.
    """

    place: int
    phase: int
    action: str
    text: str
    entry_id: UUID | None = None
    who: str = ""
    order_id: UUID | None = None
    outcome: Outcome = Outcome.TO_COME
    trouble: str = ""
    done_at: datetime | None = None
    done_by: str = ""
    membership_id: UUID | None = None
    left_open: LeftOpen | None = None


_LEFT_OPEN = TypeAdapter(LeftOpen | None)
LEFT_OPEN = Form(
    lambda left: _LEFT_OPEN.dump_python(left, mode="json"),
    lambda stored: _LEFT_OPEN.validate_python(stored and authored(stored, "owner", "by")),
)
"""How it is kept that something is left open."""
_BATCH = Codec(BatchRow, Batch)
_ITEM = Codec(BatchItemRow, BatchItem, apart=["outcome"], forms={"left_open": LEFT_OPEN})


_LEFT = and_(BatchItemRow.order_id.is_(None), BatchItemRow.came_to == "", BatchItemRow.done_at.is_(None))
"""Nothing has come of it so far."""
_ASKS = BatchItemRow.action == "ask"
"""It is for a person to do, and no order comes of it."""
_TO_BE_SEEN = and_(_ASKS, BatchItemRow.membership_id.is_not(None))
"""Once a person has done it, a reading has to show that."""
_NOT_SEEN_GONE = and_(_TO_BE_SEEN, MembershipRow.ended_at.is_(None))
_OF_MEMBERSHIP: ColumnElement[str] = case(
    (MembershipRow.ended_at.is_not(None), Outcome.PROVED.value),
    (BatchItemRow.done_at.is_not(None), Outcome.TOLD.value),
    else_=Outcome.TO_DO.value,
)
_OUTCOME: ColumnElement[str] = case(
    (BatchItemRow.left_open.is_not(None), Outcome.LEFT_OPEN.value),
    (BatchItemRow.came_to != "", BatchItemRow.came_to),
    (_TO_BE_SEEN, _OF_MEMBERSHIP),
    (BatchItemRow.done_at.is_not(None), Outcome.DONE.value),
    (_ASKS, Outcome.TO_DO.value),
    (BatchItemRow.order_id.is_(None), Outcome.TO_COME.value),
    else_=OrderRow.state,
)


_GOES_ON = and_(
    BatchItemRow.left_open.is_(None),
    BatchItemRow.came_to == "",
    or_(
        _NOT_SEEN_GONE,
        and_(
            not_(_TO_BE_SEEN),
            BatchItemRow.done_at.is_(None),
            or_(BatchItemRow.order_id.is_(None), GOES_ON),
        ),
    ),
)
"""It has not come to rest: an order goes on, a person has something to do, or a reading has to show it."""


class Batches(Noun):
    """Queries over batches."""

    def add(self, batch: Batch, items: Iterable[BatchItem]) -> None:
        self._add(_BATCH, [batch])
        self.add_items(batch.id, items)

    def add_items(self, batch_id: UUID, items: Iterable[BatchItem]) -> None:
        """Put things into a batch."""
        rows = [
            {**row, "batch_id": batch_id, "came_to": Outcome.REFUSED.value if row["trouble"] else ""}
            for row in self._rows_of(_ITEM, items)
        ]
        add_rows(self._session, BatchItemRow, rows)

    def find(self, text: str, *, lock: bool = False) -> Batch:
        return _BATCH.read(self._row("batch", BatchRow, text, lock=lock))

    def open_leaver(self, party_id: UUID) -> Batch | None:
        """Return the batch that takes back what a party holds, if one does."""
        query = select(BatchRow).where(
            BatchRow.party_id == party_id,
            BatchRow.kind == "leaver",
            BatchRow.cancelled_at.is_(None),
            BatchRow.over_at.is_(None),
        )
        row = self._session.scalars(query).first()
        return _BATCH.read(row) if row is not None else None

    def browse(self, *, kind: str, limit: int, cursor: str | None) -> Page[Batch]:
        query = select(BatchRow)
        if kind:
            query = query.where(BatchRow.kind == kind)
        sort = Sort("latest", (BatchRow.id,), descending=True)
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=_BATCH.first)

    def outcomes(self, batch_ids: Sequence[UUID]) -> dict[UUID, dict[str, int]]:
        """Return for each batch how many things came to what: a state of orders, refused, done, to do, or to come."""
        query = (
            self._items(BatchItemRow.batch_id, _OUTCOME.label("outcome"), func.count())
            .where(BatchItemRow.batch_id == func.any(list(batch_ids)))
            .group_by(BatchItemRow.batch_id, _OUTCOME)
        )
        documents: dict[UUID, dict[str, int]] = {batch_id: {} for batch_id in batch_ids}
        for batch_id, outcome, number in self._session.execute(query):
            documents[batch_id][outcome] = number
        return documents

    def items(self, batch_id: UUID, *, outcome: str = "", limit: int = 1000) -> tuple[BatchItem, ...]:
        """Return things in a batch in their order."""
        query = self._items(BatchItemRow, _OUTCOME).where(BatchItemRow.batch_id == batch_id)
        if outcome:
            query = query.where(outcome == _OUTCOME)
        rows = self._session.execute(query.order_by(BatchItemRow.place).limit(limit))
        return tuple(_ITEM.read(row[0], outcome=Outcome(row[1])) for row in rows)

    def item(self, batch_id: UUID, place: int) -> BatchItem | None:
        """Return the thing in a batch at a place, if there is one."""
        mine = and_(BatchItemRow.batch_id == batch_id, BatchItemRow.place == place)
        row = self._session.execute(self._items(BatchItemRow, _OUTCOME).where(mine)).first()
        return _ITEM.read(row[0], outcome=Outcome(row[1])) if row is not None else None

    def left(self, batch_id: UUID, phase: int, limit: int) -> tuple[BatchItem, ...]:
        """Return things for orders in a phase of which nothing has come so far."""
        query = (
            select(BatchItemRow)
            .where(BatchItemRow.batch_id == batch_id, BatchItemRow.phase == phase, _LEFT)
            .where(not_(_ASKS))
            .order_by(BatchItemRow.place)
            .limit(limit)
        )
        return tuple(map(_ITEM.read, self._session.scalars(query)))

    def phase(self, batch_id: UUID) -> int | None:
        """Return the first phase in which not everything rests; None once everything does."""
        query = self._items(func.min(BatchItemRow.phase)).where(BatchItemRow.batch_id == batch_id, _GOES_ON)
        number: int | None = self._session.scalar(query)
        return number

    def resting(self, batch_ids: Iterable[UUID], now: datetime) -> set[UUID]:
        """Return those of some batches in which nothing goes on by itself now, whatever people have still to do."""
        people = or_(_ASKS, and_(BatchItemRow.order_id.is_not(None), waits_long(now)))
        query = (
            self._items(BatchItemRow.batch_id, BatchItemRow.phase, func.bool_and(people))
            .where(BatchItemRow.batch_id == func.any(list(batch_ids)), _GOES_ON)
            .group_by(BatchItemRow.batch_id, BatchItemRow.phase)
            .order_by(BatchItemRow.batch_id, BatchItemRow.phase)
        )
        first: dict[UUID, bool] = {}
        for batch_id, _, waits in self._session.execute(query):
            first.setdefault(batch_id, waits)
        return {batch_id for batch_id in batch_ids if first.get(batch_id, True)}

    def leave_open(self, batch_id: UUID, place: int, left: LeftOpen) -> bool:
        """Keep that something is left open; returns whether there was anything that had not come to rest well."""
        there = self.item(batch_id, place)
        if there is None or there.outcome.settled:
            return False
        self._change(batch_id, place, left_open=LEFT_OPEN.write(left))
        return True

    def moving(self, batch_id: UUID) -> bool:
        """Return whether an order of a batch still goes on by itself."""
        query = select(OrderRow.id).where(OrderRow.batch_id == batch_id, GOES_ON).limit(1)
        return self._session.scalar(query) is not None

    def ordered(self, batch_id: UUID, orders: Mapping[int, UUID]) -> None:
        """Keep the orders that came of things, by their places."""
        statement = text(
            "update batch_items set order_id = came.order_id "
            "from unnest(cast(:places as integer[]), cast(:orders as uuid[])) as came (place, order_id) "
            "where workspace_id = :workspace and batch_id = :batch and batch_items.place = came.place"
        )
        values = {"places": list(orders), "orders": list(orders.values()), "batch": batch_id}
        self._session.execute(statement, values | {"workspace": self._workspace_id})

    def came(self, batch_id: UUID, place: int, outcome: Outcome, why: str) -> None:
        """Keep what came of something of which there is no order, and why there is none."""
        self._change(batch_id, place, came_to=outcome.value, trouble=why)

    def done(self, batch_id: UUID, place: int, by: str, now: datetime) -> bool:
        """Keep that a person has done something; returns whether it was for a person, and still to be done."""
        mine = and_(BatchItemRow.batch_id == batch_id, BatchItemRow.place == place)
        statement = update(BatchItemRow).where(mine, _ASKS, _LEFT)
        rows = self._session.execute(statement.values(done_at=now, done_by=by).returning(BatchItemRow.place))
        return rows.first() is not None

    def close(self, batch_id: UUID, now: datetime) -> None:
        """Keep that a batch is over."""
        self._session.execute(update(BatchRow).where(BatchRow.id == batch_id).values(over_at=now))

    def cancel(self, batch_id: UUID, now: datetime, why: str) -> None:
        """Let nothing more come of a batch."""
        called_off = {"came_to": Outcome.CANCELLED.value, "trouble": why}
        mine = and_(BatchItemRow.batch_id == batch_id, BatchItemRow.order_id.is_(None), BatchItemRow.came_to == "")
        self._session.execute(update(BatchItemRow).where(mine, BatchItemRow.done_at.is_(None)).values(**called_off))
        self._session.execute(update(BatchRow).where(BatchRow.id == batch_id).values(cancelled_at=now))

    def _change(self, batch_id: UUID, place: int, **values: Any) -> None:
        mine = and_(BatchItemRow.batch_id == batch_id, BatchItemRow.place == place)
        self._session.execute(update(BatchItemRow).where(mine).values(**values))

    def _items(self, *columns: Any) -> Any:
        same = and_(OrderRow.workspace_id == BatchItemRow.workspace_id, OrderRow.id == BatchItemRow.order_id)
        seen = and_(
            MembershipRow.workspace_id == BatchItemRow.workspace_id, MembershipRow.id == BatchItemRow.membership_id
        )
        return select(*columns).select_from(BatchItemRow).outerjoin(OrderRow, same).outerjoin(MembershipRow, seen)
