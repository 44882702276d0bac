"""The connector for apps that were let in by OAuth 2.0: metadata, introspection, revocation (RFC 8414, 7662, 7009).

No standard lists the tokens that a server has issued, so the holder enters those to watch, as the secret: a JSON
object such as

    {"client_id": "open-latch", "client_secret": "…", "tokens": [
        {"token": "…", "app": "Star Chart Weekly", "publisher": "…", "home": "https://…", "account": "Donations"}]}

of which only `token` has to be there. What a token may do is asked of the server each time; the token itself is never
shown: an entry is known by its fingerprint.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Iterator, Mapping
from datetime import UTC, datetime
from typing import Annotated, Any, ClassVar, Literal, TypeVar
from urllib.parse import urlsplit, urlunsplit

import httpx
from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError

from openlatch.connectors.http import Caller, checked_settings
from openlatch.connectors.settings import unable
from openlatch.core.meaning import Words
from openlatch.core.model import Abilities, Kind, PartyKind, ReadingOutcome, Side
from openlatch.core.observation import Observation, ObservedAccount, ObservedEntry, ObservedMembership, ObservedParty
from openlatch.core.ports import About, Answer, Change, Found, Gift, Page, Setting
from openlatch.core.powers import Power
from openlatch.errors import Invalid, ProviderRefused, ProviderUnreadable

__all__ = ["OAuthConnector"]

M = TypeVar("M", bound=BaseModel)
Line = Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$")]
LEVEL = "connected app"


class _Watched(BaseModel):
    """A token that the holder wants to be watched, with what the server does not tell about its app."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    token: Annotated[str, StringConstraints(min_length=1, max_length=10000)]
    hint: Literal["access_token", "refresh_token"] = "refresh_token"
    app: Line = ""
    publisher: Line = ""
    home: Line = ""
    account: Line = ""

    @property
    def key(self) -> str:
        """What the entry is known by: a fingerprint, from which nobody gets the token."""
        return f"token:{hashlib.sha256(self.token.encode()).hexdigest()[:32]}"


class _Secret(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")
    client_id: Line
    client_secret: Line = ""
    tokens: Annotated[tuple[_Watched, ...], Field(max_length=10000)]


class _Metadata(BaseModel):
    """What RFC 8414 publishes about a server, as far as it is needed here."""

    issuer: str
    introspection_endpoint: str
    revocation_endpoint: str


class _Token(BaseModel):
    """What introspection says about a token (RFC 7662, 2.2)."""

    active: bool
    scope: str = ""
    client_id: str = ""
    sub: str = ""
    username: str = ""
    exp: int | None = None
    iat: int | None = None


class OAuthConnector:
    """Watches and revokes tokens."""

    about: ClassVar[About] = About(
        "OAuth 2.0 metadata, introspection and revocation (RFC 8414, RFC 7662, RFC 7009)",
        (
            Setting("issuer", "address of the authorization server"),
            Setting("account", "what to call the account", needed=False),
            Setting(
                "domain",
                "of those who connected apps, where the server names them without one",
                needed=False,
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
    levels: ClassVar[Mapping[str, tuple[Power, ...]]] = {}

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
        keys = [watched.key for watched in given.tokens]
        if len(set(keys)) < len(keys):
            raise Invalid(
                "The same token is there twice in the secret of the connector “oauth”. Nothing was added.",
                next_step="Leave one of them out.",
            )
        self._watched = {watched.key: watched for watched in given.tokens}
        self._caller = Caller(
            "OAuth 2.0", {"Accept": "application/json"}, transport, auth=(given.client_id, given.client_secret)
        )
        self._found: _Metadata | None = None

    def abilities(self) -> Abilities:
        kinds = frozenset({Kind.APP})
        return Abilities(kinds, kinds, redone_by=Side.PARTY)

    def pages(self) -> Iterator[Page]:
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
        if not self._introspect(watched).active:
            return Answer("the token is not active any more", already=True)
        where = self._metadata().revocation_endpoint
        answer = self._caller.send(
            "POST", where, ok=(200, 400), data={"token": watched.token, "token_type_hint": watched.hint}
        )
        if answer.status_code == 400:
            # RFC 7009, 2.2.1: the server does not revoke tokens of this kind.
            raise ProviderRefused(
                f"{where} does not revoke this token: {_error(answer)}.",
                next_step="Disconnect the app at the provider itself, then read the provider again.",
            )
        return Answer("the token is revoked")

    def change(self, entry: str, party: str, change: Change, idempotency_key: str) -> Answer:
        raise unable(entry, "change")

    def find(self, text: str) -> Found:
        return Found()

    def give(self, party: str, gift: Gift, idempotency_key: str) -> Answer:
        raise unable(f"{gift.level} on {gift.account}", "give")

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
        where = self._metadata().introspection_endpoint
        data = {"token": watched.token, "token_type_hint": watched.hint}
        return self._caller.parsed(_Token, self._caller.send("POST", where, data=data))

    def _metadata(self) -> _Metadata:
        if self._found is None:
            parts = urlsplit(self._issuer)
            # RFC 8414, 3.1: the well-known part goes between the host and the issuer's path.
            where = urlunsplit((*parts[:2], f"/.well-known/oauth-authorization-server{parts.path}", "", ""))
            found = self._caller.parsed(_Metadata, self._caller.send("GET", where))
            if found.issuer.rstrip("/") != self._issuer:
                raise ProviderUnreadable(
                    f"{where} speaks for {found.issuer!r}, not for {self._issuer!r}.",
                    next_step="Check the issuer: another's answers are not believed (RFC 8414, 3.3).",
                )
            self._found = found
        return self._found


def _user(token: _Token) -> str:
    return f"user:{token.username or token.sub}"


def _links(watched: _Watched, token: _Token) -> Iterator[ObservedMembership]:
    """Whoever connected an app can act through it."""
    if token.username or token.sub:
        yield ObservedMembership(_party(watched, token).key, _user(token), how="app")


def _party(watched: _Watched, token: _Token) -> ObservedParty:
    key = token.client_id or watched.app or watched.key
    return ObservedParty(key, PartyKind.APP, watched.app or key, publisher=watched.publisher, home=watched.home)


def _error(answer: httpx.Response) -> str:
    try:
        found: Any = json.loads(answer.content)
    except ValueError:
        return "it gave no reason"
    return str(found.get("error_description") or found.get("error") or "it gave no reason")


def _instant(seconds: int | None) -> datetime | None:
    if seconds is None:
        return None
    try:
        return datetime.fromtimestamp(seconds, UTC)
    except (OverflowError, ValueError, OSError):
        return None
