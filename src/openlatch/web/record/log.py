"""The log."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.record import log
from openlatch.web.api import Routes
from openlatch.web.record.render import event_of
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes("log")


@routes.route("GET", "/log", query=wire.LogQuery, returns=wire.EventList)
def list_events(call: Call, query: wire.LogQuery) -> wire.EventList:
    """Events of the log: of one subject, of all that is about an account or a party, or simply all."""
    page = log.browse(call, query)
    return wire.EventList(items=[event_of(*item, call.tx.workspace.zone) for item in page.items], next=page.next)


@routes.route("GET", "/log/head", returns=wire.LogHead)
def get_log_head(call: Call) -> wire.LogHead:
    """The end of the sealed log, against which a copy of it is checked."""
    head = log.head(call)
    return wire.LogHead(size=head.size, link=head.link, sealed_at=head.sealed_at, unsealed=head.unsealed)
