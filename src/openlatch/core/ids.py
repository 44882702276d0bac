"""Identifiers: UUIDv7 (RFC 9562), and the short form that people read to each other."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from uuid import UUID

__all__ = ["REF_LENGTH", "normal_ref", "ref_of", "uuid7"]

# Crockford's base 32: no I, L, O or U, so a ref survives being read aloud.
_ALPHABET = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"
_MISREAD = str.maketrans({"I": "1", "L": "1", "O": "0"})
REF_LENGTH = 8
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def uuid7(now: datetime, random_bits: int) -> UUID:
    """Return the UUIDv7 for an instant (milliseconds are kept) and 74 random bits."""
    # In whole numbers: a float of seconds would lose a millisecond here and there.
    millis = (now - _EPOCH) // timedelta(milliseconds=1) & ((1 << 48) - 1)
    high = (random_bits >> 62) & 0xFFF
    low = random_bits & ((1 << 62) - 1)
    return UUID(int=(millis << 80) | (7 << 76) | (high << 64) | (2 << 62) | low)


def ref_of(identifier: UUID) -> str:
    """Return the short form of an id, such as `7Q4K-BRM2`: its 40 lowest (random) bits."""
    bits = identifier.int & ((1 << 40) - 1)
    letters = "".join(_ALPHABET[(bits >> shift) & 31] for shift in range(35, -1, -5))
    return f"{letters[:4]}-{letters[4:]}"


def normal_ref(text: str) -> str | None:
    """Return a typed ref in its one spelling, or None if it cannot be one (case, hyphen and look-alikes forgiven)."""
    letters = text.strip().upper().replace("-", "").replace(" ", "").translate(_MISREAD)
    if len(letters) != REF_LENGTH or any(letter not in _ALPHABET for letter in letters):
        return None
    return f"{letters[:4]}-{letters[4:]}"
