"""The policy, its rules, and trying another one."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import Field, StringConstraints

from openlatch.wire.base import Page, Ref, Said, Sent, Taken
from openlatch.words import Severity, Subject

__all__ = [
    "CatalogueField",
    "CatalogueList",
    "Policy",
    "PolicyList",
    "PolicyNumber",
    "PolicyQuery",
    "PolicyText",
    "PolicyVerdict",
    "PolicyWish",
    "Rule",
    "RuleList",
    "Trial",
    "TrialExample",
    "TrialLine",
    "Whole",
    "Worse",
]

Whole = Annotated[str, StringConstraints(min_length=1, max_length=600_000, pattern=r"^[^\x00]*$")]


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
