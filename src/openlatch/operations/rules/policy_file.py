"""Reading a policy file: from its text to a policy, with the line and column of everything that is wrong."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from functools import lru_cache
from importlib import resources
from itertools import islice, pairwise

from pydantic import ValidationError

from openlatch.core.limits import Limits
from openlatch.core.powers import in_order
from openlatch.core.rules.check import Limit
from openlatch.core.rules.policy import Apart, Bound, Exempt, Policy, Rule, Tag
from openlatch.core.rules.program import Complaint, PolicyFault, Program, compile_policy
from openlatch.core.rules.risk import CIRCUMSTANCES, Weights
from openlatch.core.rules.tasks import Task
from openlatch.core.toml_text import NotToml, parsed
from openlatch.errors import Invalid
from openlatch.wire.rules import policy_file as wire
from openlatch.words import Power, Reaction, Reported, Severity, Subject

__all__ = ["BUILT_IN", "Read", "read"]

BUILT_IN = resources.files("openlatch.core.rules").joinpath("built_in.toml").read_text()
"""The policy that a workspace begins with."""
LONGEST = 500_000
MOST_TOLD = 100
"""mistakes that are told with their places"""
_UNITS = {"d": "days", "h": "hours", "m": "minutes"}


@dataclass(frozen=True, slots=True)
class Read:
    """A policy that was read and checked, and what it was read from."""

    text: str
    policy: Policy
    program: Program


@lru_cache(maxsize=64)
def read(text: str, zone: str) -> Read:
    """Return the policy that a text holds; raises Invalid with every mistake and its place in the text."""
    try:
        raw = parsed(text, LONGEST)
    except NotToml as error:
        raise _refused([{"at": error.at, "problem": error.problem}]) from error
    try:
        policy = _policy(wire.PolicyFile.model_validate(raw))
    except ValidationError as error:
        raise _refused(list(islice(_misshapen(text, error), MOST_TOLD)), error.error_count()) from error
    try:
        return Read(text, policy, compile_policy(policy, zone))
    except PolicyFault as fault:
        complaints = tuple(fault.complaints)
        places = _Places(text)
        first = [places.of(complaint) for complaint in complaints[:MOST_TOLD]]
        raise _refused(first, len(complaints)) from fault


def _refused(errors: Sequence[Mapping[str, str]], count: int | None = None) -> Invalid:
    count = len(errors) if count is None else count
    least = "at least " if count >= MOST_TOLD else ""
    more = f", and {least}{count - 1} more" if count > 1 else ""
    first = errors[0]
    at = f"{first['at']}: " if first["at"] else ""
    return Invalid(
        f"The policy cannot be used: {at}{first['problem']}{more}. The present policy stays in force.",
        next_step=first.get("hint") or "Correct it and try again.",
        errors=[dict(error) for error in errors[:MOST_TOLD]],
    )


def _misshapen(text: str, error: ValidationError) -> Iterator[dict[str, str]]:
    for details in error.errors(include_url=False, include_input=False, include_context=False):
        path = [part for part in details["loc"] if part not in ("constrained-str", "constrained-int")]
        words = ".".join(str(part) for part in path)
        problem = {"extra_forbidden": "it is not known", "missing": "it is missing"}.get(
            details["type"], details["msg"].lower()
        )
        yield {"at": _line_of(text, path), "problem": f"{words}: {problem}"}


def _span(text: str) -> timedelta:
    return timedelta(**{_UNITS[text[-1]]: int(text[:-1])})


def _policy(file: wire.PolicyFile) -> Policy:
    return Policy(
        limits={name: _limit(limit) for name, limit in file.limits.items()},
        domains=frozenset(domain.casefold() for domain in file.circle.domains),
        teams=tuple(file.circle.teams),
        parties=tuple(file.circle.parties),
        tags=tuple(Tag(name, tuple(t.accounts), tuple(t.parties), t.over) for name, t in file.tags.items()),
        apart=tuple(
            Apart(a.id, a.title, tuple(Power(p) for p in a.powers), a.anywhere, Severity(a.severity))
            for a in file.apart
        ),
        risk=_weights(file.risk),
        rules=tuple(_rule(rule) for rule in file.rules),
        accept_for=_span(file.acceptance.longest),
        tasks=tuple(
            Task(name, t.title, in_order(Power(p) for p in t.needs), own=True) for name, t in file.tasks.items()
        ),
        bounds=tuple(_bound(bound) for bound in file.bounds),
        lapse=_span(file.offers.lapse),
        reactions={reported: Reaction(getattr(file.security_events, reported)) for reported in Reported},
    )


def _bound(bound: wire.Bound) -> Bound:
    longest = _span(bound.longest) if bound.longest is not None else None
    limits = Limits(bound.most, bound.outsiders, frozenset(Power(p) for p in bound.never), longest, bound.opt_in)
    return Bound(limits, bound.provider, bound.account)


def _limit(limit: str | int) -> Limit:
    return limit if isinstance(limit, int) else _span(limit)


def _weights(risk: wire.Risk) -> Weights:
    return Weights(
        {power: getattr(risk.powers, power) for power in Power},
        risk.unknown,
        {circumstance.id: getattr(risk.percent, circumstance.id) for circumstance in CIRCUMSTANCES},
    )


def _rule(rule: wire.Rule) -> Rule:
    return Rule(
        id=rule.id,
        title=rule.title,
        applies_to=Subject(rule.applies_to),
        when=rule.when,
        severity=Severity(rule.severity),
        reason=tuple(rule.reason),
        why=rule.why,
        clears=rule.clears,
        worse=tuple((Severity(w.severity), w.when) for w in rule.worse),
        facts=dict(rule.facts),
        exempt=tuple(Exempt(e.reason, e.account, e.party, e.provider, e.tag, e.until) for e in rule.exempt),
        off=rule.off,
        party_sees=rule.party_sees,
    )


# Where something stands in the text. TOML's reader keeps no places, so the lines are looked through for it.


class _Places:
    """Where the rules of a text stand in it: their ids are looked for once, however much is wrong."""

    def __init__(self, text: str) -> None:
        self._text = text
        self._rules: dict[str, tuple[int, int]] = {}
        heads = [match.start() for match in re.finditer(r"^\[\[(?:rules|apart)\]\]", text, re.MULTILINE)]
        for start, end in pairwise([*heads, len(text)]):
            named = re.compile(r"^[ \t]*id[ \t]*=[ \t]*[\"']([^\"'\n]*)[\"']", re.MULTILINE).search(text, start, end)
            if named:
                # The last one of an id: the second of two is the mistake.
                self._rules[named[1]] = start, end

    def of(self, complaint: Complaint) -> dict[str, str]:
        """The place of what a complaint is about: the line of the rule's part, and the column of the very character."""
        text = self._text
        start, end = self._rules.get(complaint.rule, (0, len(text)))
        key = complaint.part.partition(".")[0]
        found = re.compile(rf"^[ \t]*{re.escape(key)}[ \t]*=[ \t]*", re.MULTILINE).search(text, start, end)
        place = found.end() if found else start
        inner = complaint.part.rpartition(".")[2]
        if found and inner != key:
            within = re.compile(rf"\b{re.escape(inner)}[ \t]*=[ \t]*").search(text, found.end(), end)
            place = within.end() if within else place
        if found and text[place : place + 1] in ("'", '"'):
            place += 3 if text[place : place + 3] in ("'''", '"""') else 1
            place += text[place : place + 1] == "\n"
        place += complaint.at if found else 0
        where = f"rule {complaint.rule}, " if complaint.rule else ""
        return {
            "at": f"{where}line {text.count(chr(10), 0, place) + 1}, column {place - (text.rfind(chr(10), 0, place))}",
            "problem": f"{complaint.part}: {complaint.problem}",
            "hint": complaint.hint,
            "rule": complaint.rule,
            "part": complaint.part,
            "place": str(complaint.at),
        }


def _line_of(text: str, path: Sequence[int | str]) -> str:
    """The line of what a path of keys and places leads to, as far as it can be told."""
    start = 0
    if len(path) > 1 and isinstance(path[1], int):
        heads = [match.start() for match in re.finditer(rf"^\[\[{path[0]}\]\]", text, re.MULTILINE)]
        start = heads[path[1]] if path[1] < len(heads) else 0
    elif path:
        table = re.search(rf"^\[{re.escape(str(path[0]))}[\].]", text, re.MULTILINE)
        start = table.start() if table else 0
    names = [part for part in path if isinstance(part, str)]
    found = re.compile(rf"^[ \t]*{re.escape(names[-1])}[ \t]*=", re.MULTILINE).search(text, start) if names else None
    return f"line {text.count(chr(10), 0, found.start() if found else start) + 1}"
