"""The policy, its rules, and trying another one."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from openlatch.wire.base import Page, Ref, Said, Search, Sent, Taken, Text, Word
from openlatch.words import Severity, Subject

__all__ = [
    "AddRule",
    "CatalogueField",
    "CatalogueList",
    "DropExemption",
    "DropRule",
    "ExemptWish",
    "Exemption",
    "LimitList",
    "LimitWish",
    "Policy",
    "PolicyDraft",
    "PolicyEdit",
    "PolicyLimit",
    "PolicyList",
    "PolicyNumber",
    "PolicyQuery",
    "PolicyText",
    "PolicyVerdict",
    "PolicyWish",
    "Rule",
    "RuleList",
    "RuleWish",
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


class Exemption(Sent):
    """What a rule leaves alone, why, and through which last day; all that is named has to fit."""

    reason: str
    account: str
    party: str
    provider: str
    tag: str
    until: date | None


class Rule(Sent):
    """A rule of the policy in force, with how many flags of it stand, and how many of these are accepted.

    With `party_sees`, members see a flag of it on access of their own. `acted` is how often, in the last 90 days, an
    order was proved about something while it had a flag of this rule; `since` is when the oldest of its flags that
    stand was raised. It is `quiet` where many flags stand for long and nobody acts on them, nor accepts them: a rule
    to be turned down. `apart` is whether it follows from [[apart]], which has no exceptions and cannot be turned off.
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
    exempt: list[Exemption]
    apart: bool
    acted: int
    since: datetime | None
    quiet: bool
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


class LimitWish(Taken):
    """Another limit."""

    do: Literal["limit"]
    name: Word
    value: Annotated[str, StringConstraints(pattern=r"^\d{1,5}[dhm]$")] | Annotated[int, Field(ge=0, le=10**6)]


class RuleWish(Taken):
    """Other fields of a rule; those left out stay as they are."""

    do: Literal["rule"]
    rule: Word
    title: Text | None = None
    when: Annotated[str, StringConstraints(max_length=4000)] | None = None
    severity: Severity | None = None
    reason: list[Text] | None = Field(default=None, min_length=1, max_length=6)
    why: Said | None = None
    clears: Said | None = None
    off: bool | None = None
    party_sees: bool | None = None


class ExemptWish(Taken):
    """Something that a rule is to leave alone."""

    do: Literal["exempt"]
    rule: Word
    reason: Text
    account: Search = ""
    party: Search = ""
    provider: Search = ""
    tag: Search = ""
    until: date | None = None


class DropExemption(Taken):
    """An exception that a rule is to have no more, by its place, which counts from 1."""

    do: Literal["drop-exemption"]
    rule: Word
    place: Annotated[int, Field(ge=1, le=10**6)]


class AddRule(Taken):
    """A rule of one's own."""

    do: Literal["add-rule"]
    id: Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9]*(-[a-z0-9]+)*$", max_length=60)]
    title: Text
    applies_to: Subject
    when: Annotated[str, StringConstraints(min_length=1, max_length=4000)]
    severity: Severity
    facts: dict[str, str] = Field(default={}, max_length=12)
    reason: list[Text] = Field(default=[], max_length=6)
    why: Said = ""
    clears: Said = ""


class DropRule(Taken):
    """A rule that is to be no more."""

    do: Literal["drop-rule"]
    rule: Word


PolicyChange = Annotated[
    LimitWish | RuleWish | ExemptWish | DropExemption | AddRule | DropRule, Field(discriminator="do")
]


class PolicyEdit(Taken):
    """Changes of a policy by its parts; of the one in force, or of a `text` that is not adopted yet."""

    text: Whole | None = None
    changes: list[PolicyChange] = Field(min_length=1, max_length=100)


class PolicyDraft(Sent):
    """A changed policy as a file, and what it changes of the one in force, in sentences; nothing is adopted."""

    text: str
    changes: list[str]


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


class PolicyLimit(Sent):
    """A limit: a number, or a length of time such as 90d; `says` is what it is about, `used_by` which rules use it."""

    name: str
    value: str | int
    says: str
    used_by: list[str]


class LimitList(Sent):
    """The limits of a policy, in the order of its file."""

    items: list[PolicyLimit]


class Trial(Sent):
    """A policy tried against the present inventory; nothing was changed.

    `number` is that of the policy in force, `limits` are those of the policy that was tried.
    """

    number: int
    lines: list[TrialLine]
    changes: list[str]
    limits: list[PolicyLimit]


class CatalogueField(Sent):
    """A field that a condition can name: its type, what it says, and the only words that it can be, if any."""

    path: str
    type: str
    says: str
    words: list[str]


class CatalogueList(Page[CatalogueField]):
    """Every field that a condition can name."""
