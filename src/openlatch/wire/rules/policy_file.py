"""The policy file: a TOML document of our own, whose structure is checked here and published as a JSON Schema."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, create_model

from openlatch.words import Power, Reaction, Reported, Severity, Subject

__all__ = ["PolicyFile"]

Id = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9]*(-[a-z0-9]+)*$", max_length=60)]
Line = Annotated[str, StringConstraints(min_length=1, max_length=300)]
Said = Annotated[str, StringConstraints(max_length=1000)]
Condition = Annotated[str, StringConstraints(min_length=1, max_length=4000)]
Span = Annotated[str, StringConstraints(pattern=r"^\d{1,5}[dhm]$"), Field(description="days, hours or minutes: 90d")]
Day = Annotated[date, Field(ge=date(1900, 1, 1), le=date(2500, 1, 1))]
More = Annotated[int, Field(ge=100, le=1000)]
Less = Annotated[int, Field(ge=0, le=100)]
Points = Annotated[int, Field(ge=0, le=100)]
PowerWord = Annotated[Power, Field(strict=False)]
SeverityWord = Annotated[Severity, Field(strict=False)]
ReactionWord = Annotated[Reaction, Field(strict=False)]
SubjectWord = Annotated[Subject, Field(strict=False)]


class Part(BaseModel):
    """A part of the file: what it does not know is a mistake, and nothing is taken for something else."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, defer_build=True)


class Circle(Part):
    """Whom the holder regards as its own: exact domains, teams by name or short form, and parties by address."""

    domains: list[Line] = []
    teams: list[Line] = []
    parties: list[Line] = []


class Tag(Part):
    """A name for accounts (by name or short form) and parties (by address or short form), for rules to speak of."""

    accounts: list[Line] = []
    parties: list[Line] = []
    over: Annotated[Day | None, Field(description="the last day of what they were for")] = None


class Apart(Part):
    """Powers that must not meet in one hand on one account; with `anywhere`, over all accounts together."""

    id: Id
    title: Line
    powers: Annotated[list[PowerWord], Field(min_length=2, max_length=len(Power))]
    anywhere: bool = False
    severity: SeverityWord = Severity.HIGH


class Worse(Part):
    """What makes a rule that holds more severe."""

    severity: SeverityWord
    when: Condition


class Exempt(Part):
    """What a rule leaves alone, why, and until which last day; all that is named has to fit."""

    reason: Line
    account: Said = ""
    party: Said = ""
    provider: Said = ""
    tag: Said = ""
    until: Day | None = None


class Rule(Part):
    """A condition, how bad it is where it holds, and what a flag then says.

    `facts` are values that a flag shows, by name; `reason` are sentences with those names in braces, of which the
    first one is said all of whose facts are known.
    """

    id: Id
    title: Line
    applies_to: SubjectWord
    when: Condition
    severity: SeverityWord
    worse: list[Worse] = []
    facts: Annotated[dict[str, Condition], Field(max_length=12)] = {}
    reason: Annotated[list[Line], Field(min_length=1, max_length=6)]
    why: Said = ""
    clears: Said = ""
    exempt: list[Exempt] = []
    off: bool = False
    party_sees: Annotated[bool, Field(description="whether its party sees a flag on access of its own")] = False


_BY_POWER: dict[str, Any] = {power.value: (Points, power.points) for power in Power}
Powers = create_model("Powers", __base__=Part, __doc__="Points for each power.", **_BY_POWER)


class Percent(Part):
    """Percent for each circumstance: what makes a risk smaller is at most 100, what makes it greater at least 100."""

    vital: More = 150
    minor: Less = 60
    practice: Less = 20
    anyone: More = 250
    left: More = 200
    outside: More = 150
    endless: More = 120
    unverified: More = 120
    unused: More = 130
    long_unused: More = 120


class Risk(Part):
    """How risk is counted: points for each power and for a word of unknown meaning, percent for each circumstance.

    One more power or outsider never lowers it.
    """

    unknown: Points = 8
    powers: Powers = Powers()
    percent: Percent = Percent()


class Acceptance(Part):
    """For how long a flag can be accepted at most."""

    longest: Span = "366d"


class Task(Part):
    """Something that people are let in for, and the powers that it takes."""

    title: Line
    needs: Annotated[list[PowerWord], Field(min_length=1, max_length=len(Power))]


class Bound(Part):
    """Limits on whom an account can be given to: of a provider, of an account by its name, or of every account."""

    provider: Said = ""
    account: Said = ""
    most: Annotated[int, Field(ge=1, le=10**6, description="parties that can be let in at once")] | None = None
    outsiders: Annotated[int, Field(ge=0, le=10**6, description="parties from outside the circle at once")] | None = (
        None
    )
    never: Annotated[list[PowerWord], Field(description="powers that do not pass to whoever is let in")] = []
    longest: Span | None = None
    opt_in: Annotated[bool, Field(description="whether a party must first have agreed to be invited")] = False


class Offers(Part):
    """How long an offer can be answered."""

    lapse: Span = "7d"


_REACTIONS: dict[str, Any] = {reported.value: (ReactionWord, Field(default=reported.usually)) for reported in Reported}
SecurityEvents = create_model(
    "SecurityEvents",
    __base__=Part,
    __doc__="What is done about what a provider reports about someone: read, flag or order (each with those before).",
    **_REACTIONS,
)


class PolicyFile(Part):
    """A whole policy: what is in the file is what holds."""

    policy: Literal[1]
    limits: dict[
        Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]*$")], Span | Annotated[int, Field(ge=0, le=10**6)]
    ] = {}
    acceptance: Acceptance = Acceptance()
    circle: Circle = Circle()
    tags: dict[Id, Tag] = {}
    tasks: Annotated[dict[Id, Task], Field(max_length=200)] = {}
    bounds: Annotated[list[Bound], Field(max_length=500)] = []
    offers: Offers = Offers()
    security_events: SecurityEvents = SecurityEvents()
    apart: list[Apart] = []
    risk: Risk = Risk()
    rules: Annotated[list[Rule], Field(max_length=300)] = []
