"""A file of authorized keys (sshd(8), AUTHORIZED_KEYS FILE FORMAT): what a line says, and what it gives."""

from __future__ import annotations

import base64
import binascii
import hashlib
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timezone
from zoneinfo import ZoneInfo

from openlatch.core.providers.meaning import Words
from openlatch.words import Power

__all__ = [
    "NO_SHELL",
    "SHELL",
    "WORDS",
    "KeyLine",
    "bearer_of",
    "dated",
    "ends_of",
    "fingerprint_of",
    "level_of",
    "networks_of",
    "parse_line",
    "words_of",
]

SHELL, COMMAND, AUTHORITY, NO_SHELL = "shell", "one command", "certificate authority", "no shell"
# What only limits a key, or how it is used, and so gives no power.
_LIMITS = (
    "restrict",
    "pty",
    "no-pty",
    "agent-forwarding",
    "no-agent-forwarding",
    "port-forwarding",
    "no-port-forwarding",
    "x11-forwarding",
    "no-x11-forwarding",
    "user-rc",
    "no-user-rc",
    "verify-required",
    "no-touch-required",
    "permitopen",
    "permitlisten",
    "principals",
)
WORDS: Words = {
    SHELL: (Power.VIEW, Power.EDIT, Power.EXPORT),
    AUTHORITY: (Power.VIEW, Power.EDIT, Power.EXPORT, Power.ADMIT),
    NO_SHELL: (),
    **dict.fromkeys(_LIMITS, ()),
}
"""What the levels of a key mean, and the options that give nothing."""
_OPTION = re.compile(r'([A-Za-z0-9-]+)(?:="((?:[^"\\]|\\.)*)")?(?:,|(?=\s))')
_TYPES = re.compile(r"(ssh-|ecdsa-|sk-|webauthn-)[a-z0-9@.-]+$", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class KeyLine:
    """One line of a file of authorized keys."""

    number: int
    text: str
    fingerprint: str
    comment: str
    options: Mapping[str, str]
    blob: str
    """the key itself, as the line has it"""


def parse_line(number: int, text: str) -> KeyLine | None:
    """Return what a line of the file says (sshd(8), AUTHORIZED_KEYS FILE FORMAT), or None if it is not a key."""
    rest, options = text.strip(), dict[str, str]()
    if not _TYPES.match(rest.split(None, 1)[0]):
        place = 0
        while match := _OPTION.match(rest, place):
            options.setdefault(match[1].lower(), re.sub(r"\\(.)", r"\1", match[2] or ""))
            place = match.end()
        if not place or not rest[place : place + 1].isspace():
            return None
        rest = rest[place:].strip()
    kind, _, rest = rest.partition(" ")
    blob, _, comment = rest.strip().partition(" ")
    try:
        key = base64.b64decode(blob, validate=True)
    except (ValueError, binascii.Error):
        return None
    if not _TYPES.match(kind) or len(key) < 16:
        return None
    return KeyLine(number, text, fingerprint_of(key), comment.strip(), options, blob)


def dated(line: str, expiry: str) -> str:
    """Return a line of the file with an expiry time (an option with its value, or none) in the place of all it had."""
    line = line.lstrip()
    if _TYPES.match(line.split(None, 1)[0]):
        return f"{expiry} {line}".lstrip()
    place, options = 0, []
    while match := _OPTION.match(line, place):
        options += [] if match[1].lower() == "expiry-time" else [match[0].removesuffix(",")]
        place = match.end()
        if not match[0].endswith(","):
            break
    return f"{','.join([*([expiry] if expiry else []), *options])} {line[place:].lstrip()}".lstrip()


def fingerprint_of(key: bytes) -> str:
    """Return the fingerprint of a public key, as ssh-keygen -l shows it."""
    return "SHA256:" + base64.b64encode(hashlib.sha256(key).digest()).decode().rstrip("=")


def level_of(lines: Iterable[KeyLine]) -> str:
    """Return what the widest of the lines allows."""
    options = [line.options for line in lines]
    if any("cert-authority" in option for option in options):
        return AUTHORITY
    return COMMAND if all("command" in option for option in options) else SHELL


def words_of(line: KeyLine) -> Iterator[str]:
    """Yield the options of a line that do not become fields; what a command does, nobody here knows."""
    for name, value in line.options.items():
        if name == "command":
            yield f"command: {value}"
        elif name not in ("cert-authority", "from", "expiry-time"):
            yield name


def ends_of(lines: Sequence[KeyLine], zone: ZoneInfo | timezone) -> tuple[datetime | None, bool]:
    """Return when the last of the lines with a key lapses, and whether it does so at a time that cannot be read."""
    ends = [_expiry(line.options["expiry-time"], zone) for line in lines if "expiry-time" in line.options]
    if len(ends) < len(lines):
        return None, False
    unknown = None in ends
    return (None if unknown else max((end for end in ends if end is not None), default=None)), unknown


def networks_of(lines: Sequence[KeyLine]) -> str:
    """Return from where a key is taken, in sshd's own patterns; empty if from anywhere."""
    networks = [line.options["from"] for line in lines if "from" in line.options]
    return "; ".join(networks) if len(networks) == len(lines) else ""


def bearer_of(lines: Sequence[KeyLine]) -> tuple[str, tuple[str, ...]]:
    """Return what whoever has a key is called, and their mail addresses, by the comment behind it."""
    comment = next((line.comment for line in lines if line.comment), "")
    name = comment or f"key without a name, {lines[0].fingerprint[:15]}…"
    return name, tuple(re.findall(r"[^\s<>@,;]+@[^\s<>@,;]+", comment))


def _expiry(text: str, zone: ZoneInfo | timezone) -> datetime | None:
    """When a key stops working, or None if that cannot be read."""
    of_utc = text.endswith("Z")
    digits = text.removesuffix("Z")
    for form, length in (("%Y%m%d", 8), ("%Y%m%d%H%M", 12), ("%Y%m%d%H%M%S", 14)):
        if len(digits) == length and digits.isdecimal():
            try:
                return datetime.strptime(digits, form).replace(tzinfo=UTC if of_utc else zone).astimezone(UTC)
            except ValueError:
                return None
    return None
