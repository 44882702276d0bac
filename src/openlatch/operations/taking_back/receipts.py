"""Receipts of orders: signed when they were proved, and shown with the proof that the log holds them."""

from __future__ import annotations

from openlatch.core.orders.orders import Order
from openlatch.errors import Conflict
from openlatch.operations.call import Call, operation
from openlatch.operations.record import log
from openlatch.operations.record.log import Inclusion

__all__ = ["receipt"]


@operation("receipts.show")
def receipt(call: Call, order: str) -> tuple[str, Inclusion | None]:
    """The receipt of a proved order, signed; with the proof that its event is in the log, once that is sealed."""
    found = call.tx.orders.find(order)
    if not found.receipt or "signed" not in found.receipt:
        raise Conflict(
            f"Order {found.ref} is {found.state}, and has no receipt yet.",
            next_step=f"Follow it until it is proved: openlatch order {found.ref} --follow",
            order=found.ref,
        )
    return str(found.receipt["signed"]), _in_log(call, found)


def _in_log(call: Call, order: Order) -> Inclusion | None:
    event = call.tx.events.last_of(order.id, "order.proved")
    return None if event is None else log.included(call, event)
