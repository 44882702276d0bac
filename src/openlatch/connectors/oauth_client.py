"""How an OAuth 2.0 client proves who it is: RFC 6749, 2.3.1, and RFC 7523."""

from __future__ import annotations

import base64
import secrets
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any
from urllib.parse import quote

from openlatch.deferred import deferred

if TYPE_CHECKING:
    from joserfc import jwk, jwt
else:
    # Only a client with a key needs them.
    jwk, jwt = deferred("joserfc.jwk"), deferred("joserfc.jwt")

__all__ = ["OAuthClient"]

BASIC, POST, SIGNED = "client_secret_basic", "client_secret_post", "private_key_jwt"
BARE = "as it is"
"""Basic without the encoding: some servers do not decode what RFC 6749 wants encoded."""
_JWT_BEARER = "urn:ietf:params:oauth:client-assertion-type:jwt-bearer"
_GOOD_FOR = 120
"""Seconds for which what we sign is good."""


@dataclass
class OAuthClient:
    """A client with its secret or its key (a JWK); `auth` is the one way that it uses, `taken` the last that worked."""

    client_id: str
    secret: str = field(default="", repr=False)
    key: Mapping[str, Any] = field(default_factory=dict, repr=False)
    auth: str = ""
    taken: str = ""

    def ways(self, supported: Collection[str]) -> tuple[str, ...]:
        """Return the ways to try, the likeliest first; `supported` are those that the server says it takes, if any.

        Without a word from the server it is client_secret_basic (RFC 8414, 2), and servers that want the other.
        """
        if self.auth or self.taken:
            return (self.auth or self.taken,)
        able = (SIGNED,) if self.key else (BASIC, POST)
        chosen = tuple(way for way in able if way in supported) or able
        plain = f"{_encoded(self.client_id)}:{_encoded(self.secret)}" == f"{self.client_id}:{self.secret}"
        return chosen if plain or BASIC not in chosen else (*chosen, BARE)

    def proof(self, way: str, audience: str, clock: Callable[[], float]) -> tuple[dict[str, str], dict[str, str]]:
        """Return what goes into the headers, and what into the form, to prove it in one way."""
        if way == POST:
            return {}, {"client_id": self.client_id, "client_secret": self.secret}
        if way in (BASIC, BARE):
            # Each is encoded as in a form first, so that a colon, a slash or a plus sign is unambiguous.
            text, other = self.client_id, self.secret
            pair = f"{text}:{other}" if way == BARE else f"{_encoded(text)}:{_encoded(other)}"
            return {"Authorization": f"Basic {base64.b64encode(pair.encode()).decode()}"}, {}
        return {}, {
            "client_id": self.client_id,
            "client_assertion_type": _JWT_BEARER,
            "client_assertion": self._signed(audience, int(clock())),
        }

    def _signed(self, audience: str, now: int) -> str:
        key = jwk.JWKRegistry.import_key(dict(self.key))
        algorithm = str(self.key.get("alg") or {"RSA": "RS256", "EC": "ES256", "OKP": "Ed25519"}[key.key_type])
        claims = {
            "iss": self.client_id,
            "sub": self.client_id,
            "aud": audience,
            "jti": secrets.token_urlsafe(16),
            "iat": now,
            "exp": now + _GOOD_FOR,
        }
        header = {"alg": algorithm} | ({"kid": self.key["kid"]} if "kid" in self.key else {})
        return jwt.encode(header, claims, key, algorithms=[algorithm])


def _encoded(text: str) -> str:
    """A text as in a form, with spaces as %20, which those read too who do not know the plus sign."""
    return quote(text, safe="")
