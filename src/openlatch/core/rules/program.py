"""A policy made ready to be evaluated: every condition checked, exceptions and powers apart made part of the rules."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from openlatch.core.hours import end_of
from openlatch.core.rules.catalogue import FIELDS
from openlatch.core.rules.check import EPOCH, Effort, condition, fact, micros
from openlatch.core.rules.evidence import named
from openlatch.core.rules.policy import Apart, Exempt, Policy, Rule
from openlatch.core.rules.risk import CIRCUMSTANCES, Weights
from openlatch.core.rules.singly import tallied
from openlatch.core.rules.syntax import Fault
from openlatch.core.rules.tree import (
    All,
    Column,
    Constant,
    Count,
    Either,
    Group,
    Holds,
    Node,
    Not,
    Same,
    Sign,
    Some,
    Sum,
    Type,
    inside,
)
from openlatch.words import Subject

__all__ = ["Compiled", "Complaint", "PolicyFault", "Program", "compile_policy", "compile_rule", "rules_of"]

_ID = re.compile(r"[a-z][a-z0-9]*(-[a-z0-9]+)*", re.ASCII)
_FACT = re.compile(r"[a-z][a-z0-9_]*", re.ASCII)


@dataclass(frozen=True, slots=True)
class Complaint:
    """What is wrong with a policy: in which part of which rule (empty for none), at which character, and a hint."""

    rule: str
    part: str
    problem: str
    at: int = 0
    hint: str = ""


class PolicyFault(Exception):
    """A policy that cannot be evaluated, with everything that is wrong with it."""

    def __init__(self, complaints: Iterable[Complaint]) -> None:
        self.complaints = tuple(complaints)
        super().__init__("; ".join(f"{c.rule} {c.part}: {c.problem}" for c in self.complaints))


@dataclass(frozen=True, slots=True)
class Compiled:
    """One rule with its typed trees; `worse` are ranks of severity with what makes the rule that severe."""

    rule: Rule
    when: Node
    worse: tuple[tuple[int, Node], ...]
    facts: tuple[tuple[str, Node], ...]

    @property
    def subject(self) -> Subject:
        return self.rule.applies_to

    @property
    def nodes(self) -> tuple[Node, ...]:
        return (self.when, *(node for _, node in self.worse), *(node for _, node in self.facts))


@dataclass(frozen=True, slots=True, eq=False)
class Program:
    """All rules of a policy that are not off, what makes a risk greater, and what has to be known to evaluate them.

    Two programs are equal only if they are the same one, so that what is made of one is made once.
    """

    rules: tuple[Compiled, ...]
    circumstances: tuple[tuple[str, Node], ...]
    weights: Weights

    def on(self, subject: Subject) -> tuple[tuple[int, Compiled], ...]:
        """Return the rules that apply to a kind of subject, with their places."""
        return tuple(
            (place, compiled_rule) for place, compiled_rule in enumerate(self.rules) if compiled_rule.subject is subject
        )

    def nodes(self, subject: Subject) -> tuple[Node, ...]:
        """Return every tree that is evaluated for a kind of subject."""
        own = tuple(node for _, compiled_rule in self.on(subject) for node in compiled_rule.nodes)
        return own if subject is not Subject.ENTRY else (*own, *(node for _, node in self.circumstances))

    @property
    def counted(self) -> Mapping[Group, tuple[Count | Some, ...]]:
        """Return what is counted over each kind of group, for all subjects."""
        every = [node for subject in Subject for node in self.nodes(subject)]
        return {group: tallied(every, group) for group in Group}

    def columns(self, subject: Subject) -> tuple[str, ...]:
        """Return the columns that are read for a kind of subject, the keys first."""
        if subject is Subject.ENTRY:
            texts = _columns(node for subject in Subject for node in self.nodes(subject))
            texts |= {"entry_powers", "entry_unknown", "entry_level"}
            keys: tuple[str, ...] = ("entry_id", "account_id", "party_id")
        else:
            texts = {c for c in _columns(self.nodes(subject)) if not c.startswith("entry_")}
            keys = (f"{subject}_id",)
            if subject is Subject.PARTY:
                texts = {c for c in texts if c.startswith("party_")}
            else:
                texts = {c for c in texts if c.startswith(("account_", "provider_"))}
        return (*keys, *sorted(texts - set(keys)))


def _columns(nodes: Iterable[Node]) -> set[str]:
    return {each_node.name for node in nodes for each_node in inside(node) if isinstance(each_node, Column)}


def rules_of(policy: Policy) -> tuple[Rule, ...]:
    """Return the rules of a policy, those among them that say which powers must not meet."""
    return (*policy.rules, *(_apart(one) for one in policy.apart))


def _apart(apart: Apart) -> Rule:
    words = [f'"{power}" in entry.powers' for power in apart.powers]
    facts = {"party": "party.name"}
    if apart.anywhere:
        words = [f"party.entries.exists(e, e.lets_in && {word.replace('entry.', 'e.')})" for word in words]
        meet = " || ".join(word.replace("entry.", "e.") for word in (f'"{p}" in entry.powers' for p in apart.powers))
        facts["accounts"] = f"party.entries.filter(e, e.lets_in && ({meet})).map(e, e.account.name)"
    else:
        words.insert(0, "entry.lets_in")
        facts["account"] = "account.name"
    powers = " and ".join(apart.powers)
    return Rule(
        id=apart.id,
        title=apart.title,
        applies_to=Subject.PARTY if apart.anywhere else Subject.ENTRY,
        when=" && ".join(words),
        severity=apart.severity,
        reason=(f"{{party}} can {powers}" + (" over {accounts}." if apart.anywhere else " on {account}."),),
        why="The policy says that these powers must not meet in one hand.",
        clears="Take one of the powers away, or give it to someone else.",
        facts=facts,
    )


ENOUGH = 100
"""So many mistakes are told; what stands behind them is not looked at before they are corrected."""


def compile_policy(policy: Policy, zone: str) -> Program:
    """Return a policy made ready for a workspace in this IANA zone; raises PolicyFault with all that is wrong."""
    complaints: list[Complaint] = []
    compiled: list[Compiled] = []
    seen = set[str]()
    effort = Effort()
    for rule in rules_of(policy):
        if effort.spent or len(complaints) >= ENOUGH:
            break
        if rule.id in seen:
            complaints.append(
                Complaint(rule.id, "id", f"there are two rules “{rule.id}”", hint="Give one of them another id.")
            )
        seen.add(rule.id)
        try:
            compiled_rule = compile_rule(rule, policy, zone, effort)
        except PolicyFault as fault:
            complaints += fault.complaints
        else:
            compiled += [compiled_rule] if not rule.off else []
    circumstances = []
    for one_ in CIRCUMSTANCES:
        try:
            circumstances.append((one_.id, condition(one_.when, Subject.ENTRY, policy.limits)))
        except Fault as fault:
            complaints.append(Complaint("", "limits", f"{fault.problem}, and the risk needs it", hint=fault.hint))
    if complaints:
        raise PolicyFault(dict.fromkeys(complaints))
    return Program(tuple(compiled), tuple(circumstances), policy.risk)


def compile_rule(rule: Rule, policy: Policy, zone: str, effort: Effort) -> Compiled:
    """Return one rule with its conditions checked; raises PolicyFault with all that is wrong with it.

    `effort` is what the rules before it have taken.
    """
    complaints: list[Complaint] = []

    def tried(part: str, text: str, *, as_fact: bool = False) -> Node | None:
        try:
            return (fact if as_fact else condition)(text, rule.applies_to, policy.limits, effort)
        except Fault as fault:
            complaints.append(Complaint(rule.id, part, fault.problem, fault.at, fault.hint))
            return None

    if not _ID.fullmatch(rule.id):
        complaints.append(Complaint(rule.id, "id", "an id is made of small letters, digits and hyphens"))
    when = tried("when", rule.when)
    worse = [(severity.rank, tried(f"worse.{n}.when", text)) for n, (severity, text) in enumerate(rule.worse)]
    facts = [(name, tried(f"facts.{name}", text, as_fact=True)) for name, text in rule.facts.items()]
    for name in rule.facts:
        if not _FACT.fullmatch(name):
            complaints.append(Complaint(rule.id, f"facts.{name}", "a fact is named in small letters, digits and _"))
    for sentence in rule.reason:
        for name in named(sentence):
            if name not in rule.facts:
                known = ", ".join(rule.facts) or "none"
                complaints.append(Complaint(rule.id, "reason", f"there is no fact “{name}”", hint=f"Facts: {known}."))
    exempt = []
    for place, each_exempt in enumerate(rule.exempt):
        try:
            exempt.append(_exempt(each_exempt, rule, policy, zone))
        except Fault as fault:
            complaints.append(Complaint(rule.id, f"exempt.{place}", fault.problem, hint=fault.hint))
    if complaints:
        raise PolicyFault(complaints)
    assert when is not None  # noqa: S101 - or there would be a complaint
    return Compiled(
        rule,
        All((when, *(Not(node) for node in exempt))) if exempt else when,
        tuple((rank, node) for rank, node in worse if node is not None),
        tuple((name, node) for name, node in facts if node is not None),
    )


def _exempt(exempt: Exempt, rule: Rule, policy: Policy, zone: str) -> Node:
    """What a rule leaves alone, as a condition."""
    sees = {
        Subject.ENTRY: ("account", "party", "provider"),
        Subject.ACCOUNT: ("account", "provider"),
        Subject.PARTY: ("party",),
    }[rule.applies_to]
    parts: list[Node] = []
    for what, name in (("account", exempt.account), ("party", exempt.party), ("provider", exempt.provider)):
        if name and what not in sees:
            raise Fault(f"a rule that applies to {rule.applies_to} cannot leave out one {what}", 0)
        if name:
            paths = [p for p in (f"{what}.name", f"{what}.ref") if p in FIELDS]
            same: list[Node] = [Same(FIELDS[path].node, Constant(Type.STRING, name)) for path in paths]
            if what == "party":
                same.append(Holds(FIELDS["party.addresses"].node, name))
            parts.append(Either(tuple(same)))
    if exempt.tag:
        if exempt.tag not in {tag.name for tag in policy.tags}:
            raise Fault(f"there is no tag “{exempt.tag}”", 0, "Tags are named under [tags].")
        lists = [FIELDS[f"{what}.tags"].node for what in sees if f"{what}.tags" in FIELDS]
        parts.append(Either(tuple(Holds(node, exempt.tag) for node in lists)))
    if not parts:
        raise Fault(
            "it leaves out everything", 0, "Name an account, a party, a provider or a tag; or turn the rule off."
        )
    if exempt.until is not None:
        over = micros(end_of(exempt.until, zone) - EPOCH)
        parts.append(Sign("<", Sum(Type.TIME, (), 1, -over)))
    return All(tuple(parts))
