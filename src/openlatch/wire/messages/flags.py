"""Flags, the risk beside them, and the policy that they come from."""

from datetime import date, datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field, StringConstraints

from openlatch.wire.messages.base import Page, PageQuery, Ref, Said, Search, Sent, Taken
from openlatch.words import Power, Severity, Subject

__all__ = [
    "AcceptWish",
    "Acceptance",
    "Advice",
    "CatalogueField",
    "CatalogueList",
    "Flag",
    "FlagList",
    "FlagQuery",
    "PastFlag",
    "Policy",
    "PolicyList",
    "PolicyNumber",
    "PolicyQuery",
    "PolicyText",
    "PolicyVerdict",
    "PolicyWish",
    "Risk",
    "RiskLine",
    "RiskPoint",
    "RiskShare",
    "Rule",
    "RuleList",
    "Trial",
    "TrialExample",
    "TrialLine",
    "Worse",
]

Reason = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=1000, pattern=r"^[^\x00]*$")]
Whole = Annotated[str, StringConstraints(min_length=1, max_length=600_000, pattern=r"^[^\x00]*$")]


class Advice(Sent):
    """The narrowest level that would do; `level` is empty where nothing was used at all."""

    level: str
    powers: list[Power]
    drops: list[Power]
    text: str


class Acceptance(Sent):
    """Somebody lives with a flag until an instant."""

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
    severity: Literal[""] | Severity = ""
    entry: Search = ""
    account: Search = ""
    party: Search = ""
    subject: Literal[""] | Subject = ""
    state: Literal["standing", "accepted", "cleared"] = "standing"


class FlagList(Page[Flag]):
    """Flags, the worst first."""


class AcceptWish(Taken):
    """Why a flag is accepted, and until which last day; in 90 days, if none is given."""

    why: Reason
    until: date | None = None


class RiskLine(Sent):
    """One line of a risk: what it is for, and the points it adds."""

    says: str
    points: int


class RiskShare(Sent):
    """What one entry adds to the risk of its account or its party."""

    entry: Ref
    risk: int
    points: int


class RiskPoint(Sent):
    """The risk that an account has had since an instant."""

    at: datetime
    risk: int


class Risk(Sent):
    """A risk from 0 to 100, what adds up to it, and of an account how it has moved."""

    risk: int
    shares: list[RiskShare]
    over_time: list[RiskPoint]


class Worse(Sent):
    """What makes a rule that holds more severe."""

    severity: Severity
    when: str


class Rule(Sent):
    """A rule of the policy in force, with how many flags of it stand, and how many of these are accepted.

    With `party_sees`, members see a flag of it on access of their own.
    """

    id: str
    title: str
    applies_to: Subject
    when: str
    severity: Severity
    worse: list[Worse]
    facts: dict[str, str]
    reason: list[str]
    why: str
    clears: str
    exempt: int
    off: bool
    party_sees: bool
    standing: int
    accepted: int
    worst: Severity | None


class RuleList(Page[Rule]):
    """Rules, those with the worst flags first."""


class Policy(Sent):
    """A policy: its text, and who adopted it when and why, with what it changed. Number 0 is the one to begin with."""

    number: int
    text: str
    note: str
    by: str
    at: datetime
    changes: list[str]


class PolicyList(Page[Policy]):
    """Every policy that was adopted, the latest first."""


class PolicyQuery(Taken):
    """Which policy is wanted: the one in force, if no number is given."""

    number: Annotated[int | None, Field(ge=0, le=10**9)] = None


class PolicyNumber(Taken):
    """Which policy to go back to."""

    number: Annotated[int, Field(ge=0, le=10**9)]


class PolicyText(Taken):
    """The text of a policy, as TOML."""

    text: Whole


class PolicyWish(PolicyText):
    """A policy to adopt, and why; with `expected`, only if the one in force has that number."""

    note: Said = ""
    expected: Annotated[int | None, Field(ge=0, le=10**9)] = None


class PolicyVerdict(Sent):
    """A policy without mistakes, and what it would change of the one in force, in sentences."""

    rules: int
    changes: list[str]


class TrialExample(Sent):
    """Something for which a trial finds another flag than stands now."""

    subject: Subject
    about: Ref
    reason: str


class TrialLine(Sent):
    """What a trial finds of one rule: flags that stand now and then, that appear and go, or change in severity."""

    rule: str
    title: str
    now: int
    then: int
    appear: int
    go: int
    change: int
    examples: list[TrialExample]


class Trial(Sent):
    """A policy tried against the present inventory; nothing was changed. `number` is that of the policy in force."""

    number: int
    lines: list[TrialLine]
    changes: list[str]


class CatalogueField(Sent):
    """A field that a condition can name: its type, what it says, and the only words that it can be, if any."""

    path: str
    type: str
    says: str
    words: list[str]


class CatalogueList(Page[CatalogueField]):
    """Every field that a condition can name."""
