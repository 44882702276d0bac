"""Security events: fetching those that are fetched (RFC 8936), and acting on each that came, between transactions."""

from __future__ import annotations

from uuid import UUID

import structlog

from openlatch.core.providers.observation import Observation, complaints, resolved
from openlatch.core.providers.security_events import Refused
from openlatch.errors import ProviderTrouble, ProviderUnreadable
from openlatch.operations.call import Services, as_service
from openlatch.operations.providers import hearing
from openlatch.operations.taking_back import reported
from openlatch.store import Store

__all__ = ["listen", "see_to"]

MOST = 20
"""So many times a stream is fetched from in one go."""

log = structlog.get_logger()


def listen(store: Store, services: Services) -> None:
    """Fetch what is to be fetched; each token is kept before it is acknowledged, and comes again if it was not."""
    for workspace in store.workspaces():
        with store.transaction(workspace.id) as tx:
            streams = tx.event_streams.fetched()
        for stream_id in streams:
            try:
                _fetched(store, services, workspace.id, stream_id)
            except ProviderTrouble as error:
                log.warning("security events not fetched", stream=str(stream_id), why=error.message)
                with store.transaction(workspace.id) as tx:
                    tx.event_streams.heard(stream_id, services.clock(), error.message)


def _fetched(store: Store, services: Services, workspace_id: UUID, stream_id: UUID) -> None:
    taken: list[str] = []
    refused: dict[str, Refused] = {}
    for _ in range(MOST):
        with store.transaction(workspace_id) as tx:
            stream = hearing.open_stream(as_service(tx, services), stream_id)
        if stream is None:
            return
        issuer = hearing.issuer(services, stream)
        fetched = issuer.fetch(taken, refused)
        taken, refused = [], {}
        for jti, token in fetched.tokens.items():
            try:
                hearing.hear(store, services, workspace_id, stream, token)
                taken.append(jti)
            except Refused as error:
                log.warning("security event not taken", stream=str(stream_id), why=error.why)
                refused[jti] = error
        if not fetched.tokens:
            break
    if taken or refused:
        issuer.fetch(taken, refused, most=0)
    with store.transaction(workspace_id) as tx:
        tx.event_streams.heard(stream_id, services.clock())


def see_to(store: Store, services: Services, workspace_id: UUID, event_id: UUID) -> None:
    """Read again whom an event means, and do what the policy says about it."""
    with store.transaction(workspace_id) as tx:
        matter = reported.begin(as_service(tx, services), event_id)
    if matter is None:
        return
    seen: Observation | None = None
    trouble = ""
    if matter.connector is not None:
        try:
            seen = resolved(matter.connector.look(matter.key))
            wrong = complaints(seen)
            if wrong:
                raise ProviderUnreadable(f"{wrong[0]}.", next_step="Tell whoever runs it.")
        except ProviderTrouble as error:
            seen, trouble = None, error.message
    with store.transaction(workspace_id) as tx:
        reported.conclude(as_service(tx, services), matter, seen, trouble)
