"""What sshd's log says: with which key somebody signed in to a login, and when."""

from __future__ import annotations

import re
from datetime import UTC, datetime, tzinfo

__all__ = ["uses"]

_ACCEPTED = re.compile(
    r"^(?P<at>\d{4}-\d\d-\d\dT\S+|[A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d) .*"
    r"Accepted publickey for (?P<login>\S+) from (?P<network>\S+) port \d+ ssh2: \S+ (?P<key>SHA256:\S+)"
)


def uses(log: str, now: datetime, zone: tzinfo = UTC) -> dict[str, dict[str, datetime]]:
    """Return when each key was accepted last, by login and fingerprint.

    Lines without a year and a zone are taken as times in `zone` of the last year that puts them before `now`.
    """
    used: dict[str, dict[str, datetime]] = {}
    for line in log.splitlines():
        match = _ACCEPTED.match(line)
        at = None if match is None else _logged(match["at"], now, zone)
        if match is not None and at is not None:
            keys = used.setdefault(match["login"], {})
            keys[match["key"]] = max(at, keys.get(match["key"], at))
    return used


def _logged(text: str, now: datetime, zone: tzinfo) -> datetime | None:
    try:
        if text[0].isdecimal():
            at = datetime.fromisoformat(text)
            return at if at.tzinfo else at.replace(tzinfo=zone)
        at = datetime.strptime(f"{now.year} {text}", "%Y %b %d %H:%M:%S").replace(tzinfo=zone)
        return at if at <= now else at.replace(year=now.year - 1)
    except ValueError:
        return None
