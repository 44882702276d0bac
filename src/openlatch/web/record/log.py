"""The log."""

from __future__ import annotations

from uuid import UUID

from openlatch.operations.call import Call
from openlatch.operations.record import log
from openlatch.web.api import Routes, Stream
from openlatch.web.files import JSON_LINES, lines_kept
from openlatch.web.record.render import event_of, head_of, proof_of
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/log", query=wire.LogQuery, returns=wire.EventList)
def list_events(call: Call, query: wire.LogQuery) -> wire.EventList:
    """Events of the log: of one subject, of all that is about an account, a party or an entry, or simply all."""
    page = log.browse(call, query)
    return wire.EventList(items=[event_of(item, call.tx.workspace.zone) for item in page.items], next=page.next)


@routes.route("GET", "/log/copy", files=(JSON_LINES,), streams=True)
def copy_log(call: Call) -> Stream:
    """The sealed log, sent while it is read: an event a line, with its number, its link and its content.

    All of it, but for the oldest events if those were archived.
    """
    return lines_kept("log", log.copy(call))


@routes.route("GET", "/log/head", returns=wire.LogHead)
def get_log_head(call: Call) -> wire.LogHead:
    """The end of the sealed log, against which a copy of it is checked."""
    return head_of(log.head(call))


@routes.route("GET", "/log/<uuid:event_id>/proof", returns=wire.LogProof)
def prove_event(call: Call, event_id: UUID) -> wire.LogProof:
    """The proof that an event is in the log, against its present head."""
    return proof_of(log.proof(call, event_id))


@routes.route("GET", "/log/consistency", query=wire.ConsistencyQuery, returns=wire.LogConsistency)
def prove_consistency(call: Call, query: wire.ConsistencyQuery) -> wire.LogConsistency:
    """The proof that the log, as it is or was later, only added to what it was with so many events."""
    path, head = log.consistency(call, query.before, query.size)
    size = head.head.grown if query.size is None else query.size
    return wire.LogConsistency(before=query.before, size=size, path=list(path), head=head_of(head))
