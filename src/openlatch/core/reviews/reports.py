"""Reports: what was looked at or ordered, who decided what, what came of it, and what remains, for whoever was absent.

A report is a value that stands by itself. The report of something that is over is signed by its digest, so that it
can be checked later without asking anyone.
"""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

import orjson

from openlatch.core.orders.orders import Order
from openlatch.core.record.ledger import canonical
from openlatch.core.reviews.decisions import Decision, Facts, advised
from openlatch.core.reviews.plans import Comparison, Item
from openlatch.words import Choice, Outcome, Severity

__all__ = [
    "Fact",
    "Line",
    "Report",
    "RuleCount",
    "Told",
    "digest",
    "ordered",
    "plain",
    "review_line",
    "rule_counts",
    "what_remains",
]

VERSION = 1


@dataclass(frozen=True, slots=True)
class Fact:
    """A line of a report's head: what it is, and how it is, or when it was."""

    name: str
    value: str
    at: datetime | None = None


@dataclass(frozen=True, slots=True)
class Told:
    """Someone who was asked: about how much, and how much of it they decided."""

    name: str
    address: str
    items: int
    decided: int


@dataclass(frozen=True, slots=True)
class RuleCount:
    """How many flags of a rule there were when it began, and are at its end."""

    rule: str
    title: str
    severity: str
    then: int
    now: int


@dataclass(frozen=True, slots=True)
class Line:
    """One thing of a report: whose access to what, what was decided or ordered, what came of it, and the proof.

    `receipt` is the signed receipt of its order, `showed` what the fresh reading showed.
    """

    place: int
    part: str
    party: str
    addresses: tuple[str, ...]
    account: str
    provider: str
    kind: str
    level: str
    powers: tuple[str, ...]
    resources: tuple[str, ...]
    outside: bool
    risk: int
    flags: tuple[str, ...]
    last_used: datetime | None
    ends_at: datetime | None
    asked: str
    advice: str
    decision: str
    detail: str
    """the level, the last day, or the person that belongs to the decision"""
    decided_by: str
    decided_at: datetime | None
    reason: str
    against_advice: bool
    outcome: str
    note: str
    """why nothing came of it, or why it is left open and who sees to it"""
    order: str = ""
    told_at: datetime | None = None
    proved_at: datetime | None = None
    showed: str = ""
    receipt: str = ""


@dataclass(frozen=True, slots=True)
class Report:
    """A review's round, a batch, or a leaver, told as a whole. `ended_at` is None while it is not over."""

    kind: str
    ref: str
    title: str
    workspace: str
    zone: str
    state: str
    begun_at: datetime
    ended_at: datetime | None
    facts: tuple[Fact, ...]
    asked: tuple[Told, ...]
    outcomes: Mapping[str, int]
    decisions: Mapping[str, int]
    against_advice: int
    unanswered: int
    compared: Comparison | None
    rules: tuple[RuleCount, ...]
    lines: tuple[Line, ...]
    version: int = VERSION


def what_remains(lines: Iterable[Mapping[str, Any]]) -> list[Mapping[str, Any]]:
    """Return the lines of a report that came to no rest, or that are left open."""
    return [line for line in lines if not Outcome(line["outcome"]).over]


def plain(report: Report) -> dict[str, Any]:
    """Return a report as it is stored, sent and signed: texts, whole numbers, lists and objects only."""
    document: dict[str, Any] = orjson.loads(orjson.dumps(report))
    return document


def digest(report: Mapping[str, Any]) -> str:
    """Return the SHA-256 of a plain report in canonical form (RFC 8785), 64 hex digits."""
    return hashlib.sha256(canonical(report)).hexdigest()


def review_line(
    item: Item, outcome: Outcome, addresses: Sequence[str], asked: str, people: Mapping[UUID, str], order: Order | None
) -> Line:
    """Return the line of a round's item; `people` names those that a decision can name."""
    facts, decision = item.facts, item.decision
    advice, why = advised(facts)
    detail = ""
    if decision is not None:
        day = decision.until.isoformat() if decision.until else ""
        detail = decision.level or day or (people.get(decision.to, "") if decision.to else "")
    left = item.left_open
    return Line(
        place=item.place,
        part=facts.account,
        party=facts.party,
        addresses=tuple(addresses),
        account=facts.account,
        provider=facts.provider,
        kind=facts.kind,
        level=facts.level,
        powers=facts.powers,
        resources=facts.resources,
        outside=facts.outside,
        risk=facts.risk,
        flags=tuple(f"{severity}: {reason}" for _, severity, reason in facts.flags),
        last_used=facts.last_used,
        ends_at=facts.ends_at,
        asked=asked,
        advice=f"{advice}: {why}",
        decision="" if decision is None else "pause" if decision.pauses else decision.choice.value,
        detail=detail,
        decided_by=_by(decision),
        decided_at=decision.at if decision else None,
        reason=decision.reason if decision else "",
        against_advice=decision is not None and _against(decision.choice, advice),
        outcome=outcome.value,
        note=f"{left.reason} ({left.owner})" if left else item.trouble,
        **ordered(order),
    )


def _by(decision: Decision | None) -> str:
    """Who has decided, and in whose place."""
    if decision is None:
        return ""
    return f"{decision.by}, in the place of {decision.instead_of}" if decision.instead_of else decision.by.name


def _against(choice: Choice, advice: Choice) -> bool:
    """Whether a decision leaves more than was advised."""
    strength = {Choice.KEEP: 0, Choice.PASS_ON: 0, Choice.END_ON: 1, Choice.NARROW: 1, Choice.END_NOW: 2}
    return strength[choice] < strength[advice]


def ordered(order: Order | None) -> dict[str, Any]:
    """Return what a line says of an order."""
    if order is None:
        return {}
    receipt = order.receipt or {}
    return {
        "order": order.ref,
        "told_at": datetime.fromisoformat(receipt["told_at"]) if receipt.get("told_at") else None,
        "proved_at": datetime.fromisoformat(receipt["read_at"]) if receipt.get("read_at") else None,
        "showed": receipt.get("showed", ""),
        "receipt": receipt.get("signed", ""),
    }


def rule_counts(before: Iterable[Facts], after: Iterable[Facts], titles: Mapping[str, str]) -> tuple[RuleCount, ...]:
    """Return for each rule how many of its flags there were, and are; the gravest and commonest first.

    `titles` are what rules are called, by their ids; one that has none is called by its id.
    """
    severities: dict[str, str] = {}
    counted: list[Counter[str]] = []
    for several in (before, after):
        number: Counter[str] = Counter()
        for facts in several:
            for rule, severity, _ in facts.flags:
                number[rule] += 1
                severities.setdefault(rule, severity)
        counted.append(number)
    then, now = counted
    counts = [RuleCount(id_, titles.get(id_, id_), worst, then[id_], now[id_]) for id_, worst in severities.items()]
    return tuple(sorted(counts, key=lambda count: (-Severity(count.severity).rank, -count.then, count.rule)))
