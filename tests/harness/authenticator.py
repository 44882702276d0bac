"""A passkey in software (WebAuthn, Level 3), written after the standard: it signs whatever it is asked to."""

from __future__ import annotations

import base64
import hashlib
import json
import secrets
from dataclasses import dataclass, field
from typing import Any

import cbor2
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.hashes import SHA256

__all__ = ["Authenticator"]

PRESENT, VERIFIED, ATTESTED = 0x01, 0x04, 0x40


def _text(raw: bytes) -> str:
    return base64.urlsafe_b64encode(raw).decode().rstrip("=")


@dataclass
class Authenticator:
    """One key pair for one host; `verifies` is whether it checks who holds it, `count` what it counts up."""

    origin: str
    host: str
    verifies: bool = True
    count: int = 0
    id: bytes = field(default_factory=lambda: secrets.token_bytes(32))
    key: ec.EllipticCurvePrivateKey = field(default_factory=lambda: ec.generate_private_key(ec.SECP256R1()))

    def _data(self, flags: int) -> bytes:
        flags |= PRESENT | (VERIFIED if self.verifies else 0)
        return hashlib.sha256(self.host.encode()).digest() + bytes([flags]) + self.count.to_bytes(4, "big")

    def _client(self, kind: str, challenge: str) -> bytes:
        return json.dumps({"type": kind, "challenge": challenge, "origin": self.origin, "crossOrigin": False}).encode()

    def _answer(self, **response: bytes) -> dict[str, Any]:
        shown = {name: _text(value) for name, value in response.items()}
        return {"id": _text(self.id), "rawId": _text(self.id), "type": "public-key", "response": shown}

    def make(self, options: str) -> dict[str, Any]:
        """Answer what is asked to have a passkey made."""
        numbers = self.key.public_key().public_numbers()
        public = {1: 2, 3: -7, -1: 1, -2: numbers.x.to_bytes(32, "big"), -3: numbers.y.to_bytes(32, "big")}
        attested = bytes(16) + len(self.id).to_bytes(2, "big") + self.id + cbor2.dumps(public)
        data = self._data(ATTESTED) + attested
        return self._answer(
            clientDataJSON=self._client("webauthn.create", json.loads(options)["challenge"]),
            attestationObject=cbor2.dumps({"fmt": "none", "attStmt": {}, "authData": data}),
        )

    def sign(self, options: str) -> dict[str, Any]:
        """Answer what is asked to sign in."""
        self.count += 1
        data, said = self._data(0), self._client("webauthn.get", json.loads(options)["challenge"])
        signed = self.key.sign(data + hashlib.sha256(said).digest(), ec.ECDSA(SHA256()))
        return self._answer(clientDataJSON=said, authenticatorData=data, signature=signed)
