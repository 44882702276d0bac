"""The whole inventory at once: the same conditions as expressions of a column engine.

Every condition is written twice, as what makes it true and as what makes it false, and neither is ever absent; this
gives three-valued logic at no cost. Columns of numbers have 64 bits, so that nothing overflows.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import reduce
from operator import add, and_, or_
from typing import TYPE_CHECKING

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
from openlatch.deferred import deferred

if TYPE_CHECKING:
    import polars as pl
else:
    pl = deferred("polars")

__all__ = ["KEYS", "OF", "OF_ENTRY", "Columns"]

KEYS: Mapping[Group, tuple[str, ...]] = {
    Group.ACCOUNT: ("account_id",),
    Group.PARTY: ("party_id",),
    Group.PAIR: ("account_id", "party_id", "entry_level"),
}
"""The columns by which entries are put in groups."""


OF: Mapping[Group, str] = {group: f"of:{group}" for group in Group}
"""The column of the number of an entry's group: the place of its account, of its party, or one for both and a level."""
OF_ENTRY: Mapping[str, str] = {"account_id": "of:account", "party_id": "of:party"}
"""What of an entry there is as such a number."""


class Columns:
    """Writes conditions and values as expressions, for one instant in microseconds."""

    def __init__(self, now: int, counted: Mapping[Group, Sequence[Count | Some]]) -> None:
        self._now = now
        self._counted = counted

    def true(self, node: Node) -> pl.Expr:
        """Return where a condition is true; never absent."""
        match node:
            case Constant(_, value):
                return pl.lit(bool(value))
            case Column():
                return self._surely(node, self.value(node))
            case Not(inner):
                return self.false(inner)
            case All(nodes):
                return reduce(and_, [self.true(n) for n in nodes])
            case Either(nodes):
                return reduce(or_, [self.true(n) for n in nodes])
            case Some():
                return self._tally(node, "true") > 0
            case Known(value):
                if is_condition(value):
                    return self.true(value) | self.false(value)
                return self.value(value).is_not_null()
        return self._surely(node, self._atom(node, negated=False))

    def false(self, node: Node) -> pl.Expr:
        """Return where a condition is false; never absent."""
        match node:
            case Constant(_, value):
                return pl.lit(not value)
            case Column():
                return self._surely(node, ~self.value(node))
            case Not(inner):
                return self.true(inner)
            case All(nodes):
                return reduce(or_, [self.false(n) for n in nodes])
            case Either(nodes):
                return reduce(and_, [self.false(n) for n in nodes])
            case Some(group):
                return self._tally(node, "false") == pl.col(f"{group}:entries")
            case Known():
                return ~self.true(node)
        return self._surely(node, self._atom(node, negated=True))

    def value(self, node: Node) -> pl.Expr:
        """Return a value; absent where it is not known."""
        match node:
            case Column(_, name):
                return pl.col(name)
            case Element():
                return pl.element()
            case Constant(_, value):
                return pl.lit(value)
            case First(_, nodes):
                return pl.coalesce([self.value(n) for n in nodes])
            case Least(_, nodes):
                return pl.min_horizontal([self.value(n) for n in nodes])
            case Greatest(_, nodes):
                return pl.max_horizontal([self.value(n) for n in nodes])
            case When(_, condition, value):
                return pl.when(self.true(condition)).then(self.value(value))
            case Size(of):
                return self.value(of).list.len().cast(pl.Int64)
            case Only(powers, among):
                return self.value(powers) & mask(among)
            case Sum():
                return self._total(node)
            case Count(group, _, different):
                true, false = self._tally(node, "true"), self._tally(node, "false")
                known = false == 0 if different else true + false == pl.col(f"{group}:entries")
                return pl.when(known).then(true)
        return pl.when(self.true(node)).then(pl.lit(value=True)).when(self.false(node)).then(pl.lit(value=False))

    def soonest(self, conditions: Iterable[Node]) -> pl.Expr:
        """Return the next instant at which time alone could change one of these conditions; absent if never."""
        instants = [self.value(moment) for moment in moments(conditions)]
        if not instants:
            return pl.lit(None, dtype=pl.Int64)
        now = self._now
        after = [pl.when(i >= now).then(pl.max_horizontal(i, pl.lit(now + 1))) for i in instants]
        return pl.min_horizontal(after)

    def marked(self, group: Group) -> list[pl.Expr]:
        """Return, of each entry, what is counted over a group: where it holds, where not, and when that may change."""
        marks = []
        counted = self._counted[group]
        for place, node in enumerate(counted):
            marks.append(self.true(node.condition).alias(f"{group}:{place}:true"))
            marks.append(self.false(node.condition).alias(f"{group}:{place}:false"))
            if isinstance(node, Count) and node.different and node.different not in OF_ENTRY:
                marks.append(pl.col(node.different).alias(f"{group}:{place}:value"))
        conditions = [node.condition for node in counted]
        if moments(conditions):
            marks.append(self.soonest(conditions).alias(f"{group}:soonest"))
        return marks

    def tallied(self, marks: pl.LazyFrame, group: Group) -> pl.LazyFrame:
        """Return one row for each group of marked entries, with all that is counted over it."""
        found = [pl.len().cast(pl.Int64).alias(f"{group}:entries")]
        counted = self._counted[group]
        if moments([node.condition for node in counted]):
            found.append(pl.col(f"{group}:soonest").min())
        for place, node in enumerate(counted):
            true, false = pl.col(f"{group}:{place}:true"), pl.col(f"{group}:{place}:false")
            if isinstance(node, Count) and node.different:
                value = pl.col(OF_ENTRY.get(node.different, f"{group}:{place}:value"))
                amount, rest = value.filter(true).n_unique(), (~true & ~false).sum()
            else:
                amount, rest = true.sum(), false.sum()
            found.append(amount.cast(pl.Int64).alias(f"{group}:{place}:true"))
            found.append(rest.cast(pl.Int64).alias(f"{group}:{place}:false"))
        return marks.group_by(OF[group]).agg(*found)

    def _tally(self, node: Count | Some, which: str) -> pl.Expr:
        return pl.col(f"{node.group}:{self._counted[node.group].index(node)}:{which}")

    def _atom(self, node: Node, *, negated: bool) -> pl.Expr:
        """What makes a condition that has no conditions in it true, or false; absent where it is not known."""
        match node:
            case Sign(op, total):
                plain = self._total(total)
                found = _COMPARED[op](plain)
            case Among(value, values):
                text = self.value(value)
                found = text.is_in(list(values)) if values else pl.when(text.is_not_null()).then(pl.lit(value=False))
            case Same(left, right):
                found = self.value(left) == self.value(right)
            case Text(op, value, part):
                found = _TESTED[op](self.value(value), part)
            case Has(powers, power):
                found = (self.value(powers) & BITS[power]) != 0
            case Holds(held, value):
                found = self.value(held).list.contains(value)
            case Any(held, condition):
                found = self.value(held).list.eval(self.true(condition) & pl.element().is_not_null()).list.any()
            case _:
                raise AssertionError(node)
        return ~found if negated else found

    def _total(self, total: Sum) -> pl.Expr:
        constant = total.constant + total.now * self._now
        terms = [self.value(node) if times == 1 else times * self.value(node) for times, node in total.terms]
        return reduce(add, [*terms, pl.lit(constant, dtype=pl.Int64)] if constant or not terms else terms)

    def _surely(self, node: Node, found: pl.Expr) -> pl.Expr:
        return found.fill_null(value=False) if any(maybe(each_node) for each_node in inside(node)) else found


_COMPARED: Mapping[str, Callable[[pl.Expr], pl.Expr]] = {
    "<": lambda e: e < 0,
    "<=": lambda e: e <= 0,
    "==": lambda e: e == 0,
    "!=": lambda e: e != 0,
    ">=": lambda e: e >= 0,
    ">": lambda e: e > 0,
}
_TESTED: Mapping[str, Callable[[pl.Expr, str], pl.Expr]] = {
    "startsWith": lambda e, part: e.str.starts_with(part),
    "endsWith": lambda e, part: e.str.ends_with(part),
    "contains": lambda e, part: e.str.contains(part, literal=True),
}
