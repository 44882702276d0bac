"""Reviews: what a round puts to whom, what a decision needs, and what becomes of what nobody answered.

A round keeps the facts of its opening beside each item, so that it can be told afterwards what was known when. Nobody
is ever asked about their own access.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from enum import StrEnum
from typing import Any
from uuid import UUID

from openlatch.core.model import Severity
from openlatch.core.plans import Action
from openlatch.errors import Invalid

__all__ = [
    "ORDERED",
    "Asked",
    "Choice",
    "Comparison",
    "Decision",
    "Facts",
    "Reviewers",
    "RoundState",
    "Unanswered",
    "advised",
    "alike",
    "assign",
    "changed_since",
    "checked",
    "compare",
    "reason_needed",
    "unanswered",
]


class Choice(StrEnum):
    """What a reviewer can decide about an item."""

    KEEP = "keep"
    NARROW = "narrow"
    END_ON = "end-on"
    END_NOW = "end-now"
    PASS_ON = "pass-on"  # noqa: S105 - handing it to somebody else


ORDERED: Mapping[Choice, Action] = {
    Choice.NARROW: Action.NARROW,
    Choice.END_ON: Action.END_ON,
    Choice.END_NOW: Action.END,
}
"""The decisions that change something, with the order that each becomes."""


class RoundState(StrEnum):
    """Where a round is: answers are given, orders are carried out, everything is proved or said to be left open."""

    OPEN = "open"
    SETTLING = "settling"
    CLOSED = "closed"
    CANCELLED = "cancelled"


class Unanswered(StrEnum):
    """What becomes of what nobody answered in time."""

    KEEP = "keep"
    """it stays, and is flagged"""
    NARROW = "narrow"
    """to the level that would do, where one is known; else it stays"""
    PAUSE = "pause"
    END = "end"


class Reviewers(StrEnum):
    """Who is asked about an item."""

    NAMED = "named"
    """the people who are named, in turns"""
    ADMINISTRATORS = "administrators"
    """those of them who can let others in on the account"""
    GIVER = "giver"
    """whoever let the party in"""


@dataclass(frozen=True, slots=True)
class Facts:
    """What was known of an entry when its round was opened, as people read it; `flags` are rule, severity, reason."""

    party: str
    account: str
    provider: str
    kind: str
    level: str
    powers: tuple[str, ...]
    outside: bool = False
    risk: int = 0
    flags: tuple[tuple[str, str, str], ...] = ()
    given_at: datetime | None = None
    given_by: str = ""
    last_used: datetime | None = None
    use_known: bool = False
    ends_at: datetime | None = None
    resources: tuple[str, ...] = ()
    left: bool = False
    narrower: str = ""
    """the level that would do, by what was used"""
    unused: bool = False
    """whether nothing of it was used within the limit"""

    @property
    def worst(self) -> int:
        """The rank of the worst flag, 0 for none."""
        return max((Severity(severity).rank for _, severity, _ in self.flags), default=0)


@dataclass(frozen=True, slots=True)
class Decision:
    """What was decided: `level` to narrow to, `until` the last day, `to` whom it was passed on.

    One that is `unanswered` was made by the plan, since nobody made another in time.
    """

    choice: Choice
    by: str
    at: datetime
    reason: str = ""
    level: str = ""
    until: date | None = None
    to: UUID | None = None
    unanswered: bool = False
    pauses: bool = False
    """put to rest instead of ended, which only a plan does with what nobody answered"""

    @property
    def action(self) -> Action | None:
        """The order that it becomes, if it changes something."""
        return Action.PAUSE if self.pauses else ORDERED.get(self.choice)


@dataclass(frozen=True, slots=True)
class Asked:
    """An item, as far as who is asked about it goes: its account, its party's people, and whoever let it in."""

    place: int
    account_id: UUID
    own: frozenset[UUID] = frozenset()
    """the people whose own access it is"""
    giver: UUID | None = None


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
    accounts = {account: turn for turn, account in enumerate(dict.fromkeys(one.account_id for one in items))}
    for one in items:
        if rule is Reviewers.GIVER:
            wanted = [one.giver] if one.giver is not None else []
        elif rule is Reviewers.ADMINISTRATORS:
            wanted = sorted(administrators.get(one.account_id, ()), key=lambda person: (turns[person], person))
        else:
            turn = accounts[one.account_id] % len(named) if named else 0
            wanted = [*named[turn:], *named[:turn]]
        able = [substitutes.get(person, person) for person in (*wanted, *otherwise)]
        able = [person for person in able if person not in one.own]
        asked[one.place] = able[0] if able else None
    return asked


def advised(facts: Facts) -> tuple[Choice, str]:
    """Return what would be sensible, and why: the plain reading of the facts, which a person can go against."""
    if facts.left:
        return Choice.END_NOW, f"{facts.party} has left."
    if facts.unused:
        return Choice.END_NOW, "Nothing of it was used lately."
    if facts.narrower:
        return Choice.NARROW, f"“{facts.narrower}” covers all that was used lately."
    if facts.outside and facts.ends_at is None and facts.kind in ("delegate", "grant"):
        return Choice.END_ON, "It is outside the circle and has no end."
    return Choice.KEEP, "Nothing speaks against it." if not facts.flags else "It is used as it was given."


def reason_needed(facts: Facts, decision: Decision, risk_limit: int) -> str:
    """Return why a decision needs a reason, or an empty string: it goes against the advice, or keeps what is risky."""
    advice, why = advised(facts)
    if decision.choice is Choice.PASS_ON:
        return ""
    if decision.choice is Choice.KEEP and advice is not Choice.KEEP:
        return f"It goes against the advice: {why}"
    if decision.choice is Choice.KEEP and facts.worst >= Severity.HIGH.rank:
        return f"It carries a flag: {facts.flags[0][2]}"
    if decision.choice is Choice.KEEP and facts.risk >= risk_limit:
        return f"Its risk is {facts.risk}, and {risk_limit} or more needs a reason."
    return ""


def checked(facts: Facts, decision: Decision, today: date, risk_limit: int) -> Decision:
    """Return a decision that can be taken about an item; raises Invalid for one that lacks something."""
    if decision.choice is Choice.NARROW and not decision.level:
        raise _wrong("level", "A level to narrow to is needed.", "Name a level that gives less.")
    if decision.choice is Choice.END_ON and decision.until is None:
        raise _wrong("until", "A last day is needed.", "Give a day, such as 2027-03-31: it ends with that day.")
    if decision.choice is Choice.END_ON and decision.until is not None and decision.until < today:
        raise _wrong("until", f"{decision.until.isoformat()} is over already.", "Give a later day, or end it now.")
    if decision.choice is Choice.PASS_ON and decision.to is None:
        raise _wrong("to", "Somebody to pass it on to is needed.", "Name one of the people of this workspace.")
    why = reason_needed(facts, decision, risk_limit)
    if why and not decision.reason:
        raise _wrong("reason", f"A reason is needed to {decision.choice} it. {why}", "Say why, in a few words.")
    return decision


def alike(facts: Facts) -> tuple[object, ...]:
    """Return what makes two items of one account the same question: what they have, and what speaks for or against."""
    return (
        facts.account, facts.provider, facts.kind, facts.level, facts.outside, facts.left, facts.unused,
        facts.narrower, tuple(rule for rule, _, _ in facts.flags),
    )  # fmt: skip


def unanswered(
    items: Iterable[tuple[int, Facts]], outcome: Unanswered, most: int, by: str, now: datetime
) -> dict[int, Decision]:
    """Return what becomes of items that nobody answered: no more than `most` are changed, the riskiest first."""
    kept = Decision(Choice.KEEP, by, now, "Nobody answered in time.", unanswered=True)
    found: dict[int, Decision] = {}
    left = most
    for place, facts in sorted(items, key=lambda one: (-one[1].risk, one[0])):
        able = outcome is not Unanswered.KEEP and (outcome is not Unanswered.NARROW or bool(facts.narrower))
        if not able or left == 0:
            found[place] = kept
            continue
        left -= 1
        if outcome is Unanswered.NARROW:
            found[place] = replace(kept, choice=Choice.NARROW, level=facts.narrower)
        else:
            found[place] = replace(kept, choice=Choice.END_NOW, pauses=outcome is Unanswered.PAUSE)
    return found


def changed_since(before: Facts, after: Facts) -> tuple[str, ...]:
    """Return in sentences what is different from what the last round knew."""
    said = []
    if before.level != after.level:
        said.append(f"The level was “{before.level}”, and is “{after.level}”.")
    more, less = set(after.powers) - set(before.powers), set(before.powers) - set(after.powers)
    if more:
        said.append(f"It can {_listed(sorted(more))} now.")
    if less:
        said.append(f"It can no longer {_listed(sorted(less))}.")
    if before.resources != after.resources:
        said.append(f"It was on {_parts(before.resources)}, and is on {_parts(after.resources)}.")
    if before.ends_at != after.ends_at:
        said.append(f"Its end was {_day(before.ends_at)}, and is {_day(after.ends_at)}.")
    if after.use_known and after.last_used is not None and after.last_used != before.last_used:
        said.append(f"It was used since, last on {_day(after.last_used)}.")
    elif after.use_known and before.use_known:
        said.append("It was not used since.")
    old, new = {rule for rule, _, _ in before.flags}, {rule for rule, _, _ in after.flags}
    said.extend(f"New flag: {reason}" for rule, _, reason in after.flags if rule not in old)
    if old - new:
        said.append(f"{len(old - new)} of its flags {'is' if len(old - new) == 1 else 'are'} gone.")
    return tuple(said)


@dataclass(frozen=True, slots=True)
class Comparison:
    """The same question asked again: how many entries, flags and how much risk there were, and are."""

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


def compare(before: Mapping[UUID, Facts], after: Mapping[UUID, Facts]) -> Comparison:
    """Compare what a round's question found when it was opened with what it finds now."""
    flags = [_flags(of) for of in (before, after)]
    cleared, raised = flags[0] - flags[1], flags[1] - flags[0]
    return Comparison(
        (len(before), len(after)),
        _both(before, after, lambda facts: bool(facts.flags)),
        _both(before, after, lambda facts: facts.worst >= Severity.HIGH.rank),
        _both(before, after, lambda facts: facts.outside),
        _both(before, after, lambda facts: facts.risk),
        tuple(_name(before[one]) for one in before if one not in after),
        tuple(_name(after[one]) for one in after if one not in before),
        _counted(cleared),
        _counted(raised),
    )


def _flags(of: Mapping[UUID, Facts]) -> set[tuple[UUID, str]]:
    return {(one, rule) for one, facts in of.items() for rule, _, _ in facts.flags}


def _both(before: Mapping[UUID, Facts], after: Mapping[UUID, Facts], of: Any) -> tuple[int, int]:
    return sum(of(facts) for facts in before.values()), sum(of(facts) for facts in after.values())


def _counted(flags: Iterable[tuple[UUID, str]]) -> dict[str, int]:
    found: dict[str, int] = defaultdict(int)
    for _, rule in flags:
        found[rule] += 1
    return dict(sorted(found.items()))


def _name(facts: Facts) -> str:
    return f"{facts.party} on {facts.account}"


def _listed(words: Sequence[str]) -> str:
    *first, last = words
    return f"{', '.join(first)} and {last}" if first else last


def _parts(resources: Sequence[str]) -> str:
    return ", ".join(resources) or "the whole account"


def _day(at: datetime | None) -> str:
    if at is None:
        return "open"
    last = at - timedelta(microseconds=1)
    return f"{last.day} {last:%B %Y}"


def _wrong(at: str, what: str, next_step: str) -> Invalid:
    return Invalid(f"{what} Nothing was changed.", next_step=next_step, errors=[{"at": at, "problem": what}])
