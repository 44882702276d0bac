"""One change at a time: conditions as generated Python over plain rows, for the few entries that a change concerns.

A row is a tuple of column values, in the order of `columns`. Every condition is written twice, once as what makes it
true and once as what makes it false; where neither holds it is not known.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any as Whatever

from openlatch.core.rules.catalogue import BITS, mask
from openlatch.core.rules.tree import (
    All,
    Among,
    Any,
    Column,
    Constant,
    Count,
    Either,
    Element,
    First,
    Greatest,
    Group,
    Has,
    Holds,
    Known,
    Least,
    Names,
    Node,
    Not,
    Only,
    Same,
    Sign,
    Size,
    Some,
    Sum,
    Text,
    When,
    inside,
    is_condition,
    maybe,
    moments,
)

__all__ = ["MOST_NAMES", "Row", "Tally", "compile_names", "compile_rows", "compile_tally", "tallied"]

Row = tuple[Whatever, ...]
Tally = tuple[int, ...]
"""Of a group of entries: how many there are, then for each condition for how many it is true, and false."""

MOST_NAMES = 20
"""A fact lists so many names at most, the first in order."""
_NEGATED = {"<": ">=", "<=": ">", "==": "!=", "!=": "==", ">=": "<", ">": "<="}
_METHODS = {"startsWith": "startswith", "endsWith": "endswith"}


def tallied(nodes: Iterable[Node], group: Group) -> tuple[Count | Some, ...]:
    """Return what has to be counted over a group of entries so that these nodes can be evaluated."""
    document = dict[Count | Some, None]()
    for node in nodes:
        document |= dict.fromkeys(n for n in inside(node) if isinstance(n, Count | Some) and n.group is group)
    return tuple(document)


class _Writer:
    """Writes one function; what is worked out in a line of its own is worked out once."""

    def __init__(self, columns: Sequence[str], counted: Mapping[Group, Sequence[Count | Some]]) -> None:
        self._at = {name: place for place, name in enumerate(columns)}
        self._counted = counted
        self._constants: dict[str, Whatever] = {}
        self._named: dict[Node, str] = {}
        self.lines: list[str] = []

    @property
    def constants(self) -> Mapping[str, Whatever]:
        return self._constants

    def constant(self, value: Whatever) -> str:
        """A value under a name, so that no text of a policy ever becomes part of the source."""
        name = f"k{len(self._constants)}"
        self._constants[name] = value
        return name

    def true(self, node: Node) -> str:
        match node:
            case Constant(_, value):
                return str(bool(value))
            case Column():
                return f"({self.value(node)} is True)"
            case Not(inner):
                return self.false(inner)
            case All(nodes):
                return f"({' and '.join(self.true(n) for n in nodes)})"
            case Either(nodes):
                return f"({' or '.join(self.true(n) for n in nodes)})"
            case Some():
                return f"({self._tally(node, 0)} > 0)"
        return self._atom(node, negated=False)

    def false(self, node: Node) -> str:
        match node:
            case Constant(_, value):
                return str(not value)
            case Column():
                return f"({self.value(node)} is False)"
            case Not(inner):
                return self.true(inner)
            case All(nodes):
                return f"({' or '.join(self.false(n) for n in nodes)})"
            case Either(nodes):
                return f"({' and '.join(self.false(n) for n in nodes)})"
            case Some(group):
                return f"({self._tally(node, 1)} == {group.value}[0])"
        return self._atom(node, negated=True)

    def _atom(self, node: Node, *, negated: bool) -> str:
        """What makes a condition that has no conditions in it true, or false."""
        no = "not " if negated else ""
        match node:
            case Sign(op, total):
                known, plain = self._total(total)
                return f"({known}{plain} {_NEGATED[op] if negated else op} 0)"
            case Among(value, values):
                text = self.value(value)
                return f"({text} is not None and {text} {no}in {self.constant(frozenset(values))})"
            case Same(left, right):
                each_text, other = self.value(left), self.value(right)
                sign = "!=" if negated else "=="
                return f"({each_text} is not None and {other} is not None and {each_text} {sign} {other})"
            case Text(op, value, part):
                text, known = self.value(value), self.constant(part)
                tested = f"{known} in {text}" if op == "contains" else f"{text}.{_METHODS[op]}({known})"
                return f"({text} is not None and {no}({tested}))"
            case Has(powers, power):
                return f"({self.value(powers)} & {BITS[power]} {'==' if negated else '!='} 0)"
            case Holds(held, value):
                return f"({self.constant(value)} {no}in {self.value(held)})"
            case Any(held, condition):
                every = "all" if negated else "any"
                inner = self.false(condition) if negated else self.true(condition)
                return f"{every}({inner} for x in {self.value(held)})"
            case Known(value):
                inner = self.true(value) + " or " + self.false(value) if is_condition(value) else ""
                tested = inner or f"{self.value(value)} is not None"
                return f"({no}({tested}))"
        raise AssertionError(node)

    def _total(self, total: Sum) -> tuple[str, str]:
        """Under which condition a sum is known, and the sum."""
        parts, known = [], []
        for times, node in total.terms:
            value = self.value(node)
            if maybe(node):
                known.append(f"{value} is not None and ")
            parts.append(value if times == 1 else f"{times} * {value}")
        if total.now:
            parts.append(f"{total.now} * now")
        parts.append(str(total.constant))
        return "".join(known), f"({' + '.join(parts)})"

    def value(self, node: Node) -> str:
        """The source of a value: a name, or a place of the row; None where it is absent."""
        match node:
            case Column(_, name):
                return f"r[{self._at[name]}]"
            case Element():
                return "x"
        if node not in self._named:
            source = self._worked_out(node)
            self._named[node] = f"v{len(self._named)}"
            self.lines.append(f"{self._named[node]} = {source}")
        return self._named[node]

    def _worked_out(self, node: Node) -> str:
        match node:
            case Constant(_, value):
                return self.constant(value)
            case First(_, nodes):
                names = [self.value(n) for n in nodes]
                return "".join(f"{name} if {name} is not None else " for name in names[:-1]) + names[-1]
            case Least(_, nodes) | Greatest(_, nodes):
                pick = "min" if isinstance(node, Least) else "max"
                values = ", ".join(self.value(n) for n in nodes)
                return f"{pick}((v for v in ({values},) if v is not None), default=None)"
            case When(_, condition, value):
                return f"{self.value(value)} if {self.true(condition)} else None"
            case Size(of):
                return f"len({self.value(of)})"
            case Only(powers, among):
                return f"{self.value(powers)} & {mask(among)}"
            case Sum():
                known, plain = self._total(node)
                return f"{plain} if {known}True else None"
            case Count(group, _, different):
                place = self._counted[group].index(node)
                name = group.value
                true, false = 1 + 2 * place, 2 + 2 * place
                if different:
                    # The number of different values stands in the place of the number of entries; see compile_tally.
                    return f"{name}[{true}] if {name}[{false}] == 0 else None"
                return f"{name}[{true}] if {name}[{true}] + {name}[{false}] == {name}[0] else None"
        if is_condition(node):
            return f"True if {self.true(node)} else False if {self.false(node)} else None"
        raise AssertionError(node)

    def _tally(self, node: Count | Some, which: int) -> str:
        return f"{node.group.value}[{1 + which + 2 * self._counted[node.group].index(node)}]"


def compile_rows(
    columns: Sequence[str],
    counted: Mapping[Group, Sequence[Count | Some]],
    conditions: Sequence[Node],
    values: Sequence[Node] = (),
) -> Callable[[Row, int, Tally, Tally, Tally], tuple[list[int], int, tuple[Whatever, ...]]]:
    """Return a function of a row, now, and the tallies of its account, its party and both.

    It gives the places of the conditions that are true, the next instant at which time alone could change one (0 if
    never), and the values.
    """
    writer = _Writer(columns, counted)
    hits = [f"if {writer.true(node)}: hits.append({place})" for place, node in enumerate(conditions)]
    soonest = [writer.value(moment) for moment in moments(conditions)]
    wanted = ", ".join(writer.value(node) for node in values)
    body = [
        *writer.lines,
        "hits = []; soonest = 0",
        *hits,
        *_next(soonest),
        f"return hits, soonest, ({wanted}{',' if wanted else ''})",
    ]
    return _made("row", "r, now, account, party, pair", body, writer.constants)


def compile_tally(
    columns: Sequence[str], counted: Sequence[Count | Some]
) -> Callable[[Sequence[Row], int], tuple[Tally, int]]:
    """Return a function of the rows of a group and now, that gives the group's tally and its next instant (0: never).

    Where different values are counted, their number is given, and for how many entries the condition is not known.
    """
    writer = _Writer(columns, {})
    steps = []
    for place, node in enumerate(counted):
        true, false = writer.true(node.condition), writer.false(node.condition)
        if isinstance(node, Count) and node.different:
            column = writer.value(Column(node.type, node.different))
            steps += [f"if {true}: s{place}.add({column})", f"elif not {false}: f{place} += 1"]
        else:
            steps += [f"if {true}: t{place} += 1", f"elif {false}: f{place} += 1"]
    soonest = [writer.value(moment) for moment in moments(node.condition for node in counted)]
    start = [f"t{place} = f{place} = 0; s{place} = set()" for place in range(len(counted))]
    loop = ["for r in rows:", *(f"    {line}" for line in [*writer.lines, *steps, *_next(soonest)])]
    places = ", ".join(
        f"len(s{p}), f{p}" if isinstance(n, Count) and n.different else f"t{p}, f{p}" for p, n in enumerate(counted)
    )
    body = [*start, "soonest = 0", *(loop if steps else []), f"return (len(rows), {places}), soonest"]
    return _made("tally", "rows, now", body, writer.constants)


def compile_names(columns: Sequence[str], fact: Names) -> Callable[[Sequence[Row], int], tuple[str, ...]]:
    """Return a function of the rows of a group and now, that gives the names a fact lists, in order."""
    writer = _Writer(columns, {})
    true, name = writer.true(fact.condition), writer.value(fact.column)
    loop = ["for r in rows:", *(f"    {line}" for line in [*writer.lines, f"if {true}: found.add({name})"])]
    body = ["found = set()", *loop, f"return tuple(sorted(found - {{None}})[:{MOST_NAMES}])"]
    return _made("names", "rows, now", body, writer.constants)


def _next(instants: Sequence[str]) -> list[str]:
    """Lines that find the soonest instant after now; a comparison with now itself can change just after it."""
    lines = []
    for instant in instants:
        lines += [
            f"if {instant} is not None and {instant} >= now:",
            f"    m = {instant} if {instant} > now else now + 1",
            "    if soonest == 0 or m < soonest: soonest = m",
        ]
    return lines


def _made(name: str, arguments: str, body: Sequence[str], constants: Mapping[str, Whatever]) -> Callable[..., Whatever]:
    source = "\n".join([f"def {name}({arguments}):", *(f"    {line}" for line in body)])
    space: dict[str, Whatever] = dict(constants)
    exec(compile(source, f"<{name} of a policy>", "exec"), space)  # noqa: S102 - written by us; texts are constants
    return space[name]  # type: ignore[no-any-return]
