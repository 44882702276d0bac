"""The policy: what is in force, what it finds, and trying another one before it is adopted."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from difflib import get_close_matches

from openlatch.core.rules import edits
from openlatch.core.rules.catalogue import FIELDS, WORDS, Field
from openlatch.core.rules.noise import LOOKED_BACK, is_noise
from openlatch.core.rules.policy import Policy, Rule
from openlatch.core.rules.program import rules_of
from openlatch.errors import Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.rules import circles, evaluation
from openlatch.operations.rules.policy_file import BUILT_IN, Read, read
from openlatch.store.rules.policies import Adopted
from openlatch.wire.rules import policies as wire

__all__ = [
    "LimitSight",
    "RuleSight",
    "browse_rules",
    "catalogue",
    "changes",
    "check",
    "current",
    "draw_circle",
    "edit",
    "history",
    "in_force",
    "latest",
    "limits",
    "limits_of",
    "numbered",
    "rules",
    "show",
    "titles",
]

FIRST = "The policy that every workspace begins with."
_NAME = re.compile(r"[a-z_]+(?:\.[a-z_]+)+")


@dataclass(frozen=True, slots=True)
class RuleSight:
    """A rule of the policy in force: how many flags of it stand, how many of these are accepted, the worst rank."""

    rule: Rule
    standing: int
    accepted: int
    worst: int
    since: datetime | None
    acted: int
    apart: bool
    now: datetime

    @property
    def quiet(self) -> bool:
        """Whether many of its flags stand for long, and nobody has acted on one or accepted most of them."""
        return is_noise(self.standing - self.accepted, self.acted, self.since, self.now)


@dataclass(frozen=True, slots=True)
class LimitSight:
    """A limit as it stands in a policy, and the rules that use it."""

    name: str
    value: str | int
    says: str
    used_by: tuple[str, ...]


def latest(call: Call) -> Adopted:
    """Return the policy in force; number 0 is the one that every workspace begins with."""
    return call.tx.policies.latest(lambda: _first(call))


def _first(call: Call) -> Adopted:
    """Return the policy that nobody adopted; it is stored when another one takes its place."""
    workspace = call.tx.workspace
    domains = json.dumps(sorted(workspace.circle.domains), ensure_ascii=False)
    text = BUILT_IN.replace("domains = []", f"domains = {domains}", 1)
    return Adopted(0, text, FIRST, "Open Latch", call.tx.policies.founded_at(), ())


def numbered(call: Call, number: int) -> Adopted:
    """Return a policy by its number."""
    present = latest(call)
    return present if number == present.number else call.tx.policies.find(number)


def current(call: Call) -> Read:
    """Return the policy in force, read."""
    return read(latest(call).text, call.tx.workspace.zone)


def in_force(call: Call) -> evaluation.Ask:
    """Return the policy in force, to be asked."""
    policy_read = current(call)
    return evaluation.Ask(policy_read.policy, policy_read.program)


def rules(call: Call) -> Mapping[str, Rule]:
    """Return the rules of the policy in force by their ids, those that are off among them."""
    return {rule.id: rule for rule in rules_of(current(call).policy)}


def titles(call: Call) -> dict[str, str]:
    """Return what the rules of the policy in force are called, by their ids."""
    return {id_: rule.title for id_, rule in rules(call).items()}


def checked_rule(call: Call, rule: str) -> None:
    """Refuse (Invalid) the name of no rule, with the nearest: nothing would be found by it."""
    known = rules(call)
    if rule and rule not in known:
        near = get_close_matches(rule, known, 3, 0.4)
        raise Invalid(
            f"There is no rule “{rule}” in the policy in force.",
            next_step=f"Use one of: {', '.join(near)}." if near else "See which there are: openlatch policy rules",
            errors=[{"at": "rule", "problem": f"“{rule}” is not known"}],
        )


@operation("policy.show")
def show(call: Call, number: int | None) -> Adopted:
    """The policy in force, or an earlier one by its number."""
    return latest(call) if number is None else numbered(call, number)


@operation("policy.history")
def history(call: Call) -> tuple[Adopted, ...]:
    """Every policy that was adopted, the latest first."""
    return call.tx.policies.history() or (latest(call),)


@operation("policy.catalogue")
def catalogue(call: Call) -> tuple[tuple[Field, tuple[str, ...]], ...]:
    """Every field that a condition can name, with the only words that it can be, if there are such."""
    return tuple((field, WORDS.get(path, ())) for path, field in FIELDS.items())


@operation("policy.rules")
def browse_rules(call: Call) -> tuple[RuleSight, ...]:
    """The rules of the policy in force, each with its flags; those with the worst flags first."""
    policy = current(call).policy
    counts = call.tx.flags.counts(call.now)
    acted = call.tx.orders.while_flagged(call.now - LOOKED_BACK)
    own = {rule.id for rule in policy.rules}
    sights = [
        RuleSight(
            rule,
            *counts.get(rule.id, (0, 0, 0, None)),
            acted=acted.get(rule.id, 0),
            apart=rule.id not in own,
            now=call.now,
        )
        for rule in rules_of(policy)
    ]
    return tuple(sorted(sights, key=lambda sight: (-sight.worst, sight.accepted - sight.standing, sight.rule.id)))


@operation("policy.limits")
def limits(call: Call) -> tuple[LimitSight, ...]:
    """The limits of the policy in force, each with the rules that use it."""
    return limits_of(current(call))


def limits_of(policy_read: Read) -> tuple[LimitSight, ...]:
    """Return the limits that a policy has, each with the rules that use it."""
    used = {rule.id: _conditions(rule) for rule in rules_of(policy_read.policy)}
    return tuple(
        LimitSight(
            each.name,
            each.value,
            each.says,
            tuple(rule for rule, names in used.items() if f"limits.{each.name}" in names),
        )
        for each in edits.limits(policy_read.text)
    )


def _conditions(rule: Rule) -> set[str]:
    """The names that the conditions and facts of a rule use."""
    texts = (rule.when, *(when for _, when in rule.worse), *rule.facts.values())
    return {word for text in texts for word in _NAME.findall(text)}


@operation("policy.edit")
def edit(call: Call, text: str | None, wanted: Sequence[wire.PolicyChange]) -> tuple[str, tuple[str, ...]]:
    """Return a policy with changes by its parts, and what it changes of the one in force; nothing is adopted.

    Of a `text`, or of the policy in force. Refuses (Invalid) a change that does not fit, and what is no policy then.
    """
    changed = latest(call).text if text is None else text
    for place, change in enumerate(wanted):
        try:
            changed = _edited(changed, change)
        except edits.Misfit as error:
            raise Invalid(
                f"Change {place + 1}: {error}{'' if str(error).endswith('?') else '.'} Nothing was changed.",
                next_step="Look at what there is: openlatch policy rules --all, openlatch policy limits",
                errors=[{"at": f"changes.{place}", "problem": str(error)}],
            ) from error
    return changed, changes(current(call).policy, read(changed, call.tx.workspace.zone).policy)


def _edited(text: str, change: wire.PolicyChange) -> str:
    given = change.model_dump(exclude={"do", "rule"}, exclude_unset=True)
    match change:
        case wire.LimitWish():
            return edits.set_limit(text, change.name, change.value)
        case wire.RuleWish():
            # What is as if it were not said, such as off = false, is not written down.
            said = {name: value for name, value in given.items() if value is not None}
            plain = {name: str(value) if name == "severity" else value or None for name, value in said.items()}
            return edits.set_rule(text, change.rule, plain)
        case wire.ExemptWish():
            return edits.exempt(text, change.rule, given)
        case wire.DropExemption():
            return edits.drop_exemption(text, change.rule, change.place)
        case wire.AddRule():
            words = {"applies_to": str(change.applies_to), "severity": str(change.severity)}
            return edits.add_rule(text, given | words | {"reason": change.reason or [f"{change.title}."]})
        case wire.DropRule():
            return edits.drop_rule(text, change.rule)


@operation("policy.check")
def check(call: Call, text: str) -> tuple[int, tuple[str, ...]]:
    """Check a policy without trying it; raises Invalid with every mistake.

    Returns how many rules it has, and what it would change.
    """
    checked = read(text, call.tx.workspace.zone).policy
    return len(rules_of(checked)), changes(current(call).policy, checked)


def draw_circle(call: Call, policy: Policy, *, everyone: bool = False) -> None:
    """Keep who is in the policy's circle by name or team; with `everyone`, also what it makes of every party."""
    before = call.tx.workspace.circle
    if not (everyone or policy.teams or policy.parties or before.parties):
        return
    circle = circles.circle_of(call, policy)
    if circle.parties != before.parties:
        call.tx.policies.in_circle(circle.parties)
        call.tx.enter_again()
    concerned = call.tx.parties.all() if everyone else call.tx.parties.some(circle.parties ^ before.parties).values()
    seen = circles.acquaint(call, circle, concerned)
    call.tx.parties.acquainted({party_id: (a.outside, a.near, a.near_how) for party_id, a in seen.items()})


def changes(before: Policy, after: Policy) -> tuple[str, ...]:
    """Return what a policy changes of another, in sentences."""
    told = []
    old, new = ({rule.id: rule for rule in rules_of(policy)} for policy in (before, after))
    told += [f"Adds the rule {text}." for text in new if text not in old]
    told += [f"Drops the rule {text}." for text in old if text not in new]
    for text in [text for text in new if text in old and new[text] != old[text]]:
        parts = [
            part.replace("_", " ")
            for part in (
                "when",
                "severity",
                "worse",
                "facts",
                "reason",
                "exempt",
                "applies_to",
                "title",
                "why",
                "clears",
            )
            if getattr(old[text], part) != getattr(new[text], part)
        ]
        if old[text].off != new[text].off:
            told.append(f"Turns the rule {text} {'off' if new[text].off else 'on'}.")
        if parts:
            told.append(f"Changes the rule {text} ({', '.join(parts)}).")
    for name in sorted(before.limits.keys() | after.limits.keys()):
        text, other = (_said(policy.limits.get(name)) for policy in (before, after))
        if text != other:
            told.append(f"Limit {name}: {text}, now {other}.")
    for name in ("domains", "teams", "parties"):
        was, now = set(getattr(before, name)), set(getattr(after, name))
        told += [f"Takes {value} into the circle." for value in sorted(now - was)]
        told += [f"Takes {value} out of the circle." for value in sorted(was - now)]
    for name, word in (("tags", "tags"), ("risk", "weights of risk"), ("accept_for", "longest acceptance")):
        if getattr(before, name) != getattr(after, name):
            told.append(f"Changes the {word}.")
    return tuple(told)


def _said(limit: int | timedelta | None) -> str:
    if isinstance(limit, timedelta):
        return f"{limit.days} days" if limit.seconds == 0 else str(limit)
    return "none" if limit is None else str(limit)
