"""Orders: taking access back, and following it until it is proved."""

from __future__ import annotations

from collections.abc import Sequence

from openlatch.operations.call import Call
from openlatch.operations.orders import orders
from openlatch.operations.record import signing
from openlatch.operations.taking_back import receipts
from openlatch.web.api import Answer, Routes
from openlatch.web.orders.render import order_of
from openlatch.web.record.render import proof_of
from openlatch.wire import messages as wire
from openlatch.words import Action

__all__ = ["routes", "wish"]

routes = Routes()


@routes.route("GET", "/orders", query=wire.OrderQuery, returns=wire.OrderList)
def list_orders(call: Call, query: wire.OrderQuery) -> wire.OrderList:
    """Orders, the latest first."""
    page = orders.browse(call, query.state, query.batch, query.limit, query.cursor)
    return wire.OrderList(items=[order_of(sight) for sight in page.items], next=page.next)


@routes.route("POST", "/orders", body=wire.NewOrder, returns=wire.Order, status=201)
def create_order(call: Call, body: wire.NewOrder) -> Answer:
    """Order what a plan says; 200 with the order there is if that is in progress already."""
    if body.action == "give-up":
        sight = orders.give_up(call, body.entry, body.reason, body.digest)
    else:
        wanted = wish(body, body.resources, body.lifts)
        sight = orders.create(call, body.entry, wanted, body.reason, body.digest)
    return Answer(order_of(sight), 200 if sight.already else 201)


@routes.route("GET", "/orders/<order>", returns=wire.Order)
def get_order(call: Call, order: str) -> wire.Order:
    """One order, by id or short form."""
    return order_of(orders.show(call, order))


@routes.route("POST", "/orders/<order>/cancel", returns=wire.Order)
def cancel_order(call: Call, order: str) -> wire.Order:
    """Cancel an order, while it waits or is stuck."""
    return order_of(orders.cancel(call, order))


@routes.route("POST", "/orders/<order>/try-again", returns=wire.Order)
def try_order_again(call: Call, order: str) -> wire.Order:
    """Try an order that is stuck once more."""
    return order_of(orders.try_again(call, order))


@routes.route("POST", "/orders/<order>/done", body=wire.DoneByHand, returns=wire.Order)
def order_done_by_hand(call: Call, order: str, body: wire.DoneByHand) -> wire.Order:
    """Report that what an order asks a person to do is done."""
    return order_of(orders.confirm_done(call, order, body.said))


@routes.route("GET", "/orders/<order>/receipt", returns=wire.SignedReceipt)
def order_receipt(call: Call, order: str) -> wire.SignedReceipt:
    """The receipt of a proved order, signed."""
    signed, proof = receipts.receipt(call, order)
    return wire.SignedReceipt(signed=signed, proof=None if proof is None else proof_of(proof))


@routes.route("GET", "/receipt-keys", returns=wire.ReceiptKeys)
def receipt_keys(call: Call) -> wire.ReceiptKeys:
    """The public keys that receipts can be checked with."""
    return wire.ReceiptKeys(keys=[dict(key) for key in signing.keys(call)])


def wish(asked: wire.Wish, resources: Sequence[str] | None, lifts: Sequence[str]) -> orders.Wish:
    """Return what is wanted of an entry, as the operations take it."""
    return orders.Wish(
        Action(asked.action),
        level=asked.level,
        resources=None if resources is None else tuple(resources),
        until=asked.until,
        successor=asked.successor,
        hours=asked.hours,
        lifts=tuple(lifts),
    )
