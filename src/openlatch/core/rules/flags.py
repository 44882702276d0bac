"""Flags: a rule that was found to hold for a subject, and what a new evaluation changes among them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from uuid import UUID

from openlatch.core.ids import ref_of
from openlatch.words import Severity, Subject

__all__ = ["Acceptance", "Differences", "Finding", "Flag", "compare"]


@dataclass(frozen=True, slots=True)
class Acceptance:
    """Someone lives with a flag until an instant, as long as it is not worse than what they accepted."""

    by: str
    at: datetime
    until: datetime
    why: str
    severity: Severity


@dataclass(frozen=True, slots=True)
class Finding:
    """A rule that holds for a subject now, with the facts that make it hold, as JSON."""

    rule: str
    subject: Subject
    subject_id: UUID
    severity: Severity
    facts: str


@dataclass(frozen=True, slots=True)
class Flag:
    """A finding that was raised, and since when; `cleared_at` says when it stopped holding.

    `reason` is the sentence at the time, `policy` the number of the policy by which it was found.
    """

    id: UUID
    rule: str
    subject: Subject
    subject_id: UUID
    severity: Severity
    facts: str
    reason: str
    policy: int
    raised_at: datetime
    cleared_at: datetime | None = None
    acceptance: Acceptance | None = None

    @property
    def ref(self) -> str:
        return ref_of(self.id)

    def accepted(self, now: datetime) -> bool:
        """Whether someone lives with it at this instant."""
        return self.acceptance is not None and now < self.acceptance.until


@dataclass(frozen=True, slots=True)
class Differences:
    """What an evaluation changes among the stored flags; `back` are those whose acceptance does not hold any more."""

    raised: tuple[tuple[Finding, str], ...]
    """with the sentence that says why"""
    changed: tuple[Flag, ...]
    cleared: tuple[Flag, ...]
    back: tuple[Flag, ...]


def compare(
    standing: Iterable[Flag],
    findings: Iterable[Finding],
    *,
    now: datetime,
    policy: int,
    reason: Callable[[Finding], str],
) -> Differences:
    """Return how the stored flags of some subjects differ from what holds for these subjects now.

    An acceptance ends at its instant, and as soon as the flag is worse than what was accepted.
    """
    held: Mapping[tuple[str, UUID], Flag] = {(flag.rule, flag.subject_id): flag for flag in standing}
    the_findings = {(finding.rule, finding.subject_id): finding for finding in findings}
    changed, back = [], []
    for key, finding in the_findings.items():
        flag = held.get(key)
        if flag is None:
            continue
        after = flag
        if (flag.severity, flag.facts) != (finding.severity, finding.facts):
            after = replace(flag, severity=finding.severity, facts=finding.facts, policy=policy, reason=reason(finding))
        accepted = flag.acceptance
        if accepted is not None and (accepted.until <= now or finding.severity.rank > accepted.severity.rank):
            after = replace(after, acceptance=None)
            back.append(after)
        if after is not flag:
            changed.append(after)
    return Differences(
        tuple((finding, reason(finding)) for key, finding in the_findings.items() if key not in held),
        tuple(changed),
        tuple(flag for key, flag in held.items() if key not in the_findings),
        tuple(back),
    )
