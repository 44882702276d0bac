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
    the_order = call.tx.orders.find(order)
    if not the_order.receipt or "signed" not in the_order.receipt:
        raise Conflict(
            f"Order {the_order.ref} is {the_order.state}, and has no receipt yet.",
            next_step=f"Follow it until it is proved: openlatch order follow {the_order.ref}",
            order=the_order.ref,
        )
    return str(the_order.receipt["signed"]), _in_log(call, the_order)


def _in_log(call: Call, order: Order) -> Inclusion | None:
    event = call.tx.events.last_of(order.id, "order.proved")
    return None if event is None else log.included(call, event)
