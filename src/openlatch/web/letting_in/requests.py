"""Requests: asking for access, and answering those who ask."""

from __future__ import annotations

from contextlib import suppress

from openlatch.core.letting_in.requests import MOVES, Request
from openlatch.errors import Conflict, Invalid, NotFound, TooManyRequests
from openlatch.operations.call import SERVICE, Call
from openlatch.operations.letting_in import requests
from openlatch.operations.people import sign_ins
from openlatch.web.api import Routes, backend
from openlatch.web.filled import filled
from openlatch.web.people.session import count_asked
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route("POST", "/requests", body=wire.RequestWish, returns=wire.Request, status=201, counted=True)
def make_request(call: Call, body: wire.RequestWish) -> wire.Request:
    """Ask for access to an account; it reaches whoever looks after the workspace."""
    return _sent(requests.ask(call, body))


@routes.route("POST", "/asking", body=wire.OutsideRequest, returns=wire.Asked, status=202, public=True)
def ask_from_outside(body: wire.OutsideRequest) -> wire.Asked:
    """Ask without signing in; it counts once whoever has the address says so, by a link in a letter."""
    at = backend()
    count_asked(body.workspace)
    requests.check_from_outside(body, body.address, at.services.clock())
    # Whoever asks learns nothing of what there is: neither which workspaces, nor what others have asked for.
    with suppress(NotFound, TooManyRequests, Conflict, Invalid), at.store.transaction(body.workspace) as tx:
        call = Call(tx, at.services, SERVICE, at.services.clock())
        if sign_ins.may_go_to(call, body.address):
            requests.ask_from_outside(call, body.address, body.name, body)
    return wire.Asked(holder=body.workspace, address=body.address.strip())


@routes.route("GET", "/requests", query=wire.RequestQuery, returns=wire.RequestList)
def list_requests(call: Call, query: wire.RequestQuery) -> wire.RequestList:
    """What others asked for, the latest first."""
    page = requests.browse(call, query.state, query.limit, query.cursor)
    return wire.RequestList(items=[_sent(item) for item in page.items], next=page.next)


@routes.route("GET", "/me/requests", returns=wire.RequestList)
def list_my_requests(call: Call) -> wire.RequestList:
    """What one has asked for oneself, the latest first."""
    return wire.RequestList(items=[_sent(request) for request in requests.mine(call)])


@routes.route("GET", "/requests/<request>", returns=wire.Request)
def get_request(call: Call, request: str) -> wire.Request:
    """One request, by id or short form; a member reaches their own."""
    return _sent(requests.show(call, request))


@routes.route("POST", "/requests/<request>/turn-down", body=wire.TurnDownWish, returns=wire.Request)
def turn_request_down(call: Call, request: str, body: wire.TurnDownWish) -> wire.Request:
    """Decline a request; whoever asked is told why. To accept one, make an offer that names it."""
    return _sent(requests.turn_down(call, request, body.reason))


@routes.route("POST", "/requests/<request>/withdraw", returns=wire.Request)
def withdraw_request(call: Call, request: str) -> wire.Request:
    """Take back what one has asked for oneself."""
    return _sent(requests.withdraw(call, request))


def _sent(request: Request) -> wire.Request:
    return filled(wire.Request, request, offer=request.offer_id, moves=MOVES.of(request.state))
