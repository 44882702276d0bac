"""Passwords, tokens and providers' secrets: hashed where only a comparison is needed, encrypted where they are used."""

from __future__ import annotations

import base64
import hashlib
import hmac
import secrets
import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING
from uuid import UUID

import argon2
from argon2.exceptions import InvalidHashError, VerificationError

from openlatch.deferred import deferred
from openlatch.errors import Busy, Misconfigured

if TYPE_CHECKING:
    import zxcvbn
    from cryptography import fernet
else:
    zxcvbn, fernet = deferred("zxcvbn"), deferred("cryptography.fernet")

__all__ = ["Bearer", "Passwords", "Vault", "weakness"]

_LOOKED_AT = 72
_STRONG = 3
"""of 4: hard to guess for somebody who has stolen the hashes, even a slow one"""


class Passwords:
    """Hashes passwords with argon2id (RFC 9106); each hash takes `memory` KiB.

    It is slow on purpose, so only a few are worked out at a time and a few more wait: whoever comes beyond that is told
    to come again, and everybody else's requests go on.
    """

    AT_ONCE = 2
    WAITING = 4

    FULL = argon2.DEFAULT_MEMORY_COST
    LEAST = 32
    """for tests and tours, where nobody's password is at stake"""

    def __init__(self, memory: int = FULL) -> None:
        self._hasher = argon2.PasswordHasher(memory_cost=memory)
        self._places = threading.BoundedSemaphore(self.AT_ONCE + self.WAITING)
        self._turns = threading.BoundedSemaphore(self.AT_ONCE)

    @cached_property
    def _of_nobody(self) -> str:
        return self._hasher.hash(secrets.token_urlsafe(16))

    def hash(self, password: str) -> str:
        """Return the hash of a password."""
        with self._turn():
            return self._hasher.hash(password)

    def fits(self, stored: str | None, password: str) -> bool:
        """Return whether a password fits; takes as long for someone who is not known."""
        with self._turn():
            nobody = self._of_nobody  # made in any case, so that the first attempt gives nothing away either
            try:
                return self._hasher.verify(stored or nobody, password) and stored is not None
            except (VerificationError, InvalidHashError):
                return False

    @contextmanager
    def _turn(self) -> Iterator[None]:
        if not self._places.acquire(blocking=False):
            raise Busy(
                "Too many people are signing in at this moment. Nothing was changed.",
                next_step="Try again in a few seconds.",
                retry_after=2,
            )
        try:
            with self._turns:
                yield
        finally:
            self._places.release()


def weakness(password: str, known: Sequence[str]) -> str:
    """Return why a password is too easily guessed, in a sentence, or nothing; `known` are words that others know."""
    found = zxcvbn.zxcvbn(password[:_LOOKED_AT], user_inputs=[word for word in known if word])
    if found["score"] >= _STRONG:
        return ""
    said = found["feedback"]
    return said["warning"] or " ".join(said["suggestions"][:1]) or "It is among those that are tried first."


@dataclass(frozen=True, slots=True)
class Bearer:
    """What a token or a session cookie says: whose workspace, which token, and the secret that proves it."""

    workspace_id: UUID
    id: UUID
    secret: str

    @classmethod
    def new(cls, workspace_id: UUID, bearer_id: UUID) -> Bearer:
        return cls(workspace_id, bearer_id, secrets.token_urlsafe(32))

    @classmethod
    def parse(cls, text: str) -> Bearer | None:
        try:
            name, workspace, bearer, secret = text.split(".")
            return cls(UUID(workspace), UUID(bearer), secret) if name == "latch" and secret else None
        except ValueError:
            return None

    def __str__(self) -> str:
        return f"latch.{self.workspace_id.hex}.{self.id.hex}.{self.secret}"

    @property
    def hash(self) -> bytes:
        """What is stored of the secret; it is random and long, so a plain hash does not give it away."""
        return hashlib.sha256(self.secret.encode()).digest()

    @property
    def csrf(self) -> str:
        """The word that a page has to send along with every change, so that no other site can make it."""
        return hmac.new(self.secret.encode(), b"csrf", hashlib.sha256).hexdigest()

    def fits(self, stored: bytes) -> bool:
        return hmac.compare_digest(self.hash, stored)


class Vault:
    """Encrypts providers' secrets; the first key encrypts, all of them decrypt, so that keys can be changed."""

    def __init__(self, keys: Sequence[str]) -> None:
        self._keys = [key.encode() for key in keys]
        try:
            self._fernet = fernet.MultiFernet([fernet.Fernet(key) for key in keys])
        except ValueError as error:
            raise Misconfigured(
                "OPENLATCH_SECRET_KEYS has no usable key in it.",
                next_step="Make one with `openlatch new-key`, and keep it where the database is not.",
            ) from error

    @staticmethod
    def new_key() -> str:
        return fernet.Fernet.generate_key().decode()

    def mark(self, text: str) -> str:
        """Return what only whoever holds the key can put behind a text."""
        return self._marks(text)[0]

    def marked(self, text: str, mark: str) -> bool:
        """Return whether a mark was put behind a text with one of the keys."""
        return any(hmac.compare_digest(one, mark) for one in self._marks(text) if mark.isascii())

    def _marks(self, text: str) -> list[str]:
        made = (hmac.new(key, b"mark " + text.encode(), hashlib.sha256).digest() for key in self._keys)
        return [base64.urlsafe_b64encode(one).decode().rstrip("=") for one in made]

    def close(self, secret: str) -> bytes:
        return self._fernet.encrypt(secret.encode())

    def open(self, closed: bytes) -> str:
        try:
            return self._fernet.decrypt(closed).decode()
        except fernet.InvalidToken as error:
            raise Misconfigured(
                "A provider's secret was encrypted with a key that is not in OPENLATCH_SECRET_KEYS.",
                next_step="Put the former key back, behind the new one.",
            ) from error
