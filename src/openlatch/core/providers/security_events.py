"""Security events (RFC 8417): what a provider reports of someone, whom it means, and what is done about it.

A report is a hint, not a fact: whoever it names is read again at once, and nothing is taken back but what that reading
bears out. Whom it means is decided by the provider's own key, or by an address that one of its parties has alone.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from types import MappingProxyType
from typing import Any, Protocol
from uuid import UUID

from openlatch.core.model import normal_address
from openlatch.core.providers.observation import Observation
from openlatch.core.telling.security_events import CAEP, RISC
from openlatch.words import PartyStatus, Reported

__all__ = [
    "EVENTS",
    "EventStream",
    "Fetched",
    "Issuer",
    "Refused",
    "Report",
    "Subject",
    "borne_out",
    "key_of",
    "meant",
    "reports",
]

EVENTS: Mapping[str, Reported] = MappingProxyType(
    {
        f"{CAEP}session-revoked": Reported.SESSION_REVOKED,
        f"{CAEP}credential-change": Reported.CREDENTIAL_CHANGE,
        f"{RISC}sessions-revoked": Reported.SESSION_REVOKED,
        f"{RISC}account-disabled": Reported.ACCOUNT_DISABLED,
        f"{RISC}account-purged": Reported.ACCOUNT_PURGED,
    }
)
"""The events that are heard, by the names that the Shared Signals profiles CAEP and RISC give them."""
SKEW = timedelta(minutes=2)
"""by which the provider's clock may differ from ours"""
OLDEST = timedelta(days=7)
"""after which nothing is taken any more, so that what was seen need not be remembered for ever"""
MOST_EVENTS, MOST_NAMES, LONGEST = 10, 20, 1000


@dataclass(frozen=True, slots=True)
class EventStream:
    """From whom the security events of a provider come, for whom they have to be, and with which keys they are signed.

    With a `poll` address they are fetched (RFC 8936); without one, they are sent to us (RFC 8935).
    """

    id: UUID
    provider_id: UUID
    issuer: str
    audience: str
    keys: str
    poll: str
    made_by: str
    made_at: datetime
    heard_at: datetime | None = None
    trouble: str = ""


class Refused(Exception):
    """A token that is not taken: `err` as RFC 8935, 2.4 has it, and why in words."""

    def __init__(self, err: str, why: str) -> None:
        super().__init__(why)
        self.err, self.why = err, why


@dataclass(frozen=True, slots=True)
class Fetched:
    """Tokens that were fetched, by the ids under which they are acknowledged, and whether there are more."""

    tokens: Mapping[str, str]
    more: bool = False


class Issuer(Protocol):
    """Whoever signs the security events of a provider, as the service talks to it."""

    def key_set(self) -> Mapping[str, Any]:
        """Return the keys that it publishes (RFC 7517); raises ProviderDown, ProviderRefused or ProviderUnreadable."""

    def proved(self, token: str, key_set: Mapping[str, Any]) -> dict[str, Any]:
        """Return what a token says, which one of the keys has signed; raises Refused."""

    def fetch(self, taken: Sequence[str], refused: Mapping[str, Refused], most: int = ...) -> Fetched:
        """Say what became of the tokens that were fetched before, and fetch more; raises ProviderTrouble."""


@dataclass(frozen=True, slots=True)
class Subject:
    """Whom an event is about, as far as anything in it names them (RFC 9493): keys of the provider, and addresses."""

    keys: tuple[str, ...] = ()
    addresses: tuple[str, ...] = ()

    @property
    def told(self) -> str:
        """The names as one text, for people who look into what was received."""
        return ", ".join((*self.keys, *self.addresses)) or "nobody who can be told"


@dataclass(frozen=True, slots=True)
class Report:
    """One event of a token: what is reported, of whom, and when; `jti` is the token's own id."""

    jti: str
    reported: Reported
    subject: Subject
    at: datetime


def reports(claims: Mapping[str, Any], stream: EventStream, now: datetime) -> tuple[Report, ...]:
    """Return what a token reports whose signature holds; events that are none of our concern are left out.

    Raises Refused for one of another issuer, for others than us, of another time, or without what RFC 8417 asks for.
    """
    if claims.get("iss") != stream.issuer:
        raise Refused("invalid_issuer", f"It is of {_shown(claims.get('iss'))}, not of {stream.issuer}.")
    audience = claims.get("aud")
    if stream.audience not in (audience if isinstance(audience, list) else [audience]):
        raise Refused("invalid_audience", f"It is for {_shown(audience)}, not for {stream.audience}.")
    jti = claims.get("jti")
    if not isinstance(jti, str) or not 0 < len(jti) <= LONGEST:
        raise Refused("invalid_request", "It has no id (jti).")
    issued = _instant(claims.get("iat"))
    if issued is None:
        raise Refused("invalid_request", "It does not say when it was issued (iat).")
    if not now - OLDEST <= issued <= now + SKEW:
        raise Refused("invalid_request", f"It was issued on {issued:%Y-%m-%d %H:%M} UTC, which is too old or to come.")
    events = claims.get("events")
    if not isinstance(events, dict) or not 0 < len(events) <= MOST_EVENTS:
        raise Refused("invalid_request", f"It has no events, or more than {MOST_EVENTS}.")
    heard = []
    for name, said in events.items():
        if name in EVENTS:
            told = said if isinstance(said, dict) else {}
            # The profiles have put whom it is about in either place, by either name.
            subject = claims.get("sub_id") or told.get("sub_id") or told.get("subject")
            at = _instant(told.get("event_timestamp")) or issued
            heard.append(Report(jti, EVENTS[name], _subject(subject, stream.issuer), min(at, now)))
    return tuple(heard)


def _shown(value: object) -> str:
    return f"“{str(value)[:200]}”" if value else "nobody"


def _instant(value: object) -> datetime | None:
    """An instant in seconds since 1970; some count milliseconds."""
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 < value < 10**14:
        return None
    return datetime.fromtimestamp(value / 1000 if value > 10**11 else value, UTC)


def _subject(said: object, issuer: str) -> Subject:
    keys: dict[str, None] = {}
    addresses: dict[str, None] = {}
    waiting, looked = [said], 0
    while waiting and looked < MOST_NAMES:
        looked += 1
        named = waiting.pop(0)
        if not isinstance(named, dict):
            continue
        form = str(named.get("format") or named.get("subject_type") or "").replace("-", "_")
        if form == "aliases" and isinstance(named.get("identifiers"), list):
            waiting += named["identifiers"]
        elif form == "complex" or (not form and "user" in named):
            waiting.append(named.get("user"))
        elif form == "iss_sub" and named.get("iss") == issuer:
            keys |= _text(named.get("sub"))
        elif form == "opaque":
            keys |= _text(named.get("id"))
        elif form == "email":
            addresses |= _text(named.get("email"))
        elif form == "account":
            addresses |= _text(str(named.get("uri", "")).removeprefix("acct:"))
    return Subject(tuple(keys), tuple(addresses))


def _text(value: object) -> dict[str, None]:
    return {value: None} if isinstance(value, str) and 0 < len(value) <= LONGEST else {}


def key_of(name: str, keys: Collection[str]) -> str | None:
    """Return the key that a provider's own name for someone is kept under: that very name, or the one key that has it
    behind what the connector has put before it, as in `user:4711`.
    """
    if name in keys:
        return name
    behind = [key for key in keys if name and key.partition(":")[2] == name]
    return behind[0] if len(behind) == 1 else None


def meant(subject: Subject, keys: Mapping[str, UUID], carrying: Mapping[str, Collection[UUID]]) -> UUID | None:
    """Return the party that an event means, or None where that is not sure.

    `keys` are the parties of the provider by its own keys, `carrying` all parties that carry an address. What is named
    by several things has to be the same party by all of them that are known; an address of several is no sign, and
    neither is one beside keys that nobody has.
    """
    known = {key: key_of(key, keys) for key in subject.keys}
    found = {keys[key] for key in known.values() if key is not None}
    if known and not found:
        return None
    there = set(keys.values())
    for address in subject.addresses:
        theirs = set(carrying.get(normal_address(address), ()))
        if len(theirs) > 1:
            return None
        found |= theirs & there
    return found.pop() if len(found) == 1 else None


def borne_out(reported: Reported, key: str, seen: Observation, *, discreet: bool = False) -> bool:
    """Return whether a fresh reading of someone bears out what was reported, as far as any reading can.

    That an account was disabled or deleted has to show: they are not there, or have left, or hold nothing where the
    provider does not say who is current. Of a `discreet` provider, that they are not there shows nothing.
    """
    if not reported.of_the_account:
        return True
    party = next((party for party in seen.parties if party.key == key), None)
    if party is None:
        return not discreet
    held = any(entry.party == key for entry in seen.entries)
    return party.status is PartyStatus.LEFT or (party.status is PartyStatus.UNKNOWN and not held and not discreet)
