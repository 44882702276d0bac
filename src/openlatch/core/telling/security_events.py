"""Security events (RFC 8417) that we send: what ended here, in the words of the Shared Signals profiles CAEP and RISC.

Only what is proved is told: an order that a fresh reading has borne out, or what was done to a sign-in of this service
itself. Where the profiles have no event for it, one of our own says what access ended.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from openlatch.words import Action, Kind

__all__ = ["ACCESS_ENDED", "CAEP", "RISC", "Told", "of_order", "of_person", "token"]

CAEP = "https://schemas.openid.net/secevent/caep/event-type/"
RISC = "https://schemas.openid.net/secevent/risc/event-type/"
"""what the names of the events of the profiles begin with"""
ACCESS_ENDED = "urn:openlatch:event:access-ended"
"""our own: `account`, `provider`, `kind` and `level` say what access"""


@dataclass(frozen=True, slots=True)
class Told:
    """An event with its claims, by its name."""

    name: str
    claims: Mapping[str, Any]


def of_order(action: Action, kind: Kind | None, where: Mapping[str, str], *, stands: bool) -> Told | None:
    """Return what a proved order is told as, or None if nothing has ended by it.

    `where` says on which account at which provider, and at which level; `kind` is None for a membership. What still
    `stands` has not ended, whatever was ordered.
    """
    if action is Action.CLOSE_SESSIONS:
        return Told(f"{CAEP}session-revoked", {"initiating_entity": "admin"})
    if action is Action.CHANGE_SECRET:
        return Told(f"{CAEP}credential-change", {"credential_type": "shared-secret", "change_type": "update"})
    if action not in (Action.END, Action.GIVE_UP, Action.END_ON, Action.REMOVE_MEMBER) or stands:
        return None
    by = "user" if action is Action.GIVE_UP else "admin"
    if kind is Kind.SESSION:
        return Told(f"{CAEP}session-revoked", {"initiating_entity": by})
    return Told(ACCESS_ENDED, {**where, "kind": kind.value if kind is not None else "membership"})


_OF_PERSON: Mapping[str, Told] = {
    "person.disabled": Told(f"{RISC}account-disabled", {}),
    "person.removed": Told(f"{RISC}account-purged", {}),
    "person.sessions-ended": Told(f"{CAEP}session-revoked", {"initiating_entity": "user"}),
    "person.password-changed": Told(
        f"{CAEP}credential-change", {"credential_type": "password", "change_type": "update"}
    ),
}


def of_person(act: str) -> Told | None:
    """Return what is told of someone's sign-in to this service, by the log's act; None if it is no such event."""
    return _OF_PERSON.get(act)


def token(
    told: Told, *, issuer: str, audience: str, jti: str, names: Sequence[Mapping[str, str]], at: datetime, now: datetime
) -> dict[str, Any]:
    """Return the claims of a token (RFC 8417, 2.2) about whoever `names` name (RFC 9493); instants are in seconds."""
    subject = dict(names[0]) if len(names) == 1 else {"format": "aliases", "identifiers": [dict(n) for n in names]}
    return {
        "iss": issuer,
        "aud": audience,
        "iat": int(now.timestamp()),
        "jti": jti,
        "sub_id": subject,
        "events": {told.name: {**told.claims, "event_timestamp": int(at.timestamp())}},
    }
