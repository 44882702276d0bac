"""Orders; at most one for an entry is open at any time, and the database sees to that."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, and_, cast, func, not_, or_, select
from sqlalchemy.dialects.postgresql import JSONPATH, array, insert

from openlatch.core.orders.orders import FINAL, Order
from openlatch.core.orders.plans import why_ended
from openlatch.core.orders.steps import Step
from openlatch.core.orders.teams import Belonging
from openlatch.errors import Changed
from openlatch.store.bulk import add_new, change_rows
from openlatch.store.codec import Codec
from openlatch.store.inventory.rows import EntryRow
from openlatch.store.noun import Noun
from openlatch.store.orders.rows import OrderRow
from openlatch.store.pages import Page, Sort, page
from openlatch.store.rules.rows import FlagRow
from openlatch.words import Action, EndReason, Kind, OrderState

__all__ = ["GOES_ON", "Orders", "waits_long"]

_TEAM = ("provider_id", "team_id", "member_id")
_ORDER = Codec(OrderRow, Order, apart=["about"])
_RESTING = [*(s.value for s in FINAL), OrderState.STUCK.value]
"""The states in which an order does not go on by itself, whatever it waits for."""
_PATIENT = and_(
    OrderRow.state == OrderState.TOLD.value,
    OrderRow.again_at.is_not(None),
    func.jsonb_path_exists(OrderRow.steps, cast("$[*] ? (@.patient == true && @.at == null)", JSONPATH)),
)
"""The provider said yes, and it takes effect when a device connects: nothing waits for that."""
GOES_ON = and_(OrderRow.state.not_in(_RESTING), not_(_PATIENT))
"""An order that has not come to rest, whether it is at work or waits."""
SOON = timedelta(hours=1)
"""An order that waits for longer than this waits for a day, or for a person."""
_OPEN = [s.value for s in OrderState if s not in FINAL]


def waits_long(now: datetime) -> ColumnElement[bool]:
    """Whether an order waits for a day, or for a person."""
    soon = or_(OrderRow.again_at.is_(None), OrderRow.again_at <= now + SOON)
    return and_(OrderRow.state == OrderState.WAITING.value, not_(soon))


def _order(row: OrderRow) -> Order:
    return _ORDER.read(row, about=_about(row))


def _about(row: OrderRow) -> UUID | Belonging:
    if row.provider_id is None or row.team_id is None or row.member_id is None:
        assert row.entry_id is not None  # noqa: S101 - the database sees to that
        return row.entry_id
    return Belonging(row.provider_id, row.team_id, row.member_id)


def _team(about: UUID | Belonging) -> dict[str, UUID | None]:
    """The columns for the team and the member that an order is about."""
    return asdict(about) if isinstance(about, Belonging) else dict.fromkeys(_TEAM)


def _is_about(about: UUID | Belonging) -> ColumnElement[bool]:
    """Whether an order is about an entry, or about a member of a team."""
    if isinstance(about, UUID):
        return OrderRow.entry_id == about
    return and_(*(getattr(OrderRow, name) == value for name, value in asdict(about).items()))


class Orders(Noun):
    """Queries over orders."""

    def while_flagged(self, since: datetime) -> Mapping[str, int]:
        """Return for each rule about how many things an order was proved since then while they had a flag of it."""
        concerned = func.unnest(array([EntryRow.id, EntryRow.account_id, EntryRow.party_id]))
        acted = (
            select(OrderRow.finished_at.label("at"), concerned.label("subject_id"))
            .join(EntryRow, EntryRow.id == OrderRow.entry_id)
            .where(OrderRow.state == OrderState.PROVED.value, OrderRow.finished_at >= since)
            .subquery()
        )
        # What ends by an order is cleared by the reading that proves it, some moments before or after.
        cleared = FlagRow.cleared_at + timedelta(days=1)
        query = (
            select(FlagRow.rule, func.count(FlagRow.subject_id.distinct()))
            .join(acted, acted.c.subject_id == FlagRow.subject_id)
            .where(FlagRow.raised_at <= acted.c.at, or_(FlagRow.cleared_at.is_(None), acted.c.at <= cleared))
            .group_by(FlagRow.rule)
        )
        return dict(self._session.execute(query).all())

    def open(self, order: Order) -> tuple[Order, bool]:
        """Store an order unless the entry has an open one: returns the one that counts, and whether it is new."""
        inserted = self._session.execute(
            insert(OrderRow).values(*self._rows([order])).on_conflict_do_nothing().returning(OrderRow.id)
        ).first()
        if inserted is not None:
            return order, True
        there = self.open_for(order.about)
        return (there, False) if there is not None else self.open(order)

    def _rows(self, orders: Sequence[Order]) -> list[dict[str, Any]]:
        rows = zip(self._rows_of(_ORDER, orders), (_team(order.about) for order in orders), strict=True)
        return [row | team for row, team in rows]

    def open_for(self, about: UUID | Belonging) -> Order | None:
        """Return the open order about an entry, or about a member of a team."""
        row = self._session.scalar(
            select(OrderRow)
            .where(_is_about(about), OrderRow.state.in_(_OPEN))
            .execution_options(populate_existing=True)
        )
        return None if row is None else _order(row)

    def steps_to_end(self, entry_id: UUID) -> tuple[Step, ...]:
        """Return the steps of the last order that an entry ended by; none if none did."""
        row = self._session.scalar(
            select(OrderRow)
            .where(OrderRow.entry_id == entry_id, OrderRow.state == OrderState.PROVED.value)
            .where(OrderRow.action.in_((Action.END.value, Action.GIVE_UP.value, Action.END_ON.value)))
            .order_by(OrderRow.id.desc())
            .limit(1)
        )
        return () if row is None else _order(row).steps

    def unmoved_since(self, instant: datetime) -> tuple[Order, ...]:
        """Return the open orders, none that waits for a person, that should have moved before an instant."""
        waiting = [s.value for s in (OrderState.RUNNING, OrderState.WAITING, OrderState.TOLD)]
        due = func.coalesce(OrderRow.again_at, OrderRow.ordered_at)
        rows = self._session.scalars(select(OrderRow).where(OrderRow.state == func.any(waiting), due < instant))
        return tuple(_order(row) for row in rows)

    def ending(self, entry_ids: Iterable[UUID]) -> Mapping[UUID, EndReason]:
        """Return why those of the entries end that an order is in progress for."""
        query = (
            select(OrderRow.entry_id, OrderRow.action, EntryRow.kind)
            .join(EntryRow, and_(EntryRow.workspace_id == OrderRow.workspace_id, EntryRow.id == OrderRow.entry_id))
            .where(OrderRow.entry_id == func.any(list(entry_ids)), OrderRow.state.in_(_OPEN))
        )
        rows = self._session.execute(query)
        return {row[0]: why_ended(Action(row[1]), Kind(row[2])) for row in rows if row[0] is not None}

    def waiting_for(self, about: Iterable[UUID | Belonging]) -> tuple[Order, ...]:
        """Return the orders on these entries and memberships that wait, or for which a provider said yes."""
        wanted = set(about)
        waiting = OrderRow.state.in_([OrderState.WAITING.value, OrderState.TOLD.value])
        entries = [one for one in wanted if isinstance(one, UUID)]
        members = [one.member_id for one in wanted if isinstance(one, Belonging)]
        on = or_(OrderRow.entry_id == func.any(entries), OrderRow.member_id == func.any(members))
        the_map = map(_order, self._session.scalars(select(OrderRow).where(waiting, on)))
        return tuple(order for order in the_map if order.about in wanted)

    def latest_for(self, entry_id: UUID) -> Order | None:
        row = self._session.scalar(
            select(OrderRow).where(OrderRow.entry_id == entry_id).order_by(OrderRow.id.desc()).limit(1)
        )
        return None if row is None else _order(row)

    def save_all(self, orders: Sequence[Order]) -> None:
        """Store orders that moved on; refuses all of them if someone else moved one meanwhile."""
        if len(orders) == 1:
            self.save(orders[0])
            return
        if not change_rows(self._session, OrderRow, self._rows(orders), versioned=True):
            raise Changed(
                "An order was moved on by someone else at the same moment. Nothing was changed.",
                next_step="Look at it again.",
            )

    def save(self, order: Order) -> None:
        """Store an order that moved on; refuses if someone else moved it meanwhile."""
        self._save("order", _ORDER, order)

    def find(self, text: str, *, lock: bool = False) -> Order:
        return _order(self._row("order", OrderRow, text, lock=lock))

    def some(self, ids: Iterable[UUID], *, lock: bool = False) -> tuple[Order, ...]:
        """Return the orders with these ids, by id; with `lock`, no other transaction moves them until this is over."""
        query = select(OrderRow).where(OrderRow.id == func.any(list(ids))).order_by(OrderRow.id)
        if lock:
            query = query.with_for_update()
        return tuple(_order(row) for row in self._session.scalars(query.execution_options(populate_existing=True)))

    def open_all(self, orders: Sequence[Order]) -> set[UUID]:
        """Store orders, each unless its entry has an open one; returns the ids of those that are new."""
        return add_new(self._session, OrderRow, self._rows(orders))

    def open_of(self, entry_ids: Iterable[UUID]) -> dict[UUID, Order]:
        """Return the open orders on these entries, by entry."""
        query = select(OrderRow).where(OrderRow.entry_id == func.any(list(entry_ids)), OrderRow.state.in_(_OPEN))
        rows = self._session.scalars(query.execution_options(populate_existing=True))
        return {row.entry_id: _order(row) for row in rows if row.entry_id is not None}

    def open_of_members(self, about: Iterable[Belonging]) -> dict[Belonging, Order]:
        """Return the open orders about these members of teams."""
        wanted = set(about)
        members = [belonging.member_id for belonging in wanted]
        query = select(OrderRow).where(OrderRow.member_id == func.any(members), OrderRow.state.in_(_OPEN))
        the_map = map(_order, self._session.scalars(query.execution_options(populate_existing=True)))
        return {order.about: order for order in the_map if isinstance(order.about, Belonging) and order.about in wanted}

    def stuck(self, limit: int) -> list[UUID]:
        """Return the orders that need a person."""
        query = select(OrderRow.id).where(OrderRow.state == OrderState.STUCK.value)
        return list(self._session.scalars(query.limit(limit)))

    def browse(
        self, *, states: tuple[OrderState, ...], batch_id: UUID | None = None, limit: int, cursor: str | None
    ) -> Page[Order]:
        query = select(OrderRow)
        if states:
            query = query.where(OrderRow.state.in_([s.value for s in states]))
        if batch_id is not None:
            query = query.where(OrderRow.batch_id == batch_id)
        sort = Sort("latest", (OrderRow.id,), descending=True)
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=lambda r: _order(r[0]))
