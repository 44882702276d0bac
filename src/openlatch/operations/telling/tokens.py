"""What ended here as Security Event Tokens, signed with the workspace's key; and the keys, for whoever is told."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from openlatch.core.model import is_mailbox
from openlatch.core.telling.security_events import Told, of_order, of_person, token
from openlatch.errors import NotFound
from openlatch.operations.call import Call
from openlatch.operations.record import signing
from openlatch.store.record.events import LoggedEvent
from openlatch.words import Action

__all__ = ["keys", "keys_url", "token_of"]


def keys(call: Call) -> tuple[Mapping[str, Any], ...]:
    """Return the public keys with which what is sent can be checked, the latest first."""
    return call.tx.keys.public()


def keys_url(call: Call) -> str:
    """Return where anyone can read the public keys."""
    return f"{call.services.console}/api/v1/security-event-keys/{call.tx.workspace.id}"


def token_of(call: Call, event: LoggedEvent, audience: str) -> str | None:
    """Return what an event of the log is told as, signed; None if nothing ended by it."""
    act = str(event.content["act"])
    found = _of_order(call, event) if act == "order.proved" else _of_person(call, event, act)
    if found is None:
        return None
    told, names = found
    claims = token(
        told,
        issuer=f"urn:openlatch:workspace:{call.tx.workspace.slug}",
        audience=audience,
        jti=str(event.id),
        names=names,
        at=datetime.fromisoformat(str(event.content["at"])),
        now=call.now,
    )
    return signing.signed(call, claims, "security-event")


def _of_order(call: Call, event: LoggedEvent) -> tuple[Told, list[dict[str, str]]] | None:
    order = call.tx.orders.find(str(event.subject_id))
    action = Action(order.action)
    if action.of_teams:
        return _of_membership(call, order.about, action)
    listed = call.tx.entries.find(str(order.about))
    entry, provider = listed.entry, listed.provider
    where = {"account": listed.account.name, "provider": provider.name, "level": entry.level}
    told = of_order(action, entry.kind, where, stands=entry.stands or entry.in_doubt)
    if told is None:
        return None
    stream = call.tx.event_streams.of(provider.id)
    return told, _names(listed.party.addresses, entry.subject, stream.issuer if stream is not None else "")


def _of_membership(call: Call, about: Any, action: Action) -> tuple[Told, list[dict[str, str]]] | None:
    parties = call.tx.parties.some([about.team_id, about.member_id])
    provider = call.tx.providers.get(about.provider_id)
    standing = call.tx.memberships.standing(provider.id, [about.member_id])
    stands = any(membership.team_id == about.team_id for membership in standing)
    where = {"account": parties[about.team_id].name, "provider": provider.name, "level": "member"}
    told = of_order(action, None, where, stands=stands)
    if told is None:
        return None
    key = call.tx.parties.keys_of([about.member_id], provider.id)[about.member_id]
    return told, _names(parties[about.member_id].addresses, key, "")


def _of_person(call: Call, event: LoggedEvent, act: str) -> tuple[Told, list[dict[str, str]]] | None:
    told = of_person(act)
    if told is None:
        return None
    try:
        person = call.tx.people.get(event.subject_id)
    except NotFound:
        return None
    return told, _names((person.address,), "", "")


def _names(addresses: tuple[str, ...], key: str, issuer: str) -> list[dict[str, str]]:
    """Whom an event is about (RFC 9493): by the provider's own key first, then by addresses that letters reach."""
    names: list[dict[str, str]] = []
    if key and issuer:
        names.append({"format": "iss_sub", "iss": issuer, "sub": key})
    elif key:
        names.append({"format": "opaque", "id": key})
    names += [{"format": "email", "email": address} for address in addresses if is_mailbox(address)]
    return names or [{"format": "opaque", "id": "unknown"}]
