"""Whoever sends security events, in this process: what it signs is signed by a library that nobody here wrote."""

from __future__ import annotations

import json
from collections.abc import Iterable
from datetime import datetime
from typing import Any

import jwt
from cryptography.hazmat.primitives.asymmetric import ec, ed25519, rsa

from tests.harness.ridge import Ridge

__all__ = ["CAEP", "RISC", "Transmitter"]

CAEP = "https://schemas.openid.net/secevent/caep/event-type/"
RISC = "https://schemas.openid.net/secevent/risc/event-type/"
_MADE = {
    "RS256": lambda: rsa.generate_private_key(65537, 2048),
    "ES256": lambda: ec.generate_private_key(ec.SECP256R1()),
    "EdDSA": ed25519.Ed25519PrivateKey.generate,
}


class Transmitter:
    """One issuer, with its keys under an address, and a box from which its tokens can be fetched."""

    def __init__(self, ridge: Ridge, issuer: str = "https://signals.kestrelridge.example") -> None:
        self.ridge, self.issuer = ridge, issuer
        self.keys: dict[str, tuple[str, Any]] = {}
        self.published: list[str] = []
        self.box: dict[str, str] = {}
        self.acknowledged: list[str] = []
        self.refused: dict[str, dict[str, str]] = {}
        self.secret = "for fetching"
        self.asked = 0
        self.key_readings = 0
        self.down = False
        self.numbers = 0
        self.exchange("RS256")
        ridge.transport.serve(issuer, self._answer)

    def exchange(self, algorithm: str = "ES256", *, published: bool = True) -> None:
        """Sign with another key from now on; the former ones are withdrawn."""
        name = f"{algorithm}-{len(self.keys) + 1}"
        self.keys[name] = (algorithm, _MADE[algorithm]())
        self.published = [name] if published else self.published

    def token(
        self,
        event: str,
        subject: dict[str, Any],
        audience: str,
        *,
        at: datetime | None = None,
        headers: dict[str, Any] | None = None,
        key: Any = None,
        algorithm: str = "",
        **claims: Any,
    ) -> str:
        """A token with one event; what is given beside it is said instead of what would be right, None is left out."""
        self.numbers += 1
        now = int((at or self.ridge.clock.now).timestamp())
        said = {
            "iss": self.issuer,
            "aud": audience,
            "iat": now,
            "jti": f"{self.issuer}#{self.numbers}",
            "sub_id": subject,
            "events": {event: {"event_timestamp": now}},
            **claims,
        }
        name = list(self.keys)[-1]
        usual, own = self.keys[name]
        told = {claim: value for claim, value in said.items() if value is not None}
        header = {"kid": name, "typ": "secevent+jwt", **(headers or {})}
        return jwt.encode(told, key or own, algorithm=algorithm or usual, headers=header)

    def put(self, token: str) -> str:
        """Let a token be fetched; returns the id under which it is."""
        jti = f"box-{len(self.box) + len(self.acknowledged)}"
        self.box[jti] = token
        return jti

    def _key_set(self) -> dict[str, Any]:
        keys = []
        for name in self.published:
            algorithm, key = self.keys[name]
            made = jwt.get_algorithm_by_name(algorithm).to_jwk(key.public_key())
            keys.append({**json.loads(made), "kid": name, "alg": algorithm, "use": "sig"})
        return {"keys": keys}

    def _answer(self, environ: dict[str, Any], start: Any) -> Iterable[bytes]:
        if self.down:
            return _sent(start, "503 Service Unavailable", {})
        if environ["PATH_INFO"] == "/keys":
            self.key_readings += 1
            return _sent(start, "200 OK", self._key_set())
        if environ.get("HTTP_AUTHORIZATION") != f"Bearer {self.secret}":
            return _sent(start, "401 Unauthorized", {})
        asked = json.loads(environ["wsgi.input"].read(int(environ["CONTENT_LENGTH"])))
        self.asked += 1
        for jti in [*asked.get("ack", []), *asked.get("setErrs", {})]:
            self.box.pop(jti, None)
        self.acknowledged += asked.get("ack", [])
        self.refused |= asked.get("setErrs", {})
        most = min(asked.get("maxEvents", 100), 2)
        sets = dict(list(self.box.items())[:most])
        return _sent(start, "200 OK", {"sets": sets, "moreAvailable": len(self.box) > most})


def _sent(start: Any, status: str, said: dict[str, Any]) -> Iterable[bytes]:
    start(status, [("Content-Type", "application/json")])
    return [json.dumps(said).encode()]
