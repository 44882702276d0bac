"""Reviews: plans, rounds, items, and the secret addresses of calendars."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from types import SimpleNamespace
from typing import Any
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import ColumnElement, Text, and_, case, delete, func, not_, or_, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import IntegrityError

from openlatch.core.reviews.decisions import Decision, Facts
from openlatch.core.reviews.plans import Item, ReviewPlan, Round
from openlatch.errors import Conflict
from openlatch.store.bulk import change_rows
from openlatch.store.codec import Codec, Form
from openlatch.store.jsonb import authored, plain
from openlatch.store.noun import Noun, changed, id_or_ref, the_one
from openlatch.store.orders.orders import GOES_ON, waits_long
from openlatch.store.orders.rows import OrderRow
from openlatch.store.pages import Page, Sort, page
from openlatch.store.record.rows import EventRow, SealRow
from openlatch.store.reviews.rows import CalendarRow, ReviewPlanRow, RoundItemRow, RoundReportRow, RoundRow
from openlatch.store.taking_back.batches import LEFT_OPEN
from openlatch.words import Choice, Outcome, RoundState

__all__ = [
    "Past",
    "Progress",
    "Reviews",
]


@dataclass(frozen=True, slots=True)
class Past:
    """What was decided about an entry in an earlier round, and what was known then."""

    round_id: UUID
    decision: Decision
    facts: Facts


PASSED_OVER = 1000
"""Once so many events were none of a plan's concern, it begins behind them the next time."""
_DECISION = TypeAdapter(Decision | None)
_DECIDED = Form(
    lambda decision: _DECISION.dump_python(decision, mode="json"),
    lambda stored: _DECISION.validate_python(stored and authored(stored, "by", "instead_of")),
)
_PLAN = Codec(ReviewPlanRow, ReviewPlan, rest="body")
_ROUND = Codec(RoundRow, Round, apart=["plan"])
_ITEM = Codec(RoundItemRow, Item, forms={"decision": _DECIDED, "left_open": LEFT_OPEN})
_SAME_ROUND = and_(RoundRow.workspace_id == RoundItemRow.workspace_id, RoundRow.id == RoundItemRow.round_id)
_KEEPS: ColumnElement[bool] = RoundItemRow.decision.contains({"choice": Choice.KEEP.value})
_OUTCOME: ColumnElement[str] = case(
    (RoundItemRow.left_open.is_not(None), Outcome.LEFT_OPEN.value),
    (RoundItemRow.gone, Outcome.GONE.value),
    (RoundItemRow.decision.is_(None), Outcome.UNDECIDED.value),
    (RoundItemRow.trouble != "", Outcome.REFUSED.value),
    (RoundItemRow.order_id.is_not(None), OrderRow.state.cast(Text)),
    (_KEEPS, Outcome.KEPT.value),
    else_=Outcome.TO_COME.value,
)
"""What came of an item so far."""


@dataclass(frozen=True, slots=True)
class Progress:
    """How many items someone is asked about, how many of them are decided, and how many of these by others."""

    items: int
    decided: int
    by_others: int


_KEPT = ReviewPlanRow.removed_at.is_(None)


class Reviews(Noun):
    """Queries over review plans, rounds and their items."""

    # Plans

    def names_of_rounds(self, ids: Iterable[UUID]) -> dict[UUID, str]:
        """Return of which review rounds are, by its name."""
        return self._called(RoundRow, RoundRow.plan["name"].astext, ids)

    def add_plan(self, plan: ReviewPlan, seen: int) -> None:
        """Store a plan, which heeds events from a place in the log on."""
        try:
            with self._session.begin_nested():
                self._add(_PLAN, [plan], seen=seen)
        except IntegrityError as error:
            raise _same_name(plan.name) from error

    def save_plan(self, plan: ReviewPlan) -> None:
        """Store a plan one version on; raises Changed if someone else did so first."""
        try:
            with self._session.begin_nested():
                self._save("review", _PLAN, plan)
        except IntegrityError as error:
            raise _same_name(plan.name) from error

    def plan(self, text: str, *, lock: bool = False) -> ReviewPlan:
        """Return the plan that a person means, by id, short form or name."""
        wanted = id_or_ref(text)
        query = select(ReviewPlanRow).where(_KEPT)
        if isinstance(wanted, UUID):
            query = query.where(ReviewPlanRow.id == wanted)
        else:
            named = func.lower(ReviewPlanRow.name) == text.strip().lower()
            query = query.where(or_(named, ReviewPlanRow.ref == wanted)).order_by(ReviewPlanRow.id)
        rows = self._session.scalars(_locked(query, lock)).all()
        return _PLAN.read(the_one("review", text, rows, lambda value: (value.id, value.name, "")))

    def remove_plan(self, plan_id: UUID, now: datetime) -> None:
        """Give a plan up: it is found no more, and its rounds stay with what they keep of it."""
        gone = {"removed_at": now, "next_at": None}
        self._session.execute(update(ReviewPlanRow).where(ReviewPlanRow.id == plan_id).values(**gone))

    def plans(self) -> tuple[ReviewPlan, ...]:
        query = select(ReviewPlanRow).where(_KEPT).order_by(ReviewPlanRow.name)
        return tuple(map(_PLAN.read, self._session.scalars(query)))

    def due(self, now: datetime) -> tuple[ReviewPlan, ...]:
        """Return the plans that come round by now, and that no other scheduler is at."""
        query = select(ReviewPlanRow).where(ReviewPlanRow.next_at <= now, ReviewPlanRow.paused.is_(False), _KEPT)
        query = query.order_by(ReviewPlanRow.next_at).with_for_update(skip_locked=True)
        return tuple(map(_PLAN.read, self._session.scalars(query.execution_options(populate_existing=True))))

    def happened(self, plan_id: UUID, acts: Sequence[str]) -> tuple[tuple[int, Mapping[str, Any]], ...]:
        """Return the events of these acts that a plan has not heeded yet, by their places in the log.

        Only what is sealed counts: nothing can come before it any more. None, if another scheduler is at it.
        """
        query = select(ReviewPlanRow.seen).where(ReviewPlanRow.id == plan_id).with_for_update(skip_locked=True)
        seen = self._session.scalar(query)
        if seen is None:
            return ()
        end: int = self._session.scalar(select(SealRow.size)) or 0
        # What was made before the plan was is not its matter, though it was sealed later: ids tell when.
        the_query = select(EventRow).where(
            EventRow.act == func.any(list(acts)), EventRow.number > seen, EventRow.number <= end
        )
        rows = self._session.scalars(the_query.where(EventRow.id > plan_id).order_by(EventRow.number).limit(1000)).all()
        if not rows and end - seen > PASSED_OVER:
            self.heeded(plan_id, end)
        return tuple((row.number or 0, row.content) for row in rows)

    def heeded(self, plan_id: UUID, number: int) -> None:
        """Keep up to which place in the log a plan has heeded events."""
        self._session.execute(update(ReviewPlanRow).where(ReviewPlanRow.id == plan_id).values(seen=number))

    def answering(self, plan_id: UUID) -> bool:
        """Return whether a round of a plan is open to be answered."""
        query = select(RoundRow.id).where(RoundRow.plan_id == plan_id, RoundRow.state == RoundState.OPEN.value)
        return self._session.scalar(query.limit(1)) is not None

    # Rounds

    def add(self, new: Round, items: Iterable[Item]) -> bool:
        """Store a round; returns False if there is one for this occurrence of its plan already."""
        statement = (
            insert(RoundRow)
            .values(*self._rows_of(_ROUND, [new], plan_id=new.plan.id, plan=plain(_PLAN.values(new.plan))))
            .on_conflict_do_nothing()
            .returning(RoundRow.id)
        )
        if self._session.execute(statement).first() is None:
            return False
        self._add(_ITEM, items)
        return True

    def save(self, review_round: Round) -> None:
        """Store a round one version on; raises Changed if someone else did so first."""
        self._save("round", _ROUND, review_round)

    def find(self, text: str, *, lock: bool = False) -> Round:
        """Return the round that a person means, by id or short form."""
        return _round(self._row("round", RoundRow, text, lock=lock))

    def browse(
        self, *, states: Sequence[RoundState], plan_id: UUID | None, limit: int, cursor: str | None
    ) -> Page[Round]:
        query = select(RoundRow)
        if states:
            query = query.where(RoundRow.state.in_([state.value for state in states]))
        if plan_id is not None:
            query = query.where(RoundRow.plan_id == plan_id)
        sort = Sort("latest", (RoundRow.opened_at, RoundRow.id), descending=True)
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=lambda r: _round(r[0]))

    def unfinished(self) -> tuple[Round, ...]:
        """Return the rounds that are not closed, the oldest first."""
        query = select(RoundRow).where(RoundRow.state.in_([RoundState.OPEN.value, RoundState.SETTLING.value]))
        return tuple(_round(row) for row in self._session.scalars(query.order_by(RoundRow.opened_at)))

    def keep_report(self, round_id: UUID, content: Mapping[str, Any], signed: str) -> None:
        """Keep what was said of a round when it was closed; it is written once."""
        values = {"workspace_id": self._workspace_id, "round_id": round_id, "content": dict(content), "signed": signed}
        self._session.execute(insert(RoundReportRow).values(**values))

    def report(self, round_id: UUID) -> tuple[Mapping[str, Any], str] | None:
        """Return what was said of a round when it was closed, and that signed."""
        row = self._session.get(RoundReportRow, (self._workspace_id, round_id))
        return None if row is None else (row.content, row.signed)

    # Items

    def outcomes(self, round_ids: Sequence[UUID]) -> dict[UUID, dict[str, int]]:
        """Return for each round how many items came to what: undecided, kept, to come, a state of orders, and so on."""
        query = (
            _with_orders(RoundItemRow.round_id, _OUTCOME.label("outcome"), func.count())
            .where(RoundItemRow.round_id == func.any(list(round_ids)))
            .group_by(RoundItemRow.round_id, _OUTCOME)
        )
        documents: dict[UUID, dict[str, int]] = {round_id: {} for round_id in round_ids}
        for round_id, outcome, number in self._session.execute(query):
            documents[round_id][outcome] = number
        return documents

    def moving(self, round_ids: Sequence[UUID], now: datetime) -> set[UUID]:
        """Return those of some rounds in which something goes on by itself now."""
        going = and_(GOES_ON, not_(waits_long(now)))
        query = (
            _with_orders(RoundItemRow.round_id)
            .where(
                RoundItemRow.round_id == func.any(list(round_ids)), RoundItemRow.left_open.is_(None), ~RoundItemRow.gone
            )
            .where(or_(_OUTCOME.in_([Outcome.TO_COME.value]), and_(RoundItemRow.order_id.is_not(None), going)))
        )
        return {row[0] for row in self._session.execute(query.distinct())}

    def progress(self, round_id: UUID) -> dict[UUID | None, Progress]:
        """Return for each reviewer how many items there are, how many are decided, and how many of these by others."""
        by_others = func.count(func.nullif(RoundItemRow.decision["instead_of"].astext, ""))
        query = (
            select(RoundItemRow.reviewer, func.count(), func.count(RoundItemRow.decision), by_others)
            .where(RoundItemRow.round_id == round_id)
            .group_by(RoundItemRow.reviewer)
        )
        return {row[0]: Progress(*row[1:]) for row in self._session.execute(query)}

    def asked_in(self, entry_ids: Iterable[UUID]) -> dict[UUID, int]:
        """Return the open rounds that ask about some of these entries, each with about how many of them."""
        query = (
            select(RoundItemRow.round_id, func.count())
            .join(RoundRow, _SAME_ROUND)
            .where(RoundRow.state == RoundState.OPEN.value, RoundItemRow.entry_id == func.any(list(entry_ids)))
            .group_by(RoundItemRow.round_id)
        )
        return {row[0]: row[1] for row in self._session.execute(query)}

    def some(self, round_ids: Iterable[UUID]) -> tuple[Round, ...]:
        """Return rounds by their ids, the oldest first."""
        query = select(RoundRow).where(RoundRow.id == func.any(list(round_ids))).order_by(RoundRow.opened_at)
        return tuple(_round(row) for row in self._session.scalars(query))

    def waiting(self, person_id: UUID) -> dict[UUID, int]:
        """Return the open rounds in which someone is still asked something, with how much."""
        query = (
            select(RoundItemRow.round_id, func.count())
            .join(RoundRow, _SAME_ROUND)
            .where(RoundItemRow.reviewer == person_id, RoundItemRow.decision.is_(None))
            .where(RoundRow.state == RoundState.OPEN.value, RoundRow.paused_at.is_(None))
            .group_by(RoundItemRow.round_id)
        )
        return {row[0]: row[1] for row in self._session.execute(query)}

    def asked_about(self, round_id: UUID) -> set[UUID]:
        """Return the entries that a round asks about."""
        return set(self._session.scalars(select(RoundItemRow.entry_id).where(RoundItemRow.round_id == round_id)))

    def browse_items(
        self, round_id: UUID, *, reviewer: UUID | None, outcome: str, limit: int, cursor: str | None
    ) -> Page[tuple[Item, Outcome]]:
        """Return some items of a round in their order, each with what came of it."""
        query = _items(round_id, outcome)
        if reviewer is not None:
            query = query.where(RoundItemRow.reviewer == reviewer)
        sort = Sort("place", (RoundItemRow.place,))
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=_item)

    def items(
        self,
        round_id: UUID,
        *,
        outcome: str = "",
        places: Iterable[int] | None = None,
        limit: int | None = None,
        lock: bool = False,
    ) -> tuple[tuple[Item, Outcome], ...]:
        """Return items of a round in their order, each with what came of it."""
        query = _items(round_id, outcome)
        if places is not None:
            query = query.where(RoundItemRow.place == func.any(list(places)))
        if lock:
            query = query.with_for_update(of=RoundItemRow).execution_options(populate_existing=True)
        return tuple(map(_item, self._session.execute(query.order_by(RoundItemRow.place).limit(limit))))

    def save_items(self, items: Iterable[Item]) -> None:
        """Store items one version on; raises Changed if someone else did so first."""
        every = list(items)
        query = (
            select(RoundItemRow.round_id, RoundItemRow.place, RoundItemRow.version)
            .where(
                RoundItemRow.round_id == func.any([item.round_id for item in every]),
                RoundItemRow.place == func.any([item.place for item in every]),
            )
            .order_by(RoundItemRow.round_id, RoundItemRow.place)
            .with_for_update()
        )
        there = {(round_id, place): version for round_id, place, version in self._session.execute(query)}
        for item in every:
            if there.get((item.round_id, item.place)) != item.version - 1:
                raise changed("item", f"{item.place} of this round")
        change_rows(self._session, RoundItemRow, self._rows_of(_ITEM, every), versioned=True)

    def past(self, entry_ids: Iterable[UUID], before: datetime) -> dict[UUID, Past]:
        """Return what was decided last about entries, in rounds opened before an instant."""
        query = (
            select(RoundItemRow)
            .join(RoundRow, _SAME_ROUND)
            .where(RoundItemRow.entry_id == func.any(list(entry_ids)), RoundItemRow.decision.is_not(None))
            .where(RoundRow.opened_at < before)
            .order_by(RoundRow.opened_at)
        )
        pasts: dict[UUID, Past] = {}
        for row in self._session.scalars(query):
            item = _ITEM.read(row)
            if item.decision is not None:
                pasts[item.entry_id] = Past(item.round_id, item.decision, item.facts)
        return pasts

    # Calendars

    def keep_calendar(self, person_id: UUID, secret_hash: bytes, now: datetime) -> None:
        """Give a person's calendar a new secret address; the former one leads nowhere from then on."""
        values = {"secret_hash": secret_hash, "made_at": now}
        statement = insert(CalendarRow).values(workspace_id=self._workspace_id, person_id=person_id, **values)
        self._session.execute(
            statement.on_conflict_do_update(index_elements=["workspace_id", "person_id"], set_=values)
        )

    def forget_calendar(self, person_id: UUID) -> None:
        """Have the secret address of someone's calendar lead nowhere."""
        self._session.execute(delete(CalendarRow).where(CalendarRow.person_id == person_id))

    def calendar_of(self, secret_hash: bytes) -> UUID | None:
        """Return whose calendar a secret leads to."""
        some_id: UUID | None = self._session.scalar(
            select(CalendarRow.person_id).where(CalendarRow.secret_hash == secret_hash)
        )
        return some_id


def _with_orders(*columns: Any) -> Any:
    same = and_(OrderRow.workspace_id == RoundItemRow.workspace_id, OrderRow.id == RoundItemRow.order_id)
    return select(*columns).select_from(RoundItemRow).outerjoin(OrderRow, same)


def _locked(query: Any, lock: bool) -> Any:
    return (query.with_for_update() if lock else query).execution_options(populate_existing=True)


def _round(row: RoundRow) -> Round:
    kept = {"paused": False, "next_at": None, "created_by": ""}
    return _ROUND.read(row, plan=_PLAN.read(SimpleNamespace(**{**row.plan, **kept, "id": row.plan_id})))


def _items(round_id: UUID, outcome: str) -> Any:
    query = _with_orders(RoundItemRow, _OUTCOME).where(RoundItemRow.round_id == round_id)
    return query.where(outcome == _OUTCOME) if outcome else query


def _item(row: Any) -> tuple[Item, Outcome]:
    return _ITEM.read(row[0]), Outcome(row[1])


def _same_name(name: str) -> Conflict:
    return Conflict(
        f"There is a review “{name}” already. Nothing was changed.", next_step="Give this one another name."
    )
