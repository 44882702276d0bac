"""Decisions about an item of a review: what would be sensible, what a decision needs, and what it becomes."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from openlatch.core.hours import day_in, until
from openlatch.core.model import Author
from openlatch.core.phrases import listed
from openlatch.errors import Invalid
from openlatch.words import Action, Choice, Severity

__all__ = [
    "ORDERED",
    "Decision",
    "Facts",
    "advised",
    "changed_since",
    "checked",
    "choices",
    "ordered",
    "question",
    "reason_needed",
]

ORDERED: Mapping[Choice, Action] = {
    Choice.NARROW: Action.NARROW,
    Choice.END_ON: Action.END_ON,
    Choice.END_NOW: Action.END,
}
"""The decisions that change something, with the order that each becomes."""


_AT_ONCE = ("open", "app", "session", "secret")
"""What nobody needs a last day for: it is given again in a minute, if it is missed."""


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
    acts: tuple[str, ...] | None = None
    """what could be ordered about it; None where that is not known"""

    @property
    def worst(self) -> int:
        """The rank of the worst flag, 0 for none."""
        return max((Severity(severity).rank for _, severity, _ in self.flags), default=0)


@dataclass(frozen=True, slots=True)
class Decision:
    """What was decided: `level` to narrow to, `until` the last day, `to` whom it was passed on.

    One that is `unanswered` was made by the plan, since nobody made another in time; one that was made `instead_of`
    someone was put to them.
    """

    choice: Choice
    by: Author
    at: datetime
    reason: str = ""
    level: str = ""
    until: date | None = None
    to: UUID | None = None
    unanswered: bool = False
    pauses: bool = False
    """put to rest instead of ended, which only a plan does with what nobody answered"""
    instead_of: Author | None = None

    @property
    def changes(self) -> bool:
        """Whether it becomes an order."""
        return self.pauses or self.choice in ORDERED

    def action(self, kind: str) -> Action | None:
        """Return the order that it becomes about something of a kind, if it changes something."""
        return Action.PAUSE if self.pauses else ordered(self.choice, kind)


def advised(facts: Facts) -> tuple[Choice, str]:
    """Return what would be sensible, and why: the plain reading of the facts, which a person can go against."""
    against = facts.flags[0][2] if facts.flags else ""
    severe = facts.worst >= Severity.HIGH.rank
    lasts = facts.ends_at is None and facts.kind in ("delegate", "grant")
    speaks = (
        (facts.left, Choice.END_NOW, f"{facts.party} has left."),
        (facts.unused, Choice.END_NOW, "Nothing of it was used lately."),
        (bool(facts.narrower), Choice.NARROW, f"“{facts.narrower}” covers all that was used lately."),
        (severe and facts.kind in _AT_ONCE, Choice.END_NOW, against),
        (lasts and facts.outside, Choice.END_ON, "It is outside the circle and has no end."),
        (severe, Choice.NARROW, against),
        (bool(against), Choice.KEEP, f"Weigh this: {against}"),
    )
    for holds, choice, why in speaks:
        if holds and _can(facts, choice):
            return choice, why
    first = next((why for holds, _, why in speaks if holds), "")
    if first:
        return Choice.KEEP, f"{first} {facts.provider} does not let anyone end or narrow it: see to it there."
    return Choice.KEEP, "Nothing suggests a change."


def choices(facts: Facts) -> tuple[Choice, ...]:
    """Return what can be decided about something: what changes nothing, and what can be ordered."""
    return tuple(choice for choice in Choice if _can(facts, choice))


def _can(facts: Facts, choice: Choice) -> bool:
    """Whether what a decision becomes can be ordered, as far as that is known."""
    action = ordered(choice, facts.kind)
    return action is None or facts.acts is None or action in facts.acts


def ordered(choice: Choice, kind: str) -> Action | None:
    """Return the order that a choice becomes about something of a kind: nobody is made to forget a secret."""
    action = ORDERED.get(choice)
    return Action.CHANGE_SECRET if action is Action.END and kind == "secret" else action


def reason_needed(facts: Facts, decision: Decision, risk_limit: int) -> str:
    """Return why a decision needs a reason, or an empty string: it goes against the advice, or keeps what is risky."""
    advice, why = advised(facts)
    if decision.choice is Choice.PASS_ON:
        return ""
    if decision.choice is Choice.KEEP and advice is not Choice.KEEP:
        return f"This is against the advice: {why}"
    if decision.choice is Choice.KEEP and facts.worst >= Severity.HIGH.rank:
        return f"It has a flag: {facts.flags[0][2]}"
    if decision.choice is Choice.KEEP and facts.risk >= risk_limit:
        return f"Its risk is {facts.risk}, and {risk_limit} or more needs a reason."
    return ""


def checked(facts: Facts, decision: Decision, today: date, risk_limit: int) -> Decision:
    """Return a decision that can be taken about an item; raises Invalid for one that lacks something."""
    if not _can(facts, decision.choice):
        able = ", ".join(choices(facts))
        raise _wrong("choice", f"“{decision.choice}” cannot be ordered about it.", f"What can be decided: {able}.")
    if decision.choice is Choice.NARROW and not decision.level:
        raise _wrong("level", "A level to narrow to is needed.", "Name a level that gives less.")
    if decision.choice is Choice.END_ON and decision.until is None:
        raise _wrong("until", "A last day is needed.", "Give a day, such as 2027-03-31: it ends with that day.")
    if decision.choice is Choice.END_ON and decision.until is not None and decision.until < today:
        raise _wrong("until", f"{decision.until.isoformat()} is over already.", "Give a later day, or end it now.")
    if decision.choice is Choice.PASS_ON and decision.to is None:
        raise _wrong("to", "Name who it is passed on to.", "Name one of the people of this workspace.")
    why = reason_needed(facts, decision, risk_limit)
    if why and not decision.reason:
        raise _wrong("reason", f"A reason is needed to {decision.choice} it. {why}", "Give a reason, in a few words.")
    return decision


def question(account_id: UUID, facts: Facts) -> str:
    """Return what is asked about an entry, as 16 hexadecimal digits.

    Two items of one account are the same question if they have the same, and the same speaks for or against it; so
    they have the same digits, wherever and whenever they are looked at.
    """
    asked = (
        str(account_id),
        facts.kind,
        facts.level,
        facts.outside,
        facts.left,
        facts.unused,
        facts.narrower,
        [rule for rule, _, _ in facts.flags],
    )
    return hashlib.sha256(json.dumps(asked).encode()).hexdigest()[:16]


def changed_since(before: Facts, after: Facts, zone: str) -> tuple[str, ...]:
    """Return in sentences what is different from what the last round knew, its days in a zone."""
    said = []
    if before.level != after.level:
        said.append(f"The level was “{before.level}”, and is “{after.level}”.")
    more, less = set(after.powers) - set(before.powers), set(before.powers) - set(after.powers)
    if more:
        said.append(f"It can {listed(sorted(more))} now.")
    if less:
        said.append(f"It can no longer {listed(sorted(less))}.")
    if before.resources != after.resources:
        said.append(f"It was on {_parts(before.resources)}, and is on {_parts(after.resources)}.")
    if before.ends_at != after.ends_at:
        was, now = (until(at, zone) if at is not None else "without an end" for at in (before.ends_at, after.ends_at))
        said.append(f"It was {was}, and is {now}.")
    if after.use_known and after.last_used is not None and after.last_used != before.last_used:
        said.append(f"It was used since, last on {day_in(after.last_used, zone)}.")
    elif after.use_known and before.use_known:
        said.append("It was not used since.")
    old, new = {rule for rule, _, _ in before.flags}, {rule for rule, _, _ in after.flags}
    said.extend(f"New flag: {reason}" for rule, _, reason in after.flags if rule not in old)
    if old - new:
        said.append(f"{len(old - new)} of its flags {'is' if len(old - new) == 1 else 'are'} gone.")
    return tuple(said)


def _parts(resources: Sequence[str]) -> str:
    return ", ".join(resources) or "the whole account"


def _wrong(at: str, what: str, next_step: str) -> Invalid:
    return Invalid(f"{what} Nothing was changed.", next_step=next_step, errors=[{"at": at, "problem": what}])
