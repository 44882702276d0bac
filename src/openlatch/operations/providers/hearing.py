"""Hearing security events as they come in: keys are read outside any transaction, and what is proved is kept in one.

A token that was proved is kept before it is acknowledged, once however often it comes. A job acts on
what it reports.
"""

from __future__ import annotations

import hmac
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any
from uuid import UUID

from openlatch.core.providers.security_events import EventStream, Issuer, Refused, Subject, reports
from openlatch.operations.call import Call, Services, as_service
from openlatch.operations.providers.security_events import hash_of
from openlatch.store import Store
from openlatch.store.providers.security_events import SecurityEvent

__all__ = [
    "TASK",
    "OpenStream",
    "hear",
    "issuer",
    "open_stream",
    "take_up_forgotten",
]

TASK = "openlatch.act-on-security-event"
KEYS_FOR = timedelta(hours=1)
"""so long keys count that were read; a token by another one has them read anew at once"""
AGAIN_AFTER = timedelta(minutes=1)
"""but not sooner than this, whoever sends what"""
FORGOTTEN = timedelta(minutes=10)
"""what was not done by then has lost its job"""


@dataclass(frozen=True, slots=True)
class OpenStream:
    """A stream as it is heard now: what it is fetched with, and the keys, where they were read not long ago.

    With `anew`, a token that none of them has signed has them read again: they may have been exchanged.
    """

    settings: EventStream
    secret: str
    key_set: Mapping[str, Any] | None
    anew: bool = True


def open_stream(call: Call, stream_id: UUID, handed: str | None = None) -> OpenStream | None:
    """Return a stream that may be heard; None if there is none, or what was handed over is not its secret."""
    kept = call.tx.event_streams.kept(stream_id)
    if kept is None:
        return None
    if handed is not None and (kept.stream.poll or not hmac.compare_digest(kept.secret_hash, hash_of(handed))):
        return None
    age = None if kept.keys_at is None else call.now - kept.keys_at
    known = kept.key_set if age is not None and age < KEYS_FOR else None
    return OpenStream(kept.stream, call.open(kept.secret), known, anew=age is None or age >= AGAIN_AFTER)


def issuer(services: Services, stream: OpenStream) -> Issuer:
    """Return what talks to whoever signs a stream."""
    assert services.event_issuer is not None  # noqa: S101 - the wiring brings it
    return services.event_issuer(stream.settings, stream.secret)


def _keep(call: Call, stream: EventStream, claims: Mapping[str, Any]) -> Sequence[SecurityEvent]:
    """Keep what a proved token reports, and have it acted on; returns what was not known yet. Raises Refused."""
    told = reports(claims, stream, call.now)
    events = [
        SecurityEvent(
            id=call.services.new_id(),
            provider_id=stream.provider_id,
            stream_id=stream.id,
            jti=report.jti,
            reported=report.reported,
            keys=report.subject.keys,
            addresses=report.subject.addresses,
            at=report.at,
            received_at=call.now,
        )
        for report in told
    ]
    call.tx.event_streams.heard(stream.id, call.now)
    new = call.tx.security_events.add(events)
    for event in new:
        call.log(
            "provider.reported",
            "provider",
            stream.provider_id,
            reported=event.reported.value,
            of=Subject(event.keys, event.addresses).told,
            token=event.jti,
            event=str(event.id),
        )
        _queue(call, event)
    return new


def take_up_forgotten(call: Call) -> None:
    """Queue again what should have been acted on long ago, for whatever lost its jobs."""
    for event in call.tx.security_events.waiting(call.now - FORGOTTEN):
        _queue(call, event)


def _queue(call: Call, event: SecurityEvent) -> None:
    once = f"security-event:{event.id}"
    call.tx.enqueue(TASK, lock=f"provider:{event.provider_id}", once=once, event_id=str(event.id))


def hear(store: Store, services: Services, workspace_id: UUID, stream: OpenStream, token: str) -> int:
    """Keep what a token reports, if its signature holds and it is for us; returns how much of it was not known yet.

    Raises Refused for what is not taken, and ProviderTrouble where the issuer's keys cannot be read.
    """
    claims = _proved(store, services, workspace_id, stream, token)
    with store.transaction(workspace_id) as tx:
        return len(_keep(as_service(tx, services), stream.settings, claims))


def _proved(store: Store, services: Services, workspace_id: UUID, stream: OpenStream, token: str) -> Mapping[str, Any]:
    signs = issuer(services, stream)
    if stream.key_set is not None:
        try:
            return signs.proved(token, stream.key_set)
        except Refused as error:
            if error.err != "invalid_key" or not stream.anew:
                raise
    key_set = signs.key_set()
    with store.transaction(workspace_id) as tx:
        tx.event_streams.read_keys(stream.settings.id, key_set, services.clock())
    return signs.proved(token, key_set)
