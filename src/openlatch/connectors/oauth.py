"""The connector for apps that were let in by OAuth 2.0: metadata, introspection, revocation (RFC 8414, 7662, 7009).

No standard lists the tokens that a server has issued, so the holder enters those to watch, as the secret: a JSON
object such as

    {"client_id": "open-latch", "client_secret": "…", "tokens": [
        {"token": "…", "refresh_token": "…", "app": "Star Chart Weekly", "home": "https://…", "account": "Donations"}]}

of which only `token` has to be there. An app whose `refresh_token` is given too is there as long as either lives, and
ending it ends what renews it first. `auth` says how we prove who we are, if the server's metadata do not:
client_secret_basic, client_secret_post (RFC 6749, 2.3.1), or private_key_jwt (RFC 7523) with a `private_key` (a JWK).
What a token may do is asked of the server each time; the token itself is never shown: an entry is known by its
fingerprint.
"""

from __future__ import annotations

import hashlib
import json
import time
from collections.abc import Iterable, Iterator, Mapping
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from typing import Annotated, Any, ClassVar, Literal, TypeVar
from urllib.parse import urlsplit, urlunsplit

import httpx
from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError

from openlatch.connecting.capabilities import Ends
from openlatch.connecting.http import Caller, checked_settings, said
from openlatch.connectors.oauth_client import OAuthClient
from openlatch.core.model import Abilities
from openlatch.core.providers.meaning import Words
from openlatch.core.providers.observation import (
    Observation,
    ObservedAccount,
    ObservedEntry,
    ObservedMembership,
    ObservedParty,
)
from openlatch.core.providers.ports import About, Answer, Page, Setting
from openlatch.errors import Invalid, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, PartyKind, Power, ReadingOutcome, Side

__all__ = ["OAuthConnector"]

M = TypeVar("M", bound=BaseModel)
Line = Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$")]
LEVEL = "connected app"


class _Watched(BaseModel):
    """A token that the holder wants to be watched, with what the server does not tell about its app."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    token: Annotated[str, StringConstraints(min_length=1, max_length=10000)]
    refresh_token: Annotated[str, StringConstraints(max_length=10000)] = ""
    """what renews `token`, which is an access token then"""
    hint: Literal["access_token", "refresh_token"] = "refresh_token"
    app: Line = ""
    publisher: Line = ""
    home: Line = ""
    account: Line = ""

    @property
    def key(self) -> str:
        """What the entry is known by: a fingerprint, from which nobody gets the token."""
        return f"token:{hashlib.sha256(self.token.encode()).hexdigest()[:32]}"

    @property
    def tokens(self) -> tuple[tuple[str, str], ...]:
        """All that lets the app in, with the hint of each: what renews comes first."""
        if not self.refresh_token:
            return ((self.token, self.hint),)
        return ((self.refresh_token, "refresh_token"), (self.token, "access_token"))


class _Secret(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")
    client_id: Line
    client_secret: Line = ""
    auth: Literal["", "client_secret_basic", "client_secret_post", "private_key_jwt"] = ""
    private_key: dict[str, Any] = Field(default={})
    tokens: Annotated[tuple[_Watched, ...], Field(max_length=10000)]


class _Metadata(BaseModel):
    """What RFC 8414 publishes about a server, as far as it is needed here."""

    issuer: str
    introspection_endpoint: str
    revocation_endpoint: str
    introspection_endpoint_auth_methods_supported: tuple[str, ...] = ()
    revocation_endpoint_auth_methods_supported: tuple[str, ...] = ()
    token_endpoint_auth_methods_supported: tuple[str, ...] = ()


class _Token(BaseModel):
    """What introspection says about a token (RFC 7662, 2.2)."""

    active: bool
    scope: str = ""
    client_id: str = ""
    sub: str = ""
    username: str = ""
    exp: int | None = None
    iat: int | None = None


class OAuthConnector(Ends):
    """Watches and revokes tokens."""

    made_for: ClassVar[int] = 1
    about: ClassVar[About] = About(
        "OAuth 2.0 metadata, introspection and revocation (RFC 8414, RFC 7662, RFC 7009)",
        (
            Setting("issuer", "address of the authorization server"),
            Setting("account", "what to call the account", needed=False, leads=False),
            Setting(
                "domain",
                "of those who connected apps, where the server names them without one",
                needed=False,
                leads=False,
            ),
        ),
        "JSON: client_id, client_secret, and the tokens to watch",
    )
    words: ClassVar[Words] = {
        "openid": (),
        "offline_access": (),
        "profile": (Power.VIEW,),
        "email": (Power.VIEW,),
        "address": (Power.VIEW,),
        "phone": (Power.VIEW,),
    }

    def __init__(self, settings: Mapping[str, str], secret: str, transport: httpx.BaseTransport | None = None) -> None:
        self._issuer, more = checked_settings("oauth", self.about, settings, url="issuer")
        self._account, self._domain = more.get("account") or "Account", more.get("domain", "")
        try:
            given = _Secret.model_validate_json(secret)
        except ValidationError as error:
            first = error.errors(include_input=False, include_url=False)[0]
            place = ".".join(str(part) for part in first["loc"]) or "the document itself"
            raise Invalid(
                f"The secret of the connector “oauth” cannot be used: {place}: {first['msg']}. Nothing was added.",
                next_step="Give a JSON object with client_id, client_secret and tokens, each of which has a token.",
                errors=[{"at": f"secret.{place}", "problem": str(first["msg"])}],
            ) from error
        if given.auth == "private_key_jwt" and not given.private_key:
            raise Invalid(
                "The secret of the connector “oauth” names private_key_jwt, and has no private_key. Nothing was added.",
                next_step="Give the key as a JWK in private_key, or choose another auth.",
                errors=[{"at": "secret.private_key", "problem": "missing"}],
            )
        keys = [watched.key for watched in given.tokens]
        if len(set(keys)) < len(keys):
            raise Invalid(
                "The same token is there twice in the secret of the connector “oauth”. Nothing was added.",
                next_step="Leave one of them out.",
            )
        self._watched = {watched.key: watched for watched in given.tokens}
        self._caller = Caller("OAuth 2.0", {"Accept": "application/json"}, transport)
        self._client = OAuthClient(given.client_id, given.client_secret, given.private_key, given.auth)
        self._found: _Metadata | None = None
        self._sent_at, self._asked_at = 0.0, 0.0

    def abilities(self) -> Abilities:
        kinds = frozenset({Kind.APP})
        return Abilities(kinds, kinds, redone_by=Side.PARTY, discreet=True)

    def pages(self) -> Iterator[Page]:
        self._caller.reads()
        total = len(self._watched)
        yield Page(accounts=self._accounts(self._watched.values()), total=total)
        parties: set[str] = set()
        linked: set[ObservedMembership] = set()
        for watched in self._watched.values():
            token = self._introspect(watched)
            if not token.active:
                total -= 1
                continue
            fresh = tuple(p for p in self._parties(watched, token) if p.key not in parties)
            parties |= {p.key for p in fresh}
            links = tuple(link for link in _links(watched, token) if link not in linked)
            linked |= set(links)
            yield Page(parties=fresh, entries=(self._entry(watched, token),), memberships=links)
        yield Page(total=total)

    def look(self, party: str) -> Observation:
        found = [(w, t) for w in self._watched.values() if (t := self._introspect(w)).active]
        theirs = [(w, t) for w, t in found if _party(w, t).key == party]
        return Observation(
            ReadingOutcome.COMPLETE,
            self._accounts(w for w, _ in theirs),
            tuple({p.key: p for w, t in theirs for p in self._parties(w, t)}.values()),
            tuple(self._entry(w, t) for w, t in theirs),
            tuple({link: link for w, t in theirs for link in _links(w, t)}),
        )

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        watched = self._watched.get(entry)
        if watched is None:
            raise ProviderRefused(
                f"The token of {entry!r} is no longer among those that are watched.",
                next_step="Enter it again in the provider's secret, or revoke it at the provider.",
            )
        asked = [(token, *self._found_as(token, hint)) for token, hint in watched.tokens]
        living = [(token, hint) for token, state, hint in asked if state.active]
        if not living:
            return Answer("the token is not active, says the server", already=True)
        where = self._metadata().revocation_endpoint
        for token, hint in living:
            answer = self._ask(where, {"token": token, "token_type_hint": hint}, ok=(200, 400))
            if answer.status_code == 400:
                # RFC 7009, 2.2.1: the server does not revoke tokens of this kind.
                raise ProviderRefused(
                    f"{where} does not revoke this token: {_error(answer)}.",
                    next_step="Disconnect the app at the provider itself, then read the provider again.",
                )
        return Answer(_told(watched, [hint for _, hint in living]))

    def _accounts(self, watched: Iterable[_Watched]) -> tuple[ObservedAccount, ...]:
        names = dict.fromkeys(w.account or self._account for w in watched)
        return tuple(ObservedAccount(name, name) for name in names)

    def _parties(self, watched: _Watched, token: _Token) -> tuple[ObservedParty, ...]:
        """The app, and whoever connected it, as far as the server says."""
        app = _party(watched, token)
        name = token.username or token.sub
        if not name:
            return (app,)
        address = name if "@" in name else f"{name}@{self._domain}" if self._domain else ""
        return app, ObservedParty(_user(token), PartyKind.PERSON, name, (address,) if address else ())

    def _entry(self, watched: _Watched, token: _Token) -> ObservedEntry:
        return ObservedEntry(
            watched.key,
            watched.account or self._account,
            _party(watched, token).key,
            Kind.APP,
            LEVEL,
            permissions=tuple(dict.fromkeys(token.scope.split())),
            given_at=_instant(token.iat),
            given_by=token.username or token.sub,
            ends_at=_instant(token.exp),
        )

    def _introspect(self, watched: _Watched) -> _Token:
        """What the server says of an app's tokens: of what renews it, if that lives, else of what it renewed."""
        said = [self._state(*token) for token in watched.tokens]
        return next((token for token in said if token.active), said[0])

    def _state(self, token: str, hint: str) -> _Token:
        """What the server says of a token; some look among those of the hint's type only, so it is asked for each."""
        return self._found_as(token, hint)[0]

    def _found_as(self, token: str, hint: str) -> tuple[_Token, str]:
        """What the server says of a token, and the hint by which it found it."""
        where = self._metadata().introspection_endpoint
        other = "access_token" if hint == "refresh_token" else "refresh_token"
        for text in (hint, other):
            answer = self._ask(where, {"token": token, "token_type_hint": text})
            said = self._caller.parsed(_Token, answer)
            if said.active:
                return said, text
        return said, hint

    def _ask(self, where: str, form: Mapping[str, str], ok: tuple[int, ...] = (200,)) -> httpx.Response:
        """Send a form to an endpoint, as the client that we are there; tries each way to say so that it may take."""
        metadata = self._metadata()
        supported = (
            metadata.introspection_endpoint_auth_methods_supported
            if where == metadata.introspection_endpoint
            else metadata.revocation_endpoint_auth_methods_supported
        ) or metadata.token_endpoint_auth_methods_supported
        ways = self._client.ways(supported)
        for way in ways:
            headers, more = self._client.proof(way, self._issuer, self._clock)
            try:
                answer = self._caller.send("POST", where, ok=(200, 400), data={**form, **more}, headers=headers)
                self._believed(answer, where, ok)
            except ProviderRefused:
                if way == ways[-1]:
                    raise
                continue
            self._client.taken = way
            return answer
        raise AssertionError  # there is always one way

    def _believed(self, answer: httpx.Response, where: str, ok: tuple[int, ...]) -> None:
        """Refuse what is no answer to the question; some say with 400 that they do not know the client."""
        if answer.status_code in ok and _code(answer) != "invalid_client":
            return
        if answer.status_code == 400:
            raise ProviderRefused(
                f"{where} does not accept our credentials: {_error(answer)}.",
                next_step="Enter those that the provider expects, with the right to ask about these tokens.",
            )

    def _clock(self) -> float:
        """The time by the server's own clock, in seconds since 1970."""
        return self._sent_at + time.monotonic() - self._asked_at

    def _metadata(self) -> _Metadata:
        if self._found is None:
            parts = urlsplit(self._issuer)
            # RFC 8414, 3.1: the well-known part goes between the host and the issuer's path.
            where = urlunsplit((*parts[:2], f"/.well-known/oauth-authorization-server{parts.path}", "", ""))
            answer = self._caller.send("GET", where)
            metadata = self._caller.parsed(_Metadata, answer)
            self._sent_at, self._asked_at = _sent_at(answer), time.monotonic()
            if metadata.issuer.rstrip("/") != self._issuer:
                raise ProviderUnreadable(
                    f"{where} speaks for {metadata.issuer!r}, not for {self._issuer!r}.",
                    next_step="Check the issuer: another's answers are not believed (RFC 8414, 3.3).",
                )
            self._found = metadata
        return self._found


def _sent_at(answer: httpx.Response) -> float:
    """When an answer was sent, by the server's clock; by ours, where it does not say."""
    try:
        return parsedate_to_datetime(answer.headers.get("Date", "")).timestamp()
    except (ValueError, TypeError):
        return time.time()


def _told(watched: _Watched, revoked: list[str]) -> str:
    """What revoking an app's tokens has come to, by the hints of those that lived."""
    if watched.refresh_token:
        named = " and ".join(f"its {hint.replace('_', ' ')}" for hint in revoked)
        return f"{named} {'is' if len(revoked) == 1 else 'are'} revoked"
    if watched.hint == "access_token":
        return "its access token is revoked; whether the app can get another one is not known here"
    return "the token is revoked"


def _user(token: _Token) -> str:
    return f"user:{token.username or token.sub}"


def _links(watched: _Watched, token: _Token) -> Iterator[ObservedMembership]:
    """Whoever connected an app can act through it."""
    if token.username or token.sub:
        yield ObservedMembership(_party(watched, token).key, _user(token), how="app")


def _party(watched: _Watched, token: _Token) -> ObservedParty:
    key = token.client_id or watched.app or watched.key
    return ObservedParty(key, PartyKind.APP, watched.app or key, publisher=watched.publisher, home=watched.home)


def _code(answer: httpx.Response) -> str:
    """The code of an error (RFC 6749, 5.2), of an answer that is one."""
    try:
        value: Any = json.loads(answer.content) if answer.status_code == 400 else {}
    except ValueError:
        return ""
    return str(value.get("error") or "") if isinstance(value, dict) else ""


def _error(answer: httpx.Response) -> str:
    return said(answer).strip(": ") or _code(answer) or "it gave no reason"


def _instant(seconds: int | None) -> datetime | None:
    if seconds is None:
        return None
    try:
        return datetime.fromtimestamp(seconds, UTC)
    except (OverflowError, ValueError, OSError):
        return None
