"""Search."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.search import search
from openlatch.web.api import Routes
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/search", query=wire.FindQuery, returns=wire.FoundList)
def find(call: Call, query: wire.FindQuery) -> wire.FoundList:
    """Whatever has a name or an address like this, or this short form; of each kind at most so many."""
    return wire.FoundList(items=[filled(wire.Found, hit) for hit in search.find(call, query.q, query.limit)])
