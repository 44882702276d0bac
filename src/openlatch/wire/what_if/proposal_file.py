"""The proposal file: a JSON document of our own, whose structure is checked here and published as a JSON Schema.

It says what someone has in mind; what that would change is worked out from it before anything is done.
"""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, IPvAnyNetwork, StringConstraints, model_validator

from openlatch.wire.providers.feed import Zone
from openlatch.words import Power

__all__ = ["MOST_STATEMENTS", "ProposalFile"]

MOST_STATEMENTS = 5000
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=320, pattern=r"^[^\x00]*$")]
Word = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200, pattern=r"^[^\x00]*$")]
Said = Annotated[str, StringConstraints(strip_whitespace=True, max_length=2000, pattern=r"^[^\x00]*$")]
Day = Annotated[date, Field(ge=date(1900, 1, 1), le=date(2500, 1, 1))]
Hours = Annotated[str, Field(description="days and hours: tue,fri 19:00-04:00; over midnight is on the next day")]


class Part(BaseModel):
    """A part of the file: what it does not know is a mistake."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)


class Give(Part):
    """Someone is given access: by a level, by permissions, or else by the narrowest for a task or for powers."""

    do: Literal["give"]
    account: Name = Field(description="its name, short form or id")
    to: Name = Field(description="an address, or a handle")
    name: Word = ""
    level: Word = ""
    permissions: list[Name] = Field(default=[], max_length=100)
    task: Word = ""
    needs: list[Power] = Field(default=[], max_length=len(Power))
    resources: list[Name] = Field(default=[], max_length=1000)
    until: Day | None = Field(default=None, description="the last day; left out, without an end")
    hours: Word = ""


class End(Part):
    """An access ends."""

    do: Literal["end"]
    entry: Name


class Narrow(Part):
    """An access is narrowed to a level that gives less, or to some of its parts."""

    do: Literal["narrow"]
    entry: Name
    level: Word = ""
    resources: list[Name] | None = Field(default=None, max_length=1000)


class Pause(Part):
    """An access is put to rest."""

    do: Literal["pause"]
    entry: Name


class Resume(Part):
    """An access that is paused lives again."""

    do: Literal["resume"]
    entry: Name


class EndOn(Part):
    """An access gets a last day."""

    do: Literal["end-on"]
    entry: Name
    until: Day


class Extend(Part):
    """An access is extended: until a later last day, or with limits taken away, to more parts or hours, or a level."""

    do: Literal["extend"]
    entry: Name
    level: Word = ""
    resources: list[Name] | None = Field(default=None, max_length=1000, description="parts that are added")
    until: Day | None = None
    hours: Word = ""
    lifts: list[Literal["end", "hours", "parts"]] = Field(default=[], description="limits that are taken away")


class Lock(Part):
    """An account is locked against being open to anyone, whatever its documents say; or that lock is taken off."""

    do: Literal["lock"]
    account: Name
    locked: bool


class To(Part):
    """Whom a statement is about: anyone, everyone at a domain, or a party or team by its address or short form."""

    anyone: Literal[True] | None = None
    domain: Annotated[str, StringConstraints(pattern=r"^[^@\s\x00]{1,250}$")] | None = None
    party: Name | None = None

    @model_validator(mode="after")
    def _one(self) -> Self:
        if sum(value is not None for value in (self.anyone, self.domain, self.party)) != 1:
            raise ValueError("name exactly one of anyone, domain and party")
        return self


class Statement(Part):
    """Allows or denies powers; a deny overrides every allow, and what no statement allows, nobody may."""

    effect: Literal["allow", "deny"]
    to: Annotated[list[To], Field(min_length=1, max_length=1000)]
    powers: Annotated[list[Power], Field(min_length=1, max_length=len(Power))]
    networks: list[IPvAnyNetwork] | None = Field(
        default=None, max_length=1000, description="only from these; left out, from everywhere; empty, from nowhere"
    )
    hours: list[Hours] | None = Field(
        default=None, max_length=50, description="only then; left out, always; empty, never"
    )
    level: Word = ""


class Share(Part):
    """A part of an account is shared by these statements, in the place of those that there are now."""

    do: Literal["share"]
    account: Name
    resource: Word = Field(default="", description="the part; empty for the whole account")
    zone: Zone = Field(default="UTC", description="the zone in which hours are read")
    statements: list[Statement] = Field(default=[], max_length=MOST_STATEMENTS)


class Policy(Part):
    """Another policy is adopted."""

    do: Literal["policy"]
    text: Annotated[str, StringConstraints(max_length=500_000)]


Change = Annotated[
    Give | End | Narrow | Pause | Resume | EndOn | Extend | Lock | Share | Policy, Field(discriminator="do")
]


class ProposalFile(Part):
    """Changes that someone has in mind, in the order in which they are to be made."""

    proposal: Literal[1]
    title: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]
    why: Said = ""
    changes: Annotated[list[Change], Field(min_length=1, max_length=500)]
