"""Flags, the risk beside them, and the policy that they come from."""

from datetime import date, datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import StringConstraints

from openlatch.wire.base import Page, PageQuery, Ref, Search, Sent, Taken, Unsaid
from openlatch.words import Power, Severity, Subject

__all__ = [
    "AcceptWish",
    "Acceptance",
    "Advice",
    "Flag",
    "FlagList",
    "FlagQuery",
    "PastFlag",
]

Reason = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=1000, pattern=r"^[^\x00]*$")]


class Advice(Sent):
    """The narrowest level that would do; `level` is empty where nothing was used at all."""

    level: str
    powers: list[Power]
    drops: list[Power]
    text: str


class Acceptance(Sent):
    """Someone lives with a flag until an instant."""

    by: str
    at: datetime
    until: datetime
    why: str


class PastFlag(Sent):
    """A time at which a rule held for a subject before, or still does."""

    id: UUID
    severity: Severity
    raised_at: datetime
    cleared_at: datetime | None


class Flag(Sent):
    """A rule that holds for an entry, an account or a party: since when, how bad, by which facts, what would clear it.

    `about` is what it is on; `party` and `account` are names, empty where there is none. An accepted flag still holds,
    and comes back by itself. `advice` and `past` are given of a single flag only.
    """

    id: UUID
    ref: str
    rule: str
    title: str
    why: str
    severity: Severity
    reason: str
    facts: dict[str, str | int | bool | list[str] | None]
    clears: str
    raised_at: datetime
    cleared_at: datetime | None
    policy: int
    subject: Subject
    about: Ref
    party: str
    account: str
    risk: int
    accepted: Acceptance | None
    advice: Advice | None
    past: list[PastFlag]


class FlagQuery(PageQuery):
    """Which flags are wanted; `severity` means that or worse. Of an account or a party also those on its entries."""

    rule: Search = ""
    severity: Annotated[Severity | None, Unsaid] = None
    entry: Search = ""
    account: Search = ""
    party: Search = ""
    subject: Annotated[Subject | None, Unsaid] = None
    state: Literal["standing", "accepted", "cleared"] = "standing"


class FlagList(Page[Flag]):
    """Flags, the worst first."""


class AcceptWish(Taken):
    """Why a flag is accepted, and until which last day; in 90 days, if none is given."""

    why: Reason
    until: date | None = None
