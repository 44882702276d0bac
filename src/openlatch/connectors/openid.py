"""An OpenID provider (OpenID Connect Core 1.0): authorization code with PKCE (RFC 7636), discovery, and what it proves.

What it says of itself and its keys are read whenever someone signs in: a key that it has exchanged is known at once,
and one that it has withdrawn is good for nothing.
"""

from __future__ import annotations

import json
import time
from collections.abc import Mapping
from contextlib import suppress
from datetime import datetime
from typing import TYPE_CHECKING, Annotated, Any
from urllib.parse import urlencode, urlsplit

from pydantic import BaseModel, StringConstraints

from openlatch.connecting import outgoing
from openlatch.connecting.http import Caller
from openlatch.connectors.oauth_client import OAuthClient
from openlatch.core.people.sign_on import Question, SignOn
from openlatch.deferred import deferred
from openlatch.errors import NotSignedIn, ProviderRefused, ProviderUnreadable

if TYPE_CHECKING:
    import httpx
    from authlib.oauth2 import rfc7636 as pkce
    from authlib.oidc import core as oidc
    from joserfc import errors, jwk, jwt
else:
    # Only whoever signs in by such a provider needs them.
    errors, jwk, jwt = deferred("joserfc.errors"), deferred("joserfc.jwk"), deferred("joserfc.jwt")
    oidc, pkce = deferred("authlib.oidc.core"), deferred("authlib.oauth2.rfc7636")

__all__ = ["OpenIdProvider"]

ALGORITHMS = ("RS256", "ES256", "PS256", "EdDSA", "Ed25519", "RS384", "RS512", "ES384", "ES512", "PS384", "PS512")
"""Those with a public key: whoever knows the client's secret must not be able to sign for the provider."""
LEEWAY = 60
"""Seconds by which the provider's clock may differ from ours."""
FRESH = 300
"""Seconds within which someone has proved anew who they are, where that is asked for."""
_SCOPES = ("openid", "email", "profile")
_CALLED = "OpenID Connect"

Url = Annotated[str, StringConstraints(min_length=1, max_length=2000)]


class _Metadata(BaseModel):
    """What a provider says of itself (OpenID Connect Discovery 1.0, 3)."""

    issuer: Url
    authorization_endpoint: Url
    token_endpoint: Url
    jwks_uri: Url
    userinfo_endpoint: Url | None = None
    scopes_supported: list[str] = []
    token_endpoint_auth_methods_supported: list[str] = []


class _Tokens(BaseModel):
    """What it gives for a code (RFC 6749, 5.1, with OpenID Connect Core 1.0, 3.1.3.3)."""

    id_token: str
    access_token: str = ""


class OpenIdProvider:
    """One provider, with the client under which it knows this service."""

    def __init__(self, sign_on: SignOn, secret: str, transport: httpx.BaseTransport | None = None) -> None:
        self._sign_on = sign_on
        self._client = OAuthClient(sign_on.client_id, secret)
        self._caller = Caller(_CALLED, {"Accept": "application/json"}, transport)

    def check(self) -> None:
        """Read what the provider says of itself, and its keys."""
        self._keys(self._metadata())

    def address(self, question: Question, back: str) -> str:
        """Return where someone goes to be asked."""
        said = self._metadata()
        scopes = [*_SCOPES, *({self._sign_on.claim} & set(said.scopes_supported))]
        asked = {
            "response_type": "code",
            "client_id": self._sign_on.client_id,
            "redirect_uri": back,
            "scope": " ".join(scopes),
            "state": question.state,
            "nonce": question.nonce,
            "code_challenge": pkce.create_s256_code_challenge(question.verifier),
            "code_challenge_method": "S256",
        }
        if question.fresh:
            asked |= {"prompt": "login", "max_age": "0"}
        joined = "&" if urlsplit(said.authorization_endpoint).query else "?"
        return f"{said.authorization_endpoint}{joined}{urlencode(asked)}"

    def claims(self, question: Question, back: str, code: str, now: datetime) -> Mapping[str, object]:
        """Return what the provider says of whoever came back with a code; it has signed that, for us, of now."""
        said = self._metadata()
        tokens = self._exchanged(said, question, back, code)
        claims = self._proved(said, question, tokens, now)
        return claims | self._told(said, claims, tokens.access_token)

    def _metadata(self) -> _Metadata:
        issuer = self._sign_on.issuer
        answer = self._caller.send("GET", f"{issuer.rstrip('/')}/.well-known/openid-configuration")
        said = self._caller.parsed(_Metadata, answer)
        if said.issuer != issuer:
            raise ProviderUnreadable(
                f"{issuer} says that it is {said.issuer}, which is another one. Nobody was signed in.",
                next_step="Give the issuer exactly as the provider writes it, with or without a slash at its end.",
            )
        # It is opened by people, not by us; still it has to be one that we would send a secret to.
        door = urlsplit(said.authorization_endpoint)
        if door.scheme not in ("https", "http") or not door.hostname:
            raise ProviderUnreadable(
                f"{issuer} sends people to “{said.authorization_endpoint}”, which is not an address.",
                next_step="Tell whoever runs it.",
            )
        if door.scheme == "http":
            outgoing.addresses_of(door.hostname, door.port or 80, in_clear=True)
        return said

    def _keys(self, said: _Metadata) -> jwk.KeySet:
        answer = self._caller.send("GET", said.jwks_uri)
        try:
            return jwk.KeySet.import_key_set(answer.json())
        except (ValueError, TypeError, KeyError, errors.JoseError) as error:
            raise ProviderUnreadable(
                f"{said.jwks_uri} has no keys that can be read.", next_step="Tell whoever runs it."
            ) from error

    def _exchanged(self, said: _Metadata, question: Question, back: str, code: str) -> _Tokens:
        form = {
            "grant_type": "authorization_code",
            "code": code,
            "redirect_uri": back,
            "code_verifier": question.verifier,
        }
        # A client without a secret says who it is, and the verifier alone proves that it has asked.
        headers: dict[str, str] = {}
        more = {"client_id": self._client.client_id}
        if self._client.secret:
            # A code is good once: of several ways to prove who we are, the likeliest one is used.
            way = self._client.ways(said.token_endpoint_auth_methods_supported)[0]
            headers, more = self._client.proof(way, said.token_endpoint, time.time)
        answer = self._caller.send("POST", said.token_endpoint, ok=(200, 400), headers=headers, data=form | more)
        if answer.status_code == 400:
            raise NotSignedIn(
                f"{self._sign_on.name} does not take what you came back with. Nothing was changed.",
                next_step="Sign in again; if it happens again, an owner has to look at how it is set up.",
            )
        return self._caller.parsed(_Tokens, answer)

    def _proved(self, said: _Metadata, question: Question, tokens: _Tokens, now: datetime) -> dict[str, Any]:
        try:
            token = jwt.decode(tokens.id_token, self._keys(said), algorithms=list(ALGORITHMS))
            claims = oidc.CodeIDToken(
                token.claims,
                token.header,
                options={
                    "iss": {"essential": True, "value": said.issuer},
                    "aud": {"essential": True, "value": self._sign_on.client_id},
                    "sub": {"essential": True},
                },
                params={
                    "nonce": question.nonce,
                    "client_id": self._sign_on.client_id,
                    "access_token": tokens.access_token,
                },
            )
            claims.validate(now.timestamp(), LEEWAY)
        except (errors.JoseError, ValueError, TypeError, KeyError) as error:
            why = getattr(error, "error", "") or type(error).__name__
            raise ProviderRefused(
                f"What {self._sign_on.name} says of you is not proved ({why}). Nobody was signed in.",
                next_step="Try again; if it happens again, tell whoever runs it.",
            ) from error
        if question.fresh and now.timestamp() - float(claims.get("auth_time", 0)) > FRESH:
            raise NotSignedIn(
                f"{self._sign_on.name} did not make you prove again who you are. Nothing was changed.",
                next_step="Sign out there first, or prove it here by another way.",
            )
        return dict(claims)

    def _told(self, said: _Metadata, claims: Mapping[str, Any], token: str) -> dict[str, Any]:
        """What is asked for beside the proof, where it says no address: only of the same subject (5.3.2)."""
        if "email" in claims or said.userinfo_endpoint is None or not token:
            return {}
        answer = self._caller.send("GET", said.userinfo_endpoint, headers={"Authorization": f"Bearer {token}"})
        told: object = None
        with suppress(json.JSONDecodeError):
            told = answer.json()
        if not isinstance(told, dict) or told.get("sub") != claims["sub"]:
            raise ProviderRefused(
                f"{self._sign_on.name} names someone other than the person it has proved. Nobody was signed in.",
                next_step="Tell whoever runs it.",
            )
        return {name: value for name, value in told.items() if name not in claims}
