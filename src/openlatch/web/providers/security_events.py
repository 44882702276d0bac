"""Security events: from whom they come, what was reported, and the door by which they come in (RFC 8935)."""

from __future__ import annotations

from collections.abc import Mapping
from uuid import UUID

from flask import request

from openlatch.core.ids import ref_of
from openlatch.core.providers.security_events import Refused, Subject
from openlatch.errors import NotFound
from openlatch.operations.call import Call, as_service
from openlatch.operations.providers import hearing, security_events
from openlatch.operations.providers.hearing import OpenStream
from openlatch.operations.providers.security_events import StreamSight, StreamWish
from openlatch.operations.telling import tokens
from openlatch.store.providers.security_events import SecurityEvent
from openlatch.web.api import Answer, Routes, Upload, backend
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()
UNKNOWN = Refused("authentication_failed", "Nothing is heard under this address with this secret.")


def _stream_of(sight: StreamSight) -> wire.EventStreamSecret:
    return filled(wire.EventStreamSecret, sight, sight.stream)


@routes.route("GET", "/providers/<provider>/event-stream", returns=wire.EventStream)
def get_event_stream(call: Call, provider: str) -> wire.EventStream:
    """Where the security events of a provider come from."""
    sight = security_events.show(call, provider)
    return filled(wire.EventStream, sight, sight.stream)


@routes.route(
    "PUT",
    "/providers/<provider>/event-stream",
    body=wire.NewEventStream,
    returns=wire.EventStreamSecret,
    kept=False,
)
def set_event_stream(call: Call, provider: str, body: wire.NewEventStream) -> wire.EventStreamSecret:
    """Hear what a provider reports from now on, in the place of what was heard of it before.

    Where its events are sent here, the secret that they have to come with is shown this once.
    """
    return _stream_of(security_events.change(call, provider, StreamWish(**body.model_dump())))


@routes.route("DELETE", "/providers/<provider>/event-stream")
def remove_event_stream(call: Call, provider: str) -> None:
    """Take no more security events of a provider."""
    security_events.remove(call, provider)


@routes.route("GET", "/providers/<provider>/security-events", query=wire.PageQuery, returns=wire.SecurityEventList)
def list_security_events(call: Call, provider: str, query: wire.PageQuery) -> wire.SecurityEventList:
    """What a provider has reported, the latest first, and what came of it."""
    page, names = security_events.browse(call, provider, query.limit, query.cursor)
    return wire.SecurityEventList(items=[_event_of(event, names) for event in page.items], next=page.next)


def _event_of(event: SecurityEvent, names: Mapping[UUID, str]) -> wire.SecurityEvent:
    whose = event.party_id
    name = names.get(whose) if whose is not None else None
    party = wire.Ref(id=whose, ref=ref_of(whose), name=name) if whose is not None and name is not None else None
    named = Subject(event.keys, event.addresses).told
    return filled(wire.SecurityEvent, event, token=event.jti, says=event.reported.says, named=named, party=party)


@routes.route(
    "POST",
    "/security-events/<stream>",
    takes=("application/secevent+jwt",),
    status=202,
    public=True,
    calls=True,
    refuses=wire.SecurityEventRefusal,
)
def receive_security_event(stream: str, upload: Upload) -> Answer:
    """Take a security event that a provider sends (RFC 8935), with the secret of its stream as a bearer token.

    The token is stored once it is verified; a job does what follows from it.
    """
    at = backend()
    try:
        workspace_id, open_stream = _open_stream(stream)
        hearing.hear(at.store, at.services, workspace_id, open_stream, upload.content.decode("ascii", "replace"))
    except Refused as error:
        return Answer(wire.SecurityEventRefusal(err=error.err, description=error.why), 400)
    return Answer(None, 202)


def _open_stream(address: str) -> tuple[UUID, OpenStream]:
    """The stream that someone sends to; who does not know its secret learns nothing of whether there is one."""
    at = backend()
    workspace, _, stream = address.partition(".")
    kind, _, secret = request.headers.get("Authorization", "").partition(" ")
    try:
        workspace_id, stream_id = UUID(hex=workspace), UUID(hex=stream)
        with at.store.transaction(workspace_id) as tx:
            found = hearing.open_stream(as_service(tx, at.services), stream_id, secret.strip())
    except (ValueError, NotFound) as error:
        raise UNKNOWN from error
    if found is None or kind.lower() != "bearer":
        raise UNKNOWN
    return workspace_id, found


@routes.route("GET", "/security-event-keys/<uuid:workspace_id>", returns=wire.ReceiptKeys, public=True)
def security_event_keys(workspace_id: UUID) -> wire.ReceiptKeys:
    """The public keys (RFC 7517) with which the security events can be checked that a workspace sends."""
    at = backend()
    with at.store.transaction(workspace_id) as tx:
        return wire.ReceiptKeys(keys=[dict(key) for key in tokens.keys(as_service(tx, at.services))])
