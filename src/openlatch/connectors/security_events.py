"""Security Event Tokens (RFC 8417): the keys that sign them, what is proved by them, and fetching them (RFC 8936)."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import BaseModel, Field

from openlatch.connecting.http import Caller
from openlatch.core.providers.security_events import EventStream, Fetched, Refused
from openlatch.deferred import deferred
from openlatch.errors import ProviderUnreadable

if TYPE_CHECKING:
    import httpx
    from joserfc import errors, jwk, jws
else:
    # Only whoever is told of such events needs them.
    errors, jwk, jws = deferred("joserfc.errors"), deferred("joserfc.jwk"), deferred("joserfc.jws")

__all__ = ["EventIssuer"]

ALGORITHMS = ("RS256", "ES256", "PS256", "EdDSA", "Ed25519", "RS384", "RS512", "ES384", "ES512", "PS384", "PS512")
"""Those with a public key: whoever can check a token must not be able to make one."""
TYPES = frozenset({"secevent+jwt", "application/secevent+jwt"})
MOST_AT_ONCE = 50
LONGEST = 64 * 1024
_CALLED = "what security events are fetched by (RFC 8936)"


class _Sets(BaseModel):
    """What is fetched: tokens by their ids, and whether there are more (RFC 8936, 2.3)."""

    sets: Annotated[dict[str, str], Field(max_length=MOST_AT_ONCE * 4)]
    moreAvailable: bool = False  # noqa: N815 - the protocol's own name


def _keys(key_set: Any) -> jwk.KeySet:
    """Keys as they are published (RFC 7517)."""
    return jwk.KeySet.import_key_set(key_set)


class EventIssuer:
    """Whoever signs the security events of a provider; with the secret with which they are fetched."""

    def __init__(self, stream: EventStream, secret: str, transport: httpx.BaseTransport | None = None) -> None:
        self._stream = stream
        self._secret = secret
        self._caller = Caller(_CALLED, {"Accept": "application/json"}, transport)

    def key_set(self) -> Mapping[str, Any]:
        """Return the keys that the issuer publishes (RFC 7517); raises ProviderTrouble."""
        answer = self._caller.send("GET", self._stream.keys)
        try:
            said = answer.json()
            _keys(said)
        except (ValueError, TypeError, KeyError, AttributeError, errors.JoseError) as error:
            raise ProviderUnreadable(
                f"{self._stream.keys} has no keys that can be read.", next_step="Check the address of the keys."
            ) from error
        # Of what is not public nothing is kept, whoever has published it.
        private = {"d", "p", "q", "dp", "dq", "qi", "oth", "k"}
        return {"keys": [{n: v for n, v in key.items() if n not in private} for key in said["keys"]]}

    def proved(self, token: str, key_set: Mapping[str, Any]) -> dict[str, Any]:
        """Return what a token says, which one of the keys has signed; raises Refused."""
        if len(token) > LONGEST:
            raise Refused("invalid_request", f"It is longer than {LONGEST} bytes.")
        try:
            signed = jws.deserialize_compact(token.strip(), _keys(key_set), list(ALGORITHMS))
            kind = str(signed.headers().get("typ", "")).lower()
            said = json.loads(signed.payload)
        except errors.DecodeError as error:
            raise Refused("invalid_request", "It is not a signed token.") from error
        except (errors.JoseError, ValueError, TypeError, KeyError, RecursionError) as error:
            why = getattr(error, "error", "") or type(error).__name__
            raise Refused(
                "invalid_key", f"Its signature does not hold by the keys that are published ({why})."
            ) from error
        if kind not in TYPES:
            raise Refused("invalid_request", "It is not marked as a security event (typ secevent+jwt).")
        if not isinstance(said, dict):
            raise Refused("invalid_request", "It says nothing.")
        return said

    def fetch(self, taken: Sequence[str], refused: Mapping[str, Refused], most: int = MOST_AT_ONCE) -> Fetched:
        """Say what became of the tokens that were fetched before, and fetch more; at once, whether there are any."""
        said: dict[str, Any] = {"maxEvents": most, "returnImmediately": True, "ack": list(taken)}
        if refused:
            said["setErrs"] = {jti: {"err": why.err, "description": why.why} for jti, why in refused.items()}
        headers = {"Authorization": f"Bearer {self._secret}"} if self._secret else {}
        answer = self._caller.send("POST", self._stream.poll, headers=headers, json=said)
        sets = self._caller.parsed(_Sets, answer)
        return Fetched(sets.sets, more=sets.moreAvailable)
