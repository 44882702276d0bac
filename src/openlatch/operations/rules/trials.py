"""Trying a policy against the present inventory before it is adopted."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any
from uuid import UUID

from openlatch.core.rules.evidence import sentence
from openlatch.core.rules.policy import Rule
from openlatch.core.rules.program import rules_of
from openlatch.deferred import deferred
from openlatch.operations.call import Call, operation
from openlatch.operations.rules import circles, evaluation
from openlatch.operations.rules.policies import LimitSight, changes, latest, limits_of
from openlatch.operations.rules.policy_file import read
from openlatch.words import Subject

if TYPE_CHECKING:
    import polars as pl
else:
    pl = deferred("polars")

__all__ = ["Example", "Trial", "TrialLine", "trial"]

FEW = 3
"""So many examples are given of what a trial finds."""
COLUMNS = ("rule", "subject", "id", "severity", "facts")


@dataclass(frozen=True, slots=True)
class Example:
    """A subject for which a trial finds something else than stands now: what it is on, and the sentence."""

    subject: Subject
    id: UUID
    name: str
    reason: str


@dataclass(frozen=True, slots=True)
class TrialLine:
    """What a trial finds of one rule: flags that would stand, appear, go, and be more or less severe, with examples."""

    rule: str
    title: str
    now: int
    then: int
    appear: int
    go: int
    change: int
    examples: tuple[Example, ...]


@dataclass(frozen=True, slots=True)
class Trial:
    """A policy tried against the present inventory; nothing was changed by it."""

    number: int
    lines: tuple[TrialLine, ...]
    changes: tuple[str, ...]
    limits: tuple[LimitSight, ...]


@operation("policy.try")
def trial(call: Call, text: str) -> Trial:
    """Try a policy against the present inventory: which flags would appear and go. Nothing is changed."""
    tried = read(text, call.tx.workspace.zone)
    present = latest(call)
    before = read(present.text, call.tx.workspace.zone)
    same_circle = (tried.policy.domains, tried.policy.teams, tried.policy.parties) == (
        before.policy.domains,
        before.policy.teams,
        before.policy.parties,
    )
    drawn = None if same_circle else circles.circle_of(call, tried.policy)
    every = {rule.id: rule for rule in (*rules_of(before.policy), *rules_of(tried.policy))}
    lines = _lines(call, every, *_now_and_then(call, evaluation.Ask(tried.policy, tried.program, drawn)))
    return Trial(present.number, lines, changes(before.policy, tried.policy), limits_of(tried))


def _now_and_then(call: Call, ask: evaluation.Ask) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The flags that stand, and all that a policy finds in the inventory: rule, subject, id, severity, facts."""
    if call.tx.facts.count() > evaluation.MOST_ROWS:
        with call.tx.snapshot() as snapshot:
            found, _ = evaluation.everything(call, ask, snapshot)
            return snapshot.flags(), evaluation.findings(ask.program, found)
    looked = evaluation.of_everything(call, ask)
    found_now = [evaluation.found(ask.program, one) for one in looked.outcome.found]
    standing = [
        (f.rule, f.subject.value, f.subject_id.bytes, f.severity.rank, f.facts, f.id.bytes)
        for f in call.tx.flags.all_standing()
    ]
    then = [(f.rule, f.subject.value, f.subject_id.bytes, f.severity.rank, f.facts) for f in found_now]
    kinds = dict(zip(COLUMNS, (pl.String, pl.String, pl.Binary, pl.Int64, pl.String), strict=True))
    return (
        pl.DataFrame(standing, schema=kinds | {"flag_id": pl.Binary}, orient="row"),
        pl.DataFrame(then, schema=kinds, orient="row"),
    )


def _lines(call: Call, rules: Mapping[str, Rule], now: pl.DataFrame, then: pl.DataFrame) -> tuple[TrialLine, ...]:
    """What differs of each rule, with a few examples."""
    key = ["rule", "subject", "id"]
    both = now.lazy().select(*key, "severity").join(then.lazy(), on=key, how="inner", suffix="_then")
    change = both.filter(pl.col("severity") != pl.col("severity_then"))
    appear = then.lazy().join(now.lazy(), on=key, how="anti")
    go = now.lazy().join(then.lazy(), on=key, how="anti")
    counts = pl.collect_all([_counted(each) for each in (now.lazy(), then.lazy(), appear, go, change)])
    numbers = dict(zip(("now", "then", "appear", "go", "change"), map(_numbers, counts), strict=True))
    first, last = pl.collect_all([_first(appear), _first(go)])
    appearing = _by_rule(first.select(*COLUMNS))
    going = _by_rule(last.select(*COLUMNS, "flag_id"))
    reasons = {flag.id: flag.reason for flag in call.tx.flags.some(UUID(bytes=value) for value in last["flag_id"])}
    names = _names(call, [row for rows in (*appearing.values(), *going.values()) for row in rows])
    zone = call.tx.workspace.zone

    def examples(rule: Rule) -> Iterable[Example]:
        shown = appearing.get(rule.id, [])
        for row in shown:
            each_id = UUID(bytes=row["id"])
            said = sentence(rule.reason, json.loads(row["facts"]), zone)
            yield Example(Subject(row["subject"]), each_id, names[each_id], said)
        for row in going.get(rule.id, [])[: FEW - len(shown)]:
            each_id = UUID(bytes=row["id"])
            yield Example(Subject(row["subject"]), each_id, names[each_id], reasons[UUID(bytes=row["flag_id"])])

    return tuple(
        TrialLine(
            rule=rule.id,
            title=rule.title,
            examples=tuple(examples(rule)),
            **{what: number.get(rule.id, 0) for what, number in numbers.items()},
        )
        for rule in rules.values()
    )


def _counted(frame: pl.LazyFrame) -> pl.LazyFrame:
    return frame.group_by("rule").agg(pl.len())


def _numbers(frame: pl.DataFrame) -> dict[str, int]:
    return dict(frame.iter_rows())


def _first(frame: pl.LazyFrame) -> pl.LazyFrame:
    """A few of each rule, the same ones each time."""
    return frame.sort("rule", "id").group_by("rule", maintain_order=True).head(FEW)


def _by_rule(frame: pl.DataFrame) -> dict[str, list[dict[str, Any]]]:
    rows: dict[str, list[dict[str, Any]]] = {}
    for row in frame.iter_rows(named=True):
        rows.setdefault(row["rule"], []).append(row)
    return rows


def _names(call: Call, rows: Iterable[Mapping[str, Any]]) -> dict[UUID, str]:
    ids: dict[Subject, list[UUID]] = {subject: [] for subject in Subject}
    for row in rows:
        ids[Subject(row["subject"])].append(UUID(bytes=row["id"]))
    entries = call.tx.entries.about(ids[Subject.ENTRY]) if ids[Subject.ENTRY] else {}
    names = {entry_id: f"{listed.party.name} on {listed.account.name}" for entry_id, listed in entries.items()}
    names |= call.tx.accounts.names(ids[Subject.ACCOUNT])
    return names | {party_id: party.name for party_id, party in call.tx.parties.some(ids[Subject.PARTY]).items()}
