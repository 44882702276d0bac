"""Plans and orders as messages of the API."""

from __future__ import annotations

from openlatch.core.orders.orders import MOVES, Move, Order
from openlatch.operations.orders.orders import OrderSight, PlanSight, asked
from openlatch.web.filled import filled
from openlatch.web.inventory.render import party_of
from openlatch.wire import messages as wire

__all__ = ["order_of", "plan_of"]

_BY_HAND = (Move.TRY_AGAIN, Move.CANCEL)


def plan_of(sight: PlanSight, outside: bool) -> wire.Plan:
    account = sight.account.name
    entry = filled(wire.Ref, sight.entry, name=f"{sight.party.name} on {account}")
    return filled(
        wire.Plan,
        sight,
        sight.plan,
        entry=entry,
        party=party_of(sight.party, outside),
        account=account,
        provider=sight.provider.name,
    )


def order_of(sight: OrderSight) -> wire.Order:
    order, entry = sight.order, sight.entry
    return filled(
        wire.Order,
        sight,
        order,
        entry=None if entry is None else filled(wire.Ref, entry, name=sight.about),
        party=sight.party.name,
        subject=order.plan.get("subject", ""),
        account=sight.account.name if sight.account else "",
        consequences=order.plan["consequences"],
        ordered_by=order.ordered_by.name,
        ordered_by_id=order.ordered_by.id,
        receipt=order.receipt or None,
        moves=_moves(order),
    )


def _moves(order: Order) -> list[str]:
    moves = [move.value for move in MOVES.of(order.state) if move in _BY_HAND]
    return ["done", *moves] if asked(order) else moves
