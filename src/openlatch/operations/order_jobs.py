"""The jobs that take orders up: now, or at the instant at which they are to go on."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

from openlatch.core.orders.orders import Order
from openlatch.operations.call import Call

__all__ = ["CHUNK", "TASK", "TOGETHER", "WAKE", "queue", "queue_now", "wake"]

TASK = "openlatch.carry-out"
TOGETHER = "openlatch.carry-out-together"
WAKE = "openlatch.wake-order"
CHUNK = 100
"""So many orders are given, and carried out, together."""


def queue(call: Call, order: Order) -> None:
    """Have the worker take an order up, at the instant at which it is to go on."""
    if order.again_at is None:
        queue_now(call, [order])
    else:
        # Without the lock: a job that waits with it would keep every later one of the same order waiting.
        call.tx.enqueue(WAKE, at=order.again_at, order_id=str(order.id))


def queue_now(call: Call, orders: Sequence[Order]) -> None:
    """Have the worker take orders up at once, several of them together."""
    if len(orders) == 1:
        call.tx.enqueue(TASK, lock=f"order:{orders[0].id}", order_id=str(orders[0].id))
        return
    for start in range(0, len(orders), CHUNK):
        call.tx.enqueue(TOGETHER, order_ids=[str(order.id) for order in orders[start : start + CHUNK]])


def wake(call: Call, order_id: UUID) -> None:
    """Take an order up whose instant has come."""
    call.tx.enqueue(TASK, lock=f"order:{order_id}", order_id=str(order_id))
