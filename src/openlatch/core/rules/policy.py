"""The holder's policy as values: its limits, its circle, its tags, what must not meet in one hand, and its rules."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta
from types import MappingProxyType

from openlatch.core.limits import Limits
from openlatch.core.rules.check import Limit
from openlatch.core.rules.risk import Weights
from openlatch.core.rules.tasks import Task
from openlatch.words import Power, Reaction, Reported, Severity, Subject

__all__ = ["Apart", "Bound", "Exempt", "Policy", "Rule", "Tag"]


@dataclass(frozen=True, slots=True)
class Exempt:
    """What a rule leaves alone, for a reason, until the end of a day; of what is empty, anything."""

    reason: str
    account: str = ""
    party: str = ""
    provider: str = ""
    tag: str = ""
    until: date | None = None


@dataclass(frozen=True, slots=True)
class Rule:
    """A condition on an entry, an account or a party, and what is said where it holds.

    `worse` are conditions that make it more severe. `facts` are what a flag shows, by name; `reason` are sentences
    with these names in braces, of which the first is said that has all its facts.
    """

    id: str
    title: str
    applies_to: Subject
    when: str
    severity: Severity
    reason: tuple[str, ...]
    why: str = ""
    clears: str = ""
    worse: tuple[tuple[Severity, str], ...] = ()
    facts: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    exempt: tuple[Exempt, ...] = ()
    off: bool = False
    party_sees: bool = False
    """whether members see a flag of it on access of their own"""


@dataclass(frozen=True, slots=True)
class Tag:
    """A name for some accounts and parties, as people name them; `over` is the last day of what they were for."""

    name: str
    accounts: tuple[str, ...] = ()
    parties: tuple[str, ...] = ()
    over: date | None = None


@dataclass(frozen=True, slots=True)
class Apart:
    """Powers that must not meet in one hand: on one account, or on whichever accounts."""

    id: str
    title: str
    powers: tuple[Power, ...]
    anywhere: bool = False
    severity: Severity = Severity.HIGH


@dataclass(frozen=True, slots=True)
class Bound:
    """Limits on whom an account can be given to: on all of a provider's, on one by its name, or on every account."""

    limits: Limits
    provider: str = ""
    account: str = ""

    def holds(self, provider: str, account: str) -> bool:
        """Return whether the limits are those of an account, by the names of both."""
        return all(
            not wanted or wanted.casefold() == name.casefold()
            for wanted, name in ((self.provider, provider), (self.account, account))
        )


@dataclass(frozen=True, slots=True)
class Policy:
    """All that the holder says about what is stale and what is risky."""

    limits: Mapping[str, Limit] = field(default_factory=lambda: MappingProxyType({}))
    domains: frozenset[str] = frozenset()
    teams: tuple[str, ...] = ()
    parties: tuple[str, ...] = ()
    tags: tuple[Tag, ...] = ()
    apart: tuple[Apart, ...] = ()
    risk: Weights = field(default_factory=Weights)
    rules: tuple[Rule, ...] = ()
    accept_for: timedelta = timedelta(days=366)
    """for how long a flag can be accepted at most"""
    tasks: tuple[Task, ...] = ()
    """what people are let in for, in the holder's own words"""
    bounds: tuple[Bound, ...] = ()
    lapse: timedelta = timedelta(days=7)
    """how long an offer can be answered"""
    reactions: Mapping[Reported, Reaction] = field(default_factory=lambda: {each: each.usually for each in Reported})
    """what is done about what providers report by security events"""
