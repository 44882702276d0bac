"""Reviews: what takes place, what a round puts to whom, and what becomes of what nobody answered.

A round keeps the facts of its opening beside each item, so that it can be told afterwards what was known when. Nobody
is ever asked about their own access.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, time
from enum import StrEnum
from types import MappingProxyType
from typing import Any
from uuid import UUID

from openlatch.core.ids import ref_of
from openlatch.core.model import Author
from openlatch.core.moves import Moves
from openlatch.core.recurrence import Recurrence
from openlatch.core.reviews.decisions import Decision, Facts
from openlatch.core.taking_back.settled import LeftOpen
from openlatch.words import Choice, Occasion, Reviewers, RoundState, Severity, Unanswered

__all__ = [
    "ROUND_MOVES",
    "Asked",
    "Comparison",
    "Item",
    "ReviewPlan",
    "Round",
    "RoundMove",
    "assign",
    "compare",
    "scope_said",
    "unanswered",
]


@dataclass(frozen=True, slots=True)
class ReviewPlan:
    """What is reviewed, when, by whom, and what becomes of what nobody answers.

    `where` is a filter of the inventory, as people write it, with `risk` for the least risk. `recurs` is a recurrence
    rule (RFC 5545), empty for a plan that only `on` events or people open; `begins` its first day and `at` the time of
    day. Durations are whole days. No more than `most` entries are changed because nobody answered. Keeping something of
    `risk_limit` or more needs a reason. `substitutes` stand in for people who are away.
    """

    id: UUID
    name: str
    where: Mapping[str, Any]
    recurs: str
    begins: date
    at: time = time(8)
    on: frozenset[Occasion] = frozenset()
    reviewers: Reviewers = Reviewers.NAMED
    named: tuple[UUID, ...] = ()
    substitutes: Mapping[UUID, UUID] = field(default_factory=dict)
    otherwise: UUID | None = None
    """who is asked where nobody else can be, and told of what is not answered in time"""
    answer_days: int = 14
    remind_days: int = 3
    unanswered: Unanswered = Unanswered.KEEP
    most: int = 20
    risk_limit: int = 60
    paused: bool = False
    next_at: datetime | None = None
    created_by: str = ""
    version: int = 1

    @property
    def ref(self) -> str:
        return ref_of(self.id)

    def silence(self, *, several: bool = False) -> str:
        """Return what becomes of what nobody answers: it, or with `several` they."""
        text, they = _SILENCE[self.unanswered]
        most = "" if self.unanswered is Unanswered.KEEP else f", {self.most} at most"
        return f"{they if several else text}{most}"

    def recurrence(self, zone: str) -> Recurrence | None:
        """Return when it takes place, if it does by itself."""
        return Recurrence.parse(self.recurs, self.begins, self.at, zone) if self.recurs else None

    def following(self, instant: datetime, zone: str) -> datetime | None:
        """Return when it takes place next after an instant."""
        recurrence = self.recurrence(zone)
        return next(recurrence.after(instant), None) if recurrence is not None else None


_SILENCE = {
    Unanswered.KEEP: ("stays, and is flagged", "stay, and are flagged"),
    Unanswered.NARROW: ("is narrowed where that is known to do", "are narrowed where that is known to do"),
    Unanswered.PAUSE: ("is paused", "are paused"),
    Unanswered.END: ("ends", "end"),
}


_ENDS = {"none": "has no end", "dated": "has an end", "unknown": "has an end that is not known"}


def scope_said(where: Mapping[str, Any]) -> str:
    """A filter of the inventory in words, such as: everything at Ticket Desk that is outside the circle."""
    text = "everything"
    for name, words in (
        ("kind", "of the kinds {}"),
        ("account", "on {}"),
        ("provider", "at {}"),
        ("party", "of {}"),
    ):
        if where.get(name):
            text += " " + words.format(_or(where[name]) if name == "kind" else where[name])
    if where.get("mine"):
        text += " of whoever asked"
    that = [
        words[0 if where[name] else 1]
        for name, words in (
            ("outside", ("is outside the circle", "is of the circle")),
            ("flagged", ("has a flag", "carries no flag")),
            (
                "unknown",
                (
                    "has a level or permission whose meaning is not known",
                    "has no level or permission whose meaning is not known",
                ),
            ),
        )
        if where.get(name) is not None
    ]
    for name, words in (
        ("power", "can {}"),
        ("rule", "is flagged by “{}”"),
        ("risk", "has a risk of {} or more"),
        ("q", "has “{}” in it"),
    ):
        if where.get(name):
            that.append(words.format(_or(where[name]) if name == "power" else where[name]))
    if where.get("ends"):
        that.append(_ENDS.get(where["ends"], f"has the end “{where['ends']}”"))
    if where.get("state", "standing") != "standing":
        that.append(f"is {_or(where['state'])}")
    return text + (f" that {' and '.join(that)}" if that else "")


def _or(words: str) -> str:
    *first, last = [word.strip() for word in words.split(",") if word.strip()] or [""]
    return f"{', '.join(first)} or {last}" if first else last


class RoundMove(StrEnum):
    """What can happen to a round."""

    SETTLE = "settle"
    """nothing is decided any more: the orders of its decisions are given"""
    CLOSE = "close"
    """everything in it is proved, or said to be left open"""
    CANCEL = "cancel"


ROUND_MOVES = Moves(
    MappingProxyType(
        {
            (RoundState.OPEN, RoundMove.SETTLE): RoundState.SETTLING,
            (RoundState.OPEN, RoundMove.CANCEL): RoundState.CANCELLED,
            (RoundState.SETTLING, RoundMove.CLOSE): RoundState.CLOSED,
            (RoundState.SETTLING, RoundMove.CANCEL): RoundState.CANCELLED,
        }
    ),
    lambda state, how: (f"A round that is {state} cannot {how}.", "Look at it again: openlatch round list"),
)


@dataclass(frozen=True, slots=True)
class Round:
    """One occurrence of a review; `plan` is the plan as it was when it was opened, `why` what opened it."""

    id: UUID
    plan: ReviewPlan
    why: str
    occurrence: datetime
    opened_at: datetime
    due_at: datetime
    policy: int
    state: RoundState = RoundState.OPEN
    paused_at: datetime | None = None
    settled_by: str = ""
    settled_at: datetime | None = None
    closed_at: datetime | None = None
    compared: Comparison | None = None
    """the same question asked again when it was closed"""
    left_out: int = 0
    """how many entries in its scope it does not ask about: the least risky, where they are too many for one round"""
    version: int = 1

    @property
    def ref(self) -> str:
        return ref_of(self.id)

    def moved(self, how: RoundMove, **changes: Any) -> Round:
        """Return the round after a move, one version on; refuses what the table does not have."""
        return replace(self, state=ROUND_MOVES.after(self.state, how), version=self.version + 1, **changes)


@dataclass(frozen=True, slots=True)
class Item:
    """One subject of a round; `trouble` says why no order came of its decision, or that it was `gone` by then."""

    round_id: UUID
    place: int
    entry_id: UUID
    account_id: UUID
    party_id: UUID
    facts: Facts
    reviewer: UUID | None
    decision: Decision | None = None
    order_id: UUID | None = None
    trouble: str = ""
    gone: bool = False
    left_open: LeftOpen | None = None
    version: int = 1


@dataclass(frozen=True, slots=True)
class Asked:
    """An item, as far as who is asked about it goes: its account, its party's people, and its sponsor."""

    place: int
    account_id: UUID
    own: frozenset[UUID] = frozenset()
    """the people whose own access it is"""
    sponsor: UUID | None = None


def assign(
    items: Sequence[Asked],
    rule: Reviewers,
    *,
    named: Sequence[UUID],
    administrators: Mapping[UUID, Collection[UUID]],
    substitutes: Mapping[UUID, UUID],
    otherwise: Sequence[UUID],
) -> dict[int, UUID | None]:
    """Return who is asked about each item: people by id, None where nobody is left who is not the party itself.

    All of an account that is put to named people or to its administrators goes to the same of them, so that nobody
    reads half of it. `substitutes` stand in for who is away, `otherwise` for whom the rule does not find.
    """
    asked: dict[int, UUID | None] = {}
    turns: dict[UUID, int] = defaultdict(int)
    accounts = {account: turn for turn, account in enumerate(dict.fromkeys(item.account_id for item in items))}
    for item in items:
        if rule is Reviewers.SPONSOR:
            wanted = [item.sponsor] if item.sponsor is not None else []
        elif rule is Reviewers.ADMINISTRATORS:
            wanted = sorted(administrators.get(item.account_id, ()), key=lambda person: (turns[person], person))
        else:
            turn = accounts[item.account_id] % len(named) if named else 0
            wanted = [*named[turn:], *named[:turn]]
        able = [substitutes.get(person, person) for person in (*wanted, *otherwise)]
        able = [person for person in able if person not in item.own]
        asked[item.place] = able[0] if able else None
    return asked


def unanswered(
    items: Iterable[tuple[int, Facts]], outcome: Unanswered, most: int, by: Author, now: datetime
) -> dict[int, Decision]:
    """Return what becomes of items that nobody answered: no more than `most` are changed, the riskiest first."""
    kept = Decision(Choice.KEEP, by, now, "Nobody answered in time.", unanswered=True)
    decisions: dict[int, Decision] = {}
    left = most
    for place, facts in sorted(items, key=lambda pair: (-pair[1].risk, pair[0])):
        able = outcome is not Unanswered.KEEP and (outcome is not Unanswered.NARROW or bool(facts.narrower))
        if not able or left == 0:
            decisions[place] = kept
            continue
        left -= 1
        if outcome is Unanswered.NARROW:
            decisions[place] = replace(kept, choice=Choice.NARROW, level=facts.narrower)
        else:
            decisions[place] = replace(kept, choice=Choice.END_NOW, pauses=outcome is Unanswered.PAUSE)
    return decisions


@dataclass(frozen=True, slots=True)
class Comparison:
    """The same entries looked at again: how many there were and are, with how many flags and how much risk.

    `gone` are those that have ended, `joined` those that came into the scope since, which count nowhere else.
    """

    entries: tuple[int, int]
    flagged: tuple[int, int]
    severe: tuple[int, int]
    outside: tuple[int, int]
    risk: tuple[int, int]
    """the risk of all of them together"""
    gone: tuple[str, ...] = ()
    joined: tuple[str, ...] = ()
    cleared: Mapping[str, int] = field(default_factory=dict)
    """how many flags of each rule are gone"""
    raised: Mapping[str, int] = field(default_factory=dict)


def compare(before: Mapping[UUID, Facts], now: Mapping[UUID, Facts], joined: Iterable[Facts] = ()) -> Comparison:
    """Compare the entries of a round, as they were when it was opened, with what they are `now`, if they still stand.

    Whether they are still what the round asks for makes no difference; `joined` are others that are, by now.
    """
    after = {entry_id: facts for entry_id, facts in now.items() if entry_id in before}
    flags = [_flags(of) for of in (before, after)]
    cleared, raised = flags[0] - flags[1], flags[1] - flags[0]
    return Comparison(
        entries=(len(before), len(after)),
        flagged=_both(before, after, lambda facts: bool(facts.flags)),
        severe=_both(before, after, lambda facts: facts.worst >= Severity.HIGH.rank),
        outside=_both(before, after, lambda facts: facts.outside),
        risk=_both(before, after, lambda facts: facts.risk),
        gone=tuple(_name(before[each_id]) for each_id in before if each_id not in after),
        joined=tuple(_name(facts) for facts in joined),
        cleared=_counted(cleared),
        raised=_counted(raised),
    )


def _flags(of: Mapping[UUID, Facts]) -> set[tuple[UUID, str]]:
    return {(entry_id, rule) for entry_id, facts in of.items() for rule, _, _ in facts.flags}


def _both(before: Mapping[UUID, Facts], after: Mapping[UUID, Facts], of: Any) -> tuple[int, int]:
    return sum(of(facts) for facts in before.values()), sum(of(facts) for facts in after.values())


def _counted(flags: Iterable[tuple[UUID, str]]) -> dict[str, int]:
    counts: dict[str, int] = defaultdict(int)
    for _, rule in flags:
        counts[rule] += 1
    return dict(sorted(counts.items()))


def _name(facts: Facts) -> str:
    return f"{facts.party} on {facts.account}"
