"""What looks like a password, a key or a code: it is never kept, shown or repeated."""

from __future__ import annotations

import math
import re
from collections import Counter
from itertools import pairwise
from urllib.parse import parse_qsl, urlsplit

__all__ = ["address_holds_secret", "holds_secret", "names_secret", "tells_secret", "without_secrets"]

_NAMES = frozenset(
    (
        "password",
        "passwords",
        "passwort",
        "passphrase",
        "passcode",
        "pass",
        "pw",
        "pwd",
        "pin",
        "secret",
        "kennwort",
        "otp",
        "totp",
        "credential",
        "credentials",
        "token",
        "apikey",
        "privatekey",
        "recoverycode",
        "recoverycodes",
        "securityanswer",
        "motdepasse",
        "wachtwoord",
        "contrasena",
        "login_password",
    )
)
_TOLD = re.compile(
    r"\b(pass(?:word|wort|phrase|code)?|pwd?|kennwort|pin|secret|token|api[ _-]?key|otp|mot de passe|wachtwoord)\b"
    r"\s*(?:is|ist|was|=|:|->|→|lautet)\s*\S",
    re.IGNORECASE,
)
_KEY = re.compile(r"-----BEGIN [A-Z ]*PRIVATE KEY-----")
_HARMLESS = re.compile(
    r"[^\s@]+@[^\s@]+\.[^\s@]+"  # an address
    r"|https?://\S*|www\.\S+"
    r"|[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}"  # a UUID
    r"|(?:SHA256|MD5):\S+"  # a fingerprint
    r"|\d{4}-\d\d-\d\d(?:[T ]\S*)?"  # a time
    r"|[^\W\d_]+\d{1,4}"  # a word with a number, such as a year
    r"|[0-9a-z]{4}-[0-9a-z]{4}",  # a short form of ours
    re.IGNORECASE,
)
_SHORTEST = 10
_DISORDER = 2.9
"""Bits for each letter; words and names have less."""


def names_secret(heading: str) -> bool:
    """Return whether a heading says that what is under it is secret."""
    words = re.findall(r"[a-z]+", heading.casefold())
    return bool(_NAMES & {*words, "".join(words)}) or any(
        f"{value}{other}" in _NAMES for value, other in pairwise(words)
    )


def tells_secret(text: str) -> bool:
    """Return whether a text says that it holds a secret: "pw is …", or a private key."""
    return bool(_TOLD.search(text) or _KEY.search(text))


def holds_secret(text: str) -> bool:
    """Return whether what a person wrote seems to hold a secret: it says so, or a word of it is made by a machine."""
    return tells_secret(text) or any(_random(word.strip(".,;:()[]<>\"'“”")) for word in text.split())


def address_holds_secret(address: str) -> bool:
    """Return whether an address (URL) names a login with a password, or a parameter that says that it is secret."""
    try:
        parts = urlsplit(address)
        return bool(parts.password) or any(names_secret(name) for name, _ in parse_qsl(parts.query))
    except ValueError:
        return False


def without_secrets(address: str) -> str:
    """Return an address (URL) as it can be shown: what stands behind the host may be as good as a password."""
    try:
        parts = urlsplit(address.strip())
        where = parts.netloc.rpartition("@")[2]
    except ValueError:
        return "…"
    behind = "/…" if parts.path.strip("/") or parts.query or parts.fragment else parts.path
    return f"{parts.scheme}://{where}{behind}" if parts.scheme and where else "…"


def _random(word: str) -> bool:
    """Whether a word looks as if nobody had thought of it: letters of three sorts or more, in no order."""
    if len(word) < _SHORTEST or _HARMLESS.fullmatch(word):
        return False
    sorts = (str.islower, str.isupper, str.isdigit, _is_sign)
    kinds = sum(any(sort(letter) for letter in word) for sort in sorts)
    counts = Counter(word)
    disorder = -sum(n / len(word) * math.log2(n / len(word)) for n in counts.values())
    return kinds >= 3 and disorder >= _DISORDER


def _is_sign(letter: str) -> bool:
    return not letter.isalnum() and letter not in "-_./:@+'’()&"
