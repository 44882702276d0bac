"""The typed tree of a condition: what both compilers work on, so that a condition has one meaning.

Whether something holds is true, false, or not known; a value can be absent. Instants and lengths of time are whole
microseconds, instants since 1970. There are no fractions, and sums are short, so that nothing overflows 64 bits.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, fields
from enum import StrEnum

from openlatch.words import Power

__all__ = [
    "All",
    "Among",
    "Any",
    "Column",
    "Constant",
    "Count",
    "Either",
    "Element",
    "First",
    "Greatest",
    "Group",
    "Has",
    "Holds",
    "Known",
    "Least",
    "Names",
    "Node",
    "Not",
    "Only",
    "Same",
    "Sign",
    "Size",
    "Some",
    "Sum",
    "Text",
    "Type",
    "When",
    "inside",
    "is_condition",
    "maybe",
    "moments",
    "outside_groups",
]


class Type(StrEnum):
    """What a value can be, as errors call it."""

    BOOL = "true or false"
    INT = "a number"
    STRING = "a text"
    TIME = "an instant"
    DURATION = "a length of time"
    STRINGS = "a list of texts"
    POWERS = "a list of powers"


class Group(StrEnum):
    """Entries looked at together: all that stand on an account, all that a party holds, or alike ones of both."""

    ACCOUNT = "account"
    PARTY = "party"
    PAIR = "pair"


@dataclass(frozen=True, slots=True)
class Constant:
    """A value that is the same for everything."""

    type: Type
    value: bool | int | str


@dataclass(frozen=True, slots=True)
class Column:
    """A fact of the row that is looked at; `maybe` if it can be absent."""

    type: Type
    name: str
    maybe: bool = False


@dataclass(frozen=True, slots=True)
class Element:
    """The text of a list that is being looked at, inside `Any`."""

    type: Type = Type.STRING


@dataclass(frozen=True, slots=True)
class First:
    """The first of these values that is not absent."""

    type: Type
    nodes: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class Least:
    """The least of these values, the absent ones left out."""

    type: Type
    nodes: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class Greatest:
    """The greatest of these values, the absent ones left out."""

    type: Type
    nodes: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class When:
    """A value where something holds, absent elsewhere."""

    type: Type
    condition: Node
    value: Node


@dataclass(frozen=True, slots=True)
class Sum:
    """Multiples of values, of `now`, and a constant; absent if one of the values is."""

    type: Type
    terms: tuple[tuple[int, Node], ...]
    now: int
    constant: int


@dataclass(frozen=True, slots=True)
class Size:
    """How many texts a list has."""

    of: Node
    type: Type = Type.INT


@dataclass(frozen=True, slots=True)
class Count:
    """How many entries of a group a condition holds for; not known while it is not known for one of them.

    With `different` it is how many different values that column has among those for which it definitely holds.
    """

    group: Group
    condition: Node
    different: str = ""
    type: Type = Type.INT


@dataclass(frozen=True, slots=True)
class Some:
    """A condition holds for one entry of a group at least; true though it is not known for others."""

    group: Group
    condition: Node
    type: Type = Type.BOOL


@dataclass(frozen=True, slots=True)
class Names:
    """The texts of a column among the entries of a group for which a condition definitely holds: for facts only."""

    group: Group
    condition: Node
    column: Column
    type: Type = Type.STRINGS


@dataclass(frozen=True, slots=True)
class Sign:
    """How a sum compares with 0: `op` is one of <, <=, ==, !=, >=, >."""

    op: str
    sum: Sum
    type: Type = Type.BOOL


@dataclass(frozen=True, slots=True)
class Among:
    """A text, or true or false, is one of these."""

    value: Node
    values: tuple[str | bool, ...]
    type: Type = Type.BOOL


@dataclass(frozen=True, slots=True)
class Same:
    """Two texts are equal."""

    left: Node
    right: Node
    type: Type = Type.BOOL


@dataclass(frozen=True, slots=True)
class Text:
    """How a text begins (`startsWith`), ends (`endsWith`), or what it contains (`contains`)."""

    op: str
    value: Node
    part: str
    type: Type = Type.BOOL


@dataclass(frozen=True, slots=True)
class Only:
    """Those of the powers in a list that are among these."""

    powers: Node
    among: tuple[Power, ...]
    type: Type = Type.POWERS


@dataclass(frozen=True, slots=True)
class Has:
    """A list of powers has one of them in it."""

    powers: Node
    power: Power
    type: Type = Type.BOOL


@dataclass(frozen=True, slots=True)
class Holds:
    """A list of texts has one of them in it."""

    list: Node
    value: str
    type: Type = Type.BOOL


@dataclass(frozen=True, slots=True)
class Any:
    """A condition holds for one of a list's texts; in it `Element` stands for the text."""

    list: Node
    condition: Node
    type: Type = Type.BOOL


@dataclass(frozen=True, slots=True)
class Known:
    """A value is not absent."""

    value: Node
    type: Type = Type.BOOL


@dataclass(frozen=True, slots=True)
class Not:
    """The contrary; not known where the condition is not."""

    condition: Node
    type: Type = Type.BOOL


@dataclass(frozen=True, slots=True)
class All:
    """Every one holds; false as soon as one is false, though others are not known."""

    nodes: tuple[Node, ...]
    type: Type = Type.BOOL


@dataclass(frozen=True, slots=True)
class Either:
    """One of them holds at least; true as soon as one is true, though others are not known."""

    nodes: tuple[Node, ...]
    type: Type = Type.BOOL


Node = (
    Constant
    | Column
    | Element
    | First
    | Greatest
    | Least
    | When
    | Sum
    | Size
    | Some
    | Count
    | Names
    | Sign
    | Among
    | Same
    | Text
    | Has
    | Holds
    | Any
    | Known
    | Not
    | Only
    | All
    | Either
)


def inside(node: Node) -> Iterator[Node]:
    """Yield a node and everything in it, the conditions over groups among it."""
    yield node
    for part in _parts(node):
        yield from inside(part)


def _parts(node: Node) -> Iterator[Node]:
    for field in fields(node):
        value = getattr(node, field.name)
        for each_value in value if isinstance(value, tuple) else (value,):
            part = each_value[1] if isinstance(each_value, tuple) else each_value
            if isinstance(part, Node):
                yield part


def outside_groups(node: Node) -> Iterator[Node]:
    """Yield a node and everything in it, except what is asked of each entry of a group."""
    yield node
    if not isinstance(node, Count | Some | Names):
        for part in _parts(node):
            yield from outside_groups(part)


def is_condition(node: Node) -> bool:
    """Whether a node is worked out as true, false or not known, rather than kept in a column."""
    return node.type is Type.BOOL and not isinstance(node, Column | First | Least | Greatest | When)


def maybe(node: Node) -> bool:
    """Whether a value can be absent."""
    return node.maybe if isinstance(node, Column) else not isinstance(node, Constant | Size | Element | Only)


def moments(nodes: Iterable[Node]) -> tuple[Sum, ...]:
    """Return the instants at which comparisons with now in these nodes change, the conditions over groups left out."""
    document = dict[Sum, None]()
    for node in nodes:
        for group in outside_groups(node):
            if isinstance(group, Sign) and group.sum.now:
                # now * x + rest = 0 where x is 1 or -1.
                turned = tuple((-group.sum.now * times, value) for times, value in group.sum.terms)
                document[Sum(Type.TIME, turned, 0, -group.sum.now * group.sum.constant)] = None
    return tuple(document)
