"""What a policy finds for the few subjects that a change concerns, from rows of plain values."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from openlatch.core.powers import ORDER
from openlatch.core.rules.bulk import KEYS
from openlatch.core.rules.catalogue import BITS
from openlatch.core.rules.evidence import facts_text
from openlatch.core.rules.program import Program
from openlatch.core.rules.risk import combined
from openlatch.core.rules.risk import risk as risk_of
from openlatch.core.rules.singly import Row, Tally, compile_names, compile_rows, compile_tally, tallied
from openlatch.core.rules.tree import Group, Names, Node
from openlatch.words import Subject

__all__ = ["Concerned", "Found", "Outcome", "Singly"]


@dataclass(frozen=True, slots=True)
class Found:
    """A rule, by its place in the program, that holds for a subject; `severity` is a rank from 1 to 4."""

    rule: int
    subject: Subject
    id: Hashable
    severity: int
    facts: str


@dataclass(slots=True)
class Outcome:
    """What holds for some subjects: findings, risks, and the next instant at which time alone could change them."""

    found: list[Found] = field(default_factory=list)
    risks: dict[tuple[Subject, Any], int] = field(default_factory=dict)
    soonest: dict[tuple[Subject, Any], int] = field(default_factory=dict)
    holding: dict[Any, tuple[str, ...]] = field(default_factory=dict)
    """the circumstances of each entry that bear on its risk"""


@dataclass(frozen=True, slots=True)
class Concerned:
    """The ids of those subjects whose findings are wanted."""

    entries: frozenset[Any] = frozenset()
    accounts: frozenset[Any] = frozenset()
    parties: frozenset[Any] = frozenset()


_NOTHING: Tally = (0,) * 64


class Singly:
    """A program as Python functions over rows, for a few subjects at a time."""

    def __init__(self, program: Program) -> None:
        self.program = program
        self.columns = {subject: program.columns(subject) for subject in Subject}
        entry = self.columns[Subject.ENTRY]
        self._counted = program.counted
        self._tally = {group: compile_tally(entry, self._counted[group]) for group in Group}
        self._keys = {group: tuple(entry.index(column) for column in KEYS[group]) for group in Group}
        self._powers, self._unknown = entry.index("entry_powers"), entry.index("entry_unknown")
        self._rules: dict[Subject, _Rules] = {
            subject: _Rules(program, subject, self.columns[subject], entry, self._counted) for subject in Subject
        }

    def evaluate(
        self,
        entries: Sequence[Row],
        accounts: Sequence[Row],
        parties: Sequence[Row],
        concerned: Concerned,
        now: int,
    ) -> Outcome:
        """Return what holds for the subjects concerned.

        `entries` are the rows of all standing entries of every account and party that is concerned, or whose entry
        is; rows hold what `columns` names, in that order.
        """
        outcome = Outcome()
        grouped = {group: self._grouped(entries, group) for group in Group}
        tallies: dict[Group, dict[Row, Tally]] = {group: {} for group in Group}
        soonest: dict[Group, dict[Row, int]] = {group: {} for group in Group}
        for group in Group:
            for key, rows in grouped[group].items():
                tallies[group][key], soonest[group][key] = self._tally[group](rows, now)

        def look(subject: Subject, row: Row, keys: Mapping[Group, Row]) -> None:
            ours = {group: tallies[group].get(key, _NOTHING) for group, key in keys.items()}
            rows = {group: grouped[group].get(key, ()) for group, key in keys.items()}
            also = [soonest[group].get(key, 0) for group, key in keys.items() if self._rules[subject].counts[group]]
            self._rules[subject].look(row, ours, rows, also, now, outcome)

        for row in entries:
            keys = {group: tuple(row[place] for place in self._keys[group]) for group in Group}
            if row[0] in concerned.entries:
                look(Subject.ENTRY, row, keys)
            holding = self._rules[Subject.ENTRY].circumstances(row, now)
            outcome.holding[row[0]] = holding
            outcome.risks[Subject.ENTRY, row[0]] = risk_of(
                [p for p in ORDER if row[self._powers] & BITS[p]],
                unknown=bool(row[self._unknown]),
                holding=holding,
                weights=self.program.weights,
            )
        for subject, group, subjects, wanted in (
            (Subject.ACCOUNT, Group.ACCOUNT, accounts, concerned.accounts),
            (Subject.PARTY, Group.PARTY, parties, concerned.parties),
        ):
            for row in subjects:
                if row[0] in wanted:
                    look(subject, row, {group: (row[0],)})
                    held = grouped[group].get((row[0],), ())
                    outcome.risks[subject, row[0]] = combined(outcome.risks[Subject.ENTRY, one[0]] for one in held)
        return outcome

    def _grouped(self, entries: Iterable[Row], group: Group) -> dict[Row, list[Row]]:
        places, document = self._keys[group], dict[Row, list[Row]]()
        for row in entries:
            document.setdefault(tuple(row[place] for place in places), []).append(row)
        return document


class _Rules:
    """The rules on one kind of subject, as one function."""

    def __init__(
        self,
        program: Program,
        subject: Subject,
        columns: Sequence[str],
        entry: Sequence[str],
        counted: Mapping[Group, Sequence[Node]],
    ) -> None:
        self._subject = subject
        self._on = program.on(subject)
        conditions = [each_compiled_rule.when for _, each_compiled_rule in self._on] + [
            node for _, one in self._on for _, node in one.worse
        ]
        values = [node for _, one in self._on for _, node in one.facts if not isinstance(node, Names)]
        self._names = {
            node: (node.group, compile_names(entry, node))
            for _, one in self._on
            for _, node in one.facts
            if isinstance(node, Names)
        }
        self._look = compile_rows(columns, counted, conditions, values)  # type: ignore[arg-type]
        self._circumstances = program.circumstances if subject is Subject.ENTRY else ()
        self._holding = compile_rows(columns, counted, [node for _, node in self._circumstances])  # type: ignore[arg-type]
        self._worse: dict[int, tuple[int, int]] = {}
        place = len(self._on)
        for which, (_, compiled_rule) in enumerate(self._on):
            for rank, _node in compiled_rule.worse:
                self._worse[place] = (which, rank)
                place += 1
        nodes = program.nodes(subject)
        self.counts = {group: bool(tallied(nodes, group)) for group in Group}

    def circumstances(self, row: Row, now: int) -> tuple[str, ...]:
        hits, _, _ = self._holding(row, now, _NOTHING, _NOTHING, _NOTHING)
        return tuple(self._circumstances[place][0] for place in hits)

    def look(
        self,
        row: Row,
        tallies: Mapping[Group, Tally],
        rows: Mapping[Group, Sequence[Row]],
        also: Iterable[int],
        now: int,
        outcome: Outcome,
    ) -> None:
        none = _NOTHING
        hits, soonest, values = self._look(
            row, now, tallies.get(Group.ACCOUNT, none), tallies.get(Group.PARTY, none), tallies.get(Group.PAIR, none)
        )
        if self._circumstances:
            _, other, _ = self._holding(row, now, none, none, none)
            also = (*also, other)
        instants = [instant for instant in (soonest, *also) if instant]
        if instants:
            outcome.soonest[self._subject, row[0]] = min(instants)
        if not hits:
            return
        ranks = {place: self._on[place][1].rule.severity.rank for place in hits if place < len(self._on)}
        for place in hits:
            which, rank = self._worse.get(place, (-1, 0))
            if which in ranks:
                ranks[which] = max(ranks[which], rank)
        told = iter(values)
        for which, (rule, compiled_rule) in enumerate(self._on):
            # Values are there for every rule, in order, whether it holds or not.
            facts = [
                self._names[node][1](rows[node.group], now) if isinstance(node, Names) else next(told)
                for _, node in compiled_rule.facts
                if which in ranks or not isinstance(node, Names)
            ]
            if which in ranks:
                text = facts_text(
                    [name for name, _ in compiled_rule.facts], [node.type for _, node in compiled_rule.facts], facts
                )
                outcome.found.append(Found(rule, self._subject, row[0], ranks[which], text))
