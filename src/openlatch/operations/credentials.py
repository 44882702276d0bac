"""Passwords, tokens and providers' secrets: hashed where only a comparison is needed, encrypted where they are used."""

from __future__ import annotations

import base64
import hashlib
import hmac
import secrets
import threading
from collections.abc import Iterator, Mapping, Sequence
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

__all__ = ["Bearer", "Keyring", "Passwords", "Vault", "weakness"]

_LOOKED_AT = 72
_STRONG = 3
"""of 4: hard to guess for someone who has stolen the hashes, even a slow one"""


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
    document = zxcvbn.zxcvbn(password[:_LOOKED_AT], user_inputs=[word for word in known if word])
    if document["score"] >= _STRONG:
        return ""
    said = document["feedback"]
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
    """The service's own keys: the first one wraps the keys of the workspaces, all of them unwrap, so that they change.

    The keys of the workspaces close what is secret there; see Keyring.
    """

    def __init__(self, keys: Sequence[str]) -> None:
        self._keys = [key.encode() for key in keys]
        try:
            self._fernet = fernet.MultiFernet([fernet.Fernet(key) for key in keys])
        except ValueError as error:
            raise Misconfigured(
                "OPENLATCH_SECRET_KEYS has no usable key in it.",
                next_step="Make one with `openlatch service new-key`, and keep it where the database is not.",
            ) from error

    @staticmethod
    def new_key() -> str:
        return fernet.Fernet.generate_key().decode()

    def new_data_key(self) -> bytes:
        """Return a new key for a workspace, wrapped."""
        return self.wrap(fernet.Fernet.generate_key())

    def wrap(self, key: bytes) -> bytes:
        """Return a key wrapped by the first key of the service."""
        return self._fernet.encrypt(key)

    def unwrap(self, wrapped: bytes) -> bytes:
        """Return a key that was wrapped by any key of the service."""
        try:
            return self._fernet.decrypt(wrapped)
        except fernet.InvalidToken as error:
            raise Misconfigured(
                "A secret was encrypted with a key that is not in OPENLATCH_SECRET_KEYS.",
                next_step="Put the old key back, behind the new one.",
            ) from error

    def marks(self, text: str) -> list[str]:
        """Return what links of before workspaces had keys of their own were marked with, by each key."""
        return [_mark(key, text) for key in self._keys]


class Keyring:
    """The keys of one workspace, by their numbers: the latest one closes, each opens what it has closed."""

    def __init__(self, vault: Vault, wrapped: Mapping[int, bytes]) -> None:
        self._vault = vault
        self._keys = {number: vault.unwrap(key) for number, key in wrapped.items()}
        self._latest = max(self._keys)

    def close(self, secret: str) -> bytes:
        """Return a secret closed, behind the number of the key that opens it."""
        closed = fernet.Fernet(self._keys[self._latest]).encrypt(secret.encode())
        return str(self._latest).encode() + b":" + closed

    def open(self, closed: bytes) -> str:
        """Return what was closed; of before workspaces had keys of their own, by the service's."""
        number, piece, token = closed.partition(b":")
        if not piece:
            return self._vault.unwrap(closed).decode()
        try:
            return fernet.Fernet(self._keys[int(number)]).decrypt(token).decode()
        except (fernet.InvalidToken, KeyError, ValueError) as error:
            raise Misconfigured(
                "A secret of this workspace cannot be opened with any of its keys.",
                next_step="Restore the table of keys together with the rest of the database.",
            ) from error

    def mark(self, text: str) -> str:
        """Return what only whoever holds the keys can put behind a text."""
        return _mark(self._keys[self._latest], text)

    def marked(self, text: str, mark: str) -> bool:
        """Return whether a mark was put behind a text with one of the keys."""
        marks = [*(_mark(key, text) for key in self._keys.values()), *self._vault.marks(text)]
        return any(hmac.compare_digest(made, mark) for made in marks if mark.isascii())


def _mark(key: bytes, text: str) -> str:
    made = hmac.new(key, b"mark " + text.encode(), hashlib.sha256).digest()
    return base64.urlsafe_b64encode(made).decode().rstrip("=")
