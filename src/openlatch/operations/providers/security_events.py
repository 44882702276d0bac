"""Security events: hearing what a provider reports of someone, and doing about it what the policy says.

A token that was proved is kept before it is acknowledged, once however often it comes. What it reports is seen to by a
job: whoever it means is read again, and only what that reading bears out is taken back.
"""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import timedelta
from urllib.parse import urlsplit
from uuid import UUID

from openlatch.core.model import Provider
from openlatch.core.providers.security_events import (
    EventStream,
)
from openlatch.core.record.secrecy import address_holds_secret
from openlatch.errors import Conflict, Invalid, NotFound
from openlatch.operations.call import Call, operation
from openlatch.store.pages import Page
from openlatch.store.providers.security_events import SecurityEvent

__all__ = ["StreamSight", "StreamWish", "browse", "change", "hash_of", "remove", "show", "tidy"]

KEPT_FOR = timedelta(days=400)
_HANDED = "latch-events-"


@dataclass(frozen=True, slots=True)
class StreamWish:
    """From whom the security events of a provider are to come; without `poll` they are sent to us."""

    issuer: str
    keys: str
    audience: str = ""
    poll: str = ""
    secret: str | None = None


@dataclass(frozen=True, slots=True)
class StreamSight:
    """A stream, where its events are sent to, and the secret to be sent with them, which is shown once."""

    stream: EventStream
    address: str
    secret: str = ""


@operation("security_events.stream")
def show(call: Call, text: str) -> StreamSight:
    """From whom the security events of a provider come."""
    provider = call.tx.providers.find(text)
    stream = call.tx.event_streams.of(provider.id)
    if stream is None:
        raise _not_heard(provider)
    return _sight(call, stream)


@operation("security_events.browse")
def browse(call: Call, text: str, limit: int, cursor: str | None) -> tuple[Page[SecurityEvent], Mapping[UUID, str]]:
    """What a provider has reported, the latest first, and what the parties are called that it meant."""
    page = call.tx.security_events.browse(call.tx.providers.find(text).id, limit=limit, cursor=cursor)
    ids = {event.party_id for event in page.items if event.party_id is not None}
    return page, {party_id: party.name for party_id, party in call.tx.parties.some(ids).items()}


@operation("security_events.listen")
def change(call: Call, text: str, wish: StreamWish) -> StreamSight:
    """Hear what a provider reports from now on, in the place of what was heard of it before.

    Where its events are sent to us, the secret that they are to come with is made anew, and shown this once.
    """
    provider = call.tx.providers.find(text)
    if provider.by_hand:
        raise Conflict(
            f"{provider.name} is recorded by hand: nobody can be read again there. Nothing was changed.",
            next_step="Add it as a provider that is read, then set this up.",
        )
    for at, address in (("keys", wish.keys), ("poll", wish.poll)):
        if address:
            _check(at, address)
    given = secrets.token_urlsafe(32)
    handed = "" if wish.poll else f"{_HANDED}{given}"
    before = call.tx.event_streams.of(provider.id)
    stream = EventStream(
        id=call.services.new_id(),
        provider_id=provider.id,
        issuer=wish.issuer,
        audience=wish.audience,
        keys=wish.keys,
        poll=wish.poll,
        made_by=call.actor.name,
        made_at=call.now,
    )
    stream = replace(stream, audience=stream.audience or _address(call, stream))
    secret = wish.secret
    if secret is None:
        # What is kept goes to nobody else than those to whom it was given.
        same = before is not None and wish.poll and before.poll == wish.poll
        kept = call.tx.event_streams.kept(before.id) if before is not None and same else None
        secret = call.open(kept.secret) if kept is not None else ""
    if not wish.poll and secret:
        raise Invalid(
            "A secret is for fetching, and nothing is fetched without an address. Nothing was changed.",
            next_step="Leave it out: the secret that events are to be sent with is made here.",
            errors=[{"at": "secret", "problem": "not without an address to fetch from"}],
        )
    call.tx.event_streams.keep(stream, call.close(secret), hash_of(handed))
    call.log(
        "provider.heard",
        "provider",
        provider.id,
        name=provider.name,
        issuer=stream.issuer,
        audience=stream.audience,
        keys=stream.keys,
        fetched=stream.poll,
    )
    return replace(_sight(call, stream), secret=handed)


@operation("security_events.stop")
def remove(call: Call, text: str) -> None:
    """Hear a provider's security events no more."""
    provider = call.tx.providers.find(text)
    if not call.tx.event_streams.remove(provider.id):
        raise _not_heard(provider)
    call.log("provider.not-heard", "provider", provider.id, name=provider.name)


def _not_heard(provider: Provider) -> NotFound:
    return NotFound(
        f"Open Latch does not listen to security events of {provider.name}.",
        next_step="Set up where they come from: openlatch provider listen --help",
    )


def _sight(call: Call, stream: EventStream) -> StreamSight:
    return StreamSight(stream, "" if stream.poll else _address(call, stream))


def _address(call: Call, stream: EventStream) -> str:
    return f"{call.services.console}/api/v1/security-events/{call.tx.workspace.id.hex}.{stream.id.hex}"


def _check(at: str, address: str) -> None:
    parts = urlsplit(address)
    if parts.scheme not in ("https", "http") or not parts.hostname or parts.fragment:
        problem = "is not an address that can be reached"
    elif parts.username or parts.password or address_holds_secret(address):
        problem = "has a password in it"
    elif parts.query and at == "poll":
        problem = "has something behind “?”, which may be secret and would be shown"
    else:
        return
    raise Invalid(
        f"The address of {at} {problem}. Nothing was changed.",
        next_step="Give one such as https://login.example/keys.json.",
        errors=[{"at": at, "problem": problem}],
    )


def hash_of(secret: str) -> bytes:
    """Return what is kept of a secret that comes with events."""
    return hashlib.sha256(secret.encode()).digest()


def tidy(call: Call) -> None:
    """Delete what was reported long ago."""
    call.tx.security_events.forget(call.now - KEPT_FOR)
