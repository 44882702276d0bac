"""Orders: taking access back, and following it until it is proved."""

from __future__ import annotations

from openlatch.operations import orders
from openlatch.operations.gate import Call
from openlatch.web import render
from openlatch.web.api import Answer, Routes
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes("orders")


@routes.route("GET", "/orders", query=wire.OrderQuery, returns=wire.OrderList)
def list_orders(call: Call, query: wire.OrderQuery) -> wire.OrderList:
    """Orders, the latest first."""
    page = orders.browse(call, query.state, query.limit, query.cursor)
    return wire.OrderList(items=[render.order(sight) for sight in page.items], next=page.next)


@routes.route("POST", "/orders", body=wire.NewOrder, returns=wire.Order, status=201)
def create_order(call: Call, body: wire.NewOrder) -> Answer:
    """Order the end of an entry, or give up one's own; 200 with the order there is if it is being ended already."""
    order = orders.give_up if body.action == "give-up" else orders.create
    sight = order(call, body.entry, body.reason, body.digest)
    return Answer(render.order(sight), 200 if sight.already else 201)


@routes.route("GET", "/orders/<order>", returns=wire.Order)
def get_order(call: Call, order: str) -> wire.Order:
    """One order, by id or short form."""
    return render.order(orders.show(call, order))


@routes.route("POST", "/orders/<order>/cancel", returns=wire.Order)
def cancel_order(call: Call, order: str) -> wire.Order:
    """Call an order off, while it waits or is stuck."""
    return render.order(orders.cancel(call, order))


@routes.route("POST", "/orders/<order>/try-again", returns=wire.Order)
def try_order_again(call: Call, order: str) -> wire.Order:
    """Try an order that is stuck once more."""
    return render.order(orders.try_again(call, order))
