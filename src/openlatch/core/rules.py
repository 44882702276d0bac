"""The rules that flag an entry as stale or risky.

Three are built in so far. A finding's facts stand still (instants, names, limits), so that the same situation
gives the same flag on every day; what changes with the day, such as an age, is worked out where it is shown.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from types import MappingProxyType
from uuid import UUID

from openlatch.core.addresses import Neighbours
from openlatch.core.ids import ref_of
from openlatch.core.model import Circle, Entry, Kind, Party, Severity, State
from openlatch.core.powers import weighty

__all__ = [
    "RULES",
    "Differences",
    "Finding",
    "Flag",
    "Limits",
    "Rule",
    "compare",
    "evaluate",
]


@dataclass(frozen=True, slots=True)
class Limits:
    """The holder's thresholds; `unused_days` is a whole number of days."""

    unused_days: int = 90


@dataclass(frozen=True, slots=True)
class Rule:
    """A rule as people read about it."""

    id: str
    title: str
    why: str
    clears: str


@dataclass(frozen=True, slots=True)
class Finding:
    """A rule that holds for an entry now, with the facts that make it hold and a sentence for people."""

    rule: str
    entry_id: UUID
    severity: Severity
    facts: Mapping[str, str | int]
    reason: str
    clears: str


@dataclass(frozen=True, slots=True)
class Flag:
    """A finding that was raised, and since when; `cleared_at` says when it stopped holding."""

    id: UUID
    rule: str
    entry_id: UUID
    severity: Severity
    facts: Mapping[str, str | int]
    reason: str
    clears: str
    raised_at: datetime
    cleared_at: datetime | None = None

    @property
    def ref(self) -> str:
        return ref_of(self.id)


@dataclass(frozen=True, slots=True)
class Differences:
    """What an evaluation changes among the stored flags."""

    raised: tuple[Finding, ...]
    changed: tuple[tuple[Flag, Finding], ...]
    cleared: tuple[Flag, ...]


UNUSED = Rule(
    "unused-past-limit",
    "Unused longer than the limit",
    "Access that nobody uses still lets someone in: its owner will not notice when somebody else uses it.",
    "End the access, or see it used again.",
)
OUTSIDER = Rule(
    "outsider-without-end",
    "Outside party without an end",
    "Work for an outsider ends some day; access without an end outlives it.",
    "End the access, set an end date, or take the party into the circle.",
)
NEAR = Rule(
    "address-near-miss",
    "Address close to a known one, but not equal to it",
    "A typo lets in whoever owns that address; a look-alike is how somebody pretends to be one of the holder's own.",
    "Ask the person whose address it ought to be, then end the access and give it to the right address.",
)
RULES: Mapping[str, Rule] = MappingProxyType({rule.id: rule for rule in (UNUSED, OUTSIDER, NEAR)})


def evaluate(
    entry: Entry,
    party: Party,
    *,
    circle: Circle,
    limits: Limits,
    now: datetime,
    known: Neighbours | None = None,
) -> tuple[Finding, ...]:
    """Return the findings that hold for an entry at an instant; an unknown fact never makes a rule hold.

    `known` are the addresses that are beyond doubt, with which those of unverified parties are compared.
    """
    found: list[Finding | None] = []
    if entry.state in (State.LIVE, State.ENDING):
        found += [_unused(entry, limits, now), _outsider(entry, party, circle)]
    if entry.stands and known is not None and not party.verified:
        found.append(_near(entry, party, known))
    return tuple(f for f in found if f is not None)


def compare(standing: Iterable[Flag], findings: Iterable[Finding]) -> Differences:
    """Return how the stored flags of some entries differ from what holds for these entries now."""
    held = {(flag.rule, flag.entry_id): flag for flag in standing}
    found = {(finding.rule, finding.entry_id): finding for finding in findings}
    return Differences(
        tuple(finding for key, finding in found.items() if key not in held),
        tuple(
            (held[key], finding)
            for key, finding in found.items()
            if key in held and (held[key].severity, dict(held[key].facts)) != (finding.severity, dict(finding.facts))
        ),
        tuple(flag for key, flag in held.items() if key not in found),
    )


def _unused_from(entry: Entry, limits: Limits) -> datetime | None:
    """The instant from which the entry counts as unused, or None where that cannot be known."""
    if not entry.use_known or entry.kind is Kind.SESSION:
        return None
    since = entry.last_used or entry.accepted_at or entry.given_at
    return None if since is None else since + timedelta(days=limits.unused_days)


def _unused(entry: Entry, limits: Limits, now: datetime) -> Finding | None:
    due = _unused_from(entry, limits)
    if due is None or now < due:
        return None
    heavy = weighty(entry.powers)
    facts: dict[str, str | int] = {"limit_days": limits.unused_days, "unused_since": due.isoformat()}
    if entry.last_used is not None:
        facts["last_used"] = entry.last_used.isoformat()
        reason = f"Last used on {_day(entry.last_used)}"
    else:
        since = entry.accepted_at or entry.given_at
        assert since is not None  # noqa: S101 - _unused_from has looked
        facts["given"] = since.isoformat()
        reason = f"Never used, given on {_day(since)}"
    if heavy:
        facts["powers"] = ", ".join(heavy)
        reason += f"; can still {_listed(heavy)}"
    severity = Severity.HIGH if heavy else Severity.MEDIUM
    return Finding(UNUSED.id, entry.id, severity, MappingProxyType(facts), f"{reason}.", UNUSED.clears)


def _outsider(entry: Entry, party: Party, circle: Circle) -> Finding | None:
    if entry.kind is Kind.SESSION or entry.ends_at is not None or entry.end_unknown or circle.holds(party):
        return None
    heavy = weighty(entry.powers)
    facts: dict[str, str | int] = {"party": party.name, "address": ", ".join(party.addresses) or "none known"}
    reason = "Outside the circle, with no end date"
    if heavy:
        facts["powers"] = ", ".join(heavy)
        reason += f"; can {_listed(heavy)}"
    severity = Severity.HIGH if heavy else Severity.MEDIUM
    return Finding(OUTSIDER.id, entry.id, severity, MappingProxyType(facts), f"{reason}.", OUTSIDER.clears)


def _near(entry: Entry, party: Party, known: Neighbours) -> Finding | None:
    for address in party.addresses:
        near = known.near(address, party.name)
        if near is not None:
            facts: dict[str, str | int] = {"address": address, "close_to": near.known}
            reason = f"{address} is not known: {near.how} {near.known}."
            return Finding(NEAR.id, entry.id, Severity.HIGH, MappingProxyType(facts), reason, NEAR.clears)
    return None


def _day(instant: datetime) -> str:
    return f"{instant.day} {instant:%B %Y}"


def _listed(words: Iterable[str]) -> str:
    *first, last = (str(word) for word in words)
    return f"{', '.join(first)} and {last}" if first else last
