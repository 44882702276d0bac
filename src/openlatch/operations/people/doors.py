"""What is checked of what is set once, whichever door it comes in by: addresses, passwords, zones, domains, names."""

from __future__ import annotations

import difflib
import re
from collections.abc import Sequence
from typing import TYPE_CHECKING

from openlatch.core.hours import zones
from openlatch.core.model import Workspace, normal_address
from openlatch.core.phrases import counted
from openlatch.deferred import deferred
from openlatch.errors import Invalid
from openlatch.operations.credentials import weakness

if TYPE_CHECKING:
    import email_validator
else:
    email_validator = deferred("email_validator")

__all__ = ["check_founding", "check_person", "check_wishes", "check_workspace", "readable_address"]

SHORTEST = 12
"""characters that a password has at least"""
_SLUG = re.compile(r"(?=.{1,200}$)[a-z0-9]+(-[a-z0-9]+)*")
_WORDS = "A good password is four words that do not belong together."
_DOMAIN = re.compile(r"([a-z0-9]([a-z0-9-]*[a-z0-9])?\.)+[a-z]([a-z0-9-]*[a-z0-9])", re.IGNORECASE)
_LANGUAGE = re.compile(r"[a-z]{2,3}(-[A-Z][a-z]{3})?(-([A-Z]{2}|[0-9]{3}))?")
_LONGEST = 200


Problem = tuple[str, str]
"""The place of a mistake, and what is wrong there."""


def readable_address(text: str, at: str, undone: str = "Nothing was changed.") -> tuple[str, str]:
    """Return a mail address in its one form, and as it is written on the wire; raises Invalid for what is none.

    `at` is the place of the mistake that is raised, and `undone` says what was not done because of it.
    """
    read = _read(text)
    if isinstance(read, str):
        raise _refused([(at, read)], undone)
    return read


def check_person(workspace: Workspace, name: str, address: str, password: str) -> None:
    """Refuse someone who could not sign in safely; raises Invalid with every mistake at once."""
    found = _name("name", name) + _sign_in(workspace, name, address, password)
    if found:
        raise _refused(found, "Nothing was changed.")


def check_wishes(name: str, zone: str, dates: str) -> None:
    """Refuse a name, a zone or a language of dates that someone could not be shown; raises Invalid with each mistake.

    `dates` is a language tag (RFC 5646) such as en-GB or de; as `zone`, it is empty for the workspace's.
    """
    found = _name("name", name) + (_zone(zone) if zone else [])
    if dates and not _LANGUAGE.fullmatch(dates):
        found.append(("dates", f"“{dates}” is not a language, such as en-GB or de"))
    if found:
        raise _refused(found, "Nothing was changed.")


LEAST_KEPT = {"keep_events_days": 90, "keep_activity_days": 30, "keep_readings_days": 30}
"""Days that what happened is kept at least: enough to be seen at a review."""


def check_workspace(workspace: Workspace) -> None:
    """Refuse what a workspace could not be used with; raises Invalid with every mistake at once."""
    found = _name("name", workspace.name) + _zone(workspace.zone)
    for name, least in LEAST_KEPT.items():
        if 0 < (days := getattr(workspace, name)) < least:
            found.append((name, f"{counted(days, 'day')} is too short: keep it for {least} at least, or 0 for ever"))
    if found:
        raise _refused(found, "Nothing was changed.")


def check_founding(workspace: Workspace, owner: str, address: str, password: str) -> None:
    """Refuse a workspace that could not be used as it is wished for; raises Invalid with every mistake at once."""
    found = [*_slug(workspace.slug), *_name("name", workspace.name), *_name("owner", owner), *_zone(workspace.zone)]
    wrong = [domain for domain in sorted(workspace.circle.domains) if not _DOMAIN.fullmatch(domain)]
    found += [("circle", f"“{text}” is not a domain, such as kestrelridge.example") for text in wrong]
    found += _sign_in(workspace, owner, address, password)
    if found:
        raise _refused(found, "Nothing was created.")


def _slug(slug: str) -> list[Problem]:
    said = f"“{slug}” is not a short name: use small letters, digits and hyphens"
    return [] if _SLUG.fullmatch(slug) else [("workspace", said)]


def _zone(zone: str) -> list[Problem]:
    if zone in zones():
        return []
    near = difflib.get_close_matches(zone, sorted(zones()), 1, 0.5)
    such = f"; did you mean {near[0]}?" if near else ", such as Europe/London"
    return [("zone", f"“{zone}” is not an IANA time zone{such}")]


def _sign_in(workspace: Workspace, name: str, address: str, password: str) -> list[Problem]:
    read = _read(address)
    found = [("address", read)] if isinstance(read, str) else []
    if len(password) < SHORTEST:
        return [*found, ("password", f"a password has at least {SHORTEST} characters")]
    why = weakness(password, [name, address, *address.split("@"), workspace.name, workspace.slug])
    return [*found, ("password", f"that password could be guessed. {why.rstrip('.')}")] if why else found


def _name(at: str, name: str) -> list[Problem]:
    fine = name.strip() and len(name) <= _LONGEST and name.isprintable()
    return [] if fine else [(at, f"a name of 1 to {_LONGEST} characters is needed")]


def _read(text: str) -> tuple[str, str] | str:
    """A mail address in its one form and as it is written on the wire, or why it is none."""
    typed = text.strip()
    try:
        email = email_validator.validate_email(typed, check_deliverability=False)
    except email_validator.EmailNotValidError as error:
        why = str(error).rstrip(".")
        return f"“{typed}” is not an address: {why[:1].lower()}{why[1:]}"
    return normal_address(email.normalized), normal_address(f"{email.local_part}@{email.ascii_domain}")


def _refused(found: Sequence[Problem], undone: str) -> Invalid:
    said = "; ".join(problem for _, problem in found)
    return Invalid(
        f"{said[:1].upper()}{said[1:]}. {undone}",
        next_step="Correct it and try again." + (f" {_WORDS}" if any(at == "password" for at, _ in found) else ""),
        errors=[{"at": at, "problem": problem} for at, problem in found],
    )
