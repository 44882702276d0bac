"""The jobs that take orders up: now, or at the instant at which they are to go on."""

from __future__ import annotations

from uuid import UUID

from openlatch.core.orders.orders import Order
from openlatch.operations.call import Call

__all__ = ["TASK", "TOGETHER", "WAKE", "queue", "wake"]

TASK = "openlatch.carry-out"
TOGETHER = "openlatch.carry-out-together"
WAKE = "openlatch.wake-order"


def queue(call: Call, order: Order) -> None:
    """Have the worker take an order up, at the instant at which it is to go on."""
    if order.again_at is None:
        call.tx.enqueue(TASK, lock=f"order:{order.id}", order_id=str(order.id))
    else:
        # Without the lock: a job that waits with it would keep every later one of the same order waiting.
        call.tx.enqueue(WAKE, at=order.again_at, order_id=str(order.id))


def wake(call: Call, order_id: UUID) -> None:
    """Take an order up whose instant has come."""
    call.tx.enqueue(TASK, lock=f"order:{order_id}", order_id=str(order_id))
