"""From syntax to the typed tree: every name is looked up, every type is checked, every list is bounded.

A condition is refused with the place where it goes wrong, what is expected there, and the nearest name that there is.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import islice

from openlatch.core.rules.catalogue import FIELDS, WORDS
from openlatch.core.rules.syntax import Call, Fault, ListOf, Literal, Name, Select, Syntax, parse
from openlatch.core.rules.tree import (
    All,
    Among,
    Any,
    Column,
    Constant,
    Count,
    Either,
    Element,
    Group,
    Has,
    Holds,
    Known,
    Names,
    Node,
    Not,
    Same,
    Sign,
    Size,
    Some,
    Sum,
    Text,
    Type,
    inside,
)
from openlatch.words import Power, Subject

__all__ = ["EPOCH", "Effort", "Limit", "condition", "fact", "micros"]

Limit = int | timedelta
"""A limit of the policy: a number, or a length of time."""

EPOCH = datetime.fromisoformat("1970-01-01T00:00:00+00:00")
LARGEST = 400
"""Parts of the largest condition, after its lists are written out."""
MOST_STEPS = 4 * LARGEST
"""So often a part of a condition is looked at while its lists are written out, which a few nested ones multiply."""
MOST_WRITTEN = 60_000
"""Characters of all conditions and facts of a policy together: ten times those of the built-in one."""
MOST_LOOKED_AT = 40_000
"""So often parts of all of them together are looked at while their lists are written out."""
WIDEST = 16
"""Terms of the longest sum."""
_YEARS = 100
_SEES: Mapping[Subject, tuple[str, ...]] = {
    Subject.ENTRY: ("entry", "account", "party", "provider"),
    Subject.ACCOUNT: ("account", "provider"),
    Subject.PARTY: ("party",),
}
_NUMERIC = (Type.INT, Type.TIME, Type.DURATION)
_MIRRORED = {"<": ">", "<=": ">=", ">": "<", ">=": "<=", "==": "==", "!=": "!="}
_DURATION = re.compile(r"(?:(\d{1,6})h)?(?:(\d{1,6})m)?(?:(\d{1,9})s)?", re.ASCII)


def micros(span: timedelta) -> int:
    """Return a length of time in whole microseconds."""
    return span // timedelta(microseconds=1)


@dataclass(slots=True)
class Effort:
    """What has been spent so far on the conditions and facts of one policy: nobody has more than so much looked at."""

    written: int = 0
    steps: int = 0

    def read(self, text: str) -> None:
        """Count a text before it is read; raises Fault once all are too much."""
        self.written += len(text)
        if self.written > MOST_WRITTEN:
            raise Fault(f"all conditions and facts together are longer than {MOST_WRITTEN:,} characters", 0, _FEWER)

    def looked_at(self, steps: int, at: int) -> None:
        """Count what a condition has come to; raises Fault once all are too much."""
        self.steps += steps
        if self.steps > MOST_LOOKED_AT:
            raise Fault("all conditions together are too long once their lists are written out", at, _FEWER)

    @property
    def spent(self) -> bool:
        """Whether nothing more is looked at."""
        return self.written > MOST_WRITTEN or self.steps > MOST_LOOKED_AT


_FEWER = "Have fewer rules, or shorter ones."


def condition(text: str, subject: Subject, limits: Mapping[str, Limit], effort: Effort | None = None) -> Node:
    """Return the typed tree of a condition on a kind of subject; raises Fault with the place of what is wrong."""
    syntax, node = _read(text, _Checker(subject, limits), effort)
    if node.type is not Type.BOOL:
        raise Fault(f"a condition is {Type.BOOL}, and this is {node.type}", syntax.at)
    return node


def fact(text: str, subject: Subject, limits: Mapping[str, Limit], effort: Effort | None = None) -> Node:
    """Return the typed tree of a fact that a flag shows; raises Fault.

    A fact stands still: it says since when, and not for how long.
    """
    syntax, node = _read(text, _Checker(subject, limits, facts=True), effort)
    if isinstance(node, Sum) and node.now:
        raise Fault(
            "a fact that a flag shows must stand still, and this changes with every day",
            syntax.at,
            "Show the instant itself.",
        )
    if node.type is Type.DURATION and isinstance(node, Sum) and node.terms:
        raise Fault("a flag shows instants, numbers and texts, and not lengths of time", syntax.at)
    return node


def _read(text: str, checker: _Checker, effort: Effort | None) -> tuple[Syntax, Node]:
    """What a text is, as it is written and as a typed tree; what that takes is counted, whatever comes of it."""
    effort = effort if effort is not None else Effort()
    effort.read(text)
    syntax = parse(text)
    try:
        node = checker.typed(syntax)
    finally:
        effort.looked_at(checker.steps, syntax.at)
    size = sum(1 for _ in islice(inside(node), LARGEST + 1))
    if size > LARGEST:
        raise Fault(
            f"it has more than {LARGEST} parts once its lists are written out",
            syntax.at,
            "Split it into several rules.",
        )
    return syntax, node


@dataclass(frozen=True, slots=True)
class _Entries:
    """The entries of an account or a party, perhaps only some of them: nothing that a condition ends with."""

    group: Group
    where: Node | None = None
    type: None = None


class _Checker:
    def __init__(self, subject: Subject, limits: Mapping[str, Limit], *, facts: bool = False) -> None:
        self._subject = subject
        self._limits = limits
        self._facts = facts
        self._entry_name = ""
        self._text_names: dict[str, Node] = {}
        self.steps = 0

    def typed(self, syntax: Syntax) -> Node:
        node = self._node(syntax)
        if isinstance(node, _Entries):
            raise Fault(
                "these are entries, and a value is expected",
                syntax.at,
                "Count them with .size(), or ask .exists(e, …).",
            )
        return node

    def _node(self, syntax: Syntax) -> Node | _Entries:
        self.steps += 1
        if self.steps > MOST_STEPS:
            raise Fault(
                f"it comes to more than {LARGEST} parts once its lists are written out, and does so here",
                syntax.at,
                "Nest fewer lists in each other, or split it into several rules.",
            )
        match syntax:
            case Literal(_, bool() as value):
                return Constant(Type.BOOL, value)
            case Literal(_, int() as value):
                return Sum(Type.INT, (), 0, value)
            case Literal(_, value):
                return Constant(Type.STRING, value)
            case Name() | Select():
                return self._named(syntax)
            case ListOf():
                raise Fault("a list can only stand on the right of in", syntax.at)
            case Call(_, name, arguments, None):
                return self._called(syntax, name, arguments)
        assert isinstance(syntax, Call)  # noqa: S101 - nothing else is left
        assert syntax.of is not None  # noqa: S101 - the others are functions
        return self._method(syntax, syntax.name, syntax.arguments, syntax.of)

    # names

    def _named(self, syntax: Name | Select) -> Node | _Entries:
        path, at = _path(syntax)
        root, _, rest = path.partition(".")
        if root == "now" and not rest:
            return Sum(Type.TIME, (), 1, 0)
        if root in self._text_names and not rest:
            return self._text_names[root]
        if root == "limits":
            return self._limit(rest, at, path)
        if self._entry_name:
            return self._of_entry(root, rest, at, path)
        if path in ("account.entries", "party.entries") and root in _SEES[self._subject]:
            return _Entries(Group(root))
        if root not in _SEES[self._subject]:
            known = [*_SEES[self._subject], "limits", "now"]
            if root in _SEES[Subject.ENTRY]:
                raise Fault(
                    f"a rule that applies to {self._subject} cannot see one {root}",
                    at,
                    f"It sees {', '.join(known)}; look at its entries with {self._subject}.entries.",
                )
            raise Fault(f"there is no “{root}”", at, _nearest(root, known))
        return self._field(path, at)

    def _of_entry(self, root: str, rest: str, at: int, path: str) -> Node:
        if root != self._entry_name:
            raise Fault(
                f"“{path}” cannot be seen here: a condition over entries looks at {self._entry_name}, limits "
                "and now only",
                at,
                f"Did you mean {self._entry_name}.{path.removeprefix('entry.')} ?",
            )
        first = rest.partition(".")[0]
        real = rest if first in ("account", "party", "provider") and "." in rest else f"entry.{rest}"
        node = self._field(real, at, shown=path)
        if any(isinstance(each_node, Count) for each_node in inside(node)):
            raise Fault(f"“{path}” is counted over entries, and cannot be used on each one", at)
        return node

    def _field(self, path: str, at: int, shown: str = "") -> Node:
        if path in FIELDS:
            node = FIELDS[path].node
            return Sum(node.type, ((1, node),), 0, 0) if node.type in _NUMERIC else node
        seen = [field for field in FIELDS if field.partition(".")[0] in _SEES[Subject.ENTRY]]
        raise Fault(f"there is no field “{shown or path}”", at, _nearest(path, seen))

    def _limit(self, name: str, at: int, path: str) -> Node:
        if name not in self._limits:
            raise Fault(f"the policy has no limit “{name}”", at, _nearest(name, list(self._limits)))
        limit = self._limits[name]
        if isinstance(limit, timedelta):
            return Sum(Type.DURATION, (), 0, micros(limit))
        return Sum(Type.INT, (), 0, limit)

    # operators and functions

    def _called(self, call: Call, name: str, arguments: tuple[Syntax, ...]) -> Node:
        match name:
            case "&&":
                return All(tuple(self._bool(argument) for argument in arguments))
            case "||":
                return Either(tuple(self._bool(argument) for argument in arguments))
            case "!_":
                return Not(self._bool(arguments[0]))
            case "-_":
                return self._added(call, Sum(Type.INT, (), 0, 0), self._numeric(arguments[0], Type.INT), -1)
            case "+" | "-":
                return self._added(
                    call, self._numeric(arguments[0]), self._numeric(arguments[1]), 1 if name == "+" else -1
                )
            case "in":
                return self._in(call, *arguments)
            case "==" | "!=" | "<" | "<=" | ">" | ">=":
                return self._compared(call, name, *arguments)
            case "has":
                return self._has(call, arguments)
            case "size":
                if len(arguments) == 1:
                    return self._size(call, arguments[0])
                raise Fault("size takes one list", call.at)
            case "duration" | "timestamp":
                return self._instant(call, name, arguments)
        raise Fault(f"there is no function “{name}”", call.at, _nearest(name, ["has", "size", "duration", "timestamp"]))

    def _method(self, call: Call, name: str, arguments: tuple[Syntax, ...], of: Syntax) -> Node | _Entries:
        if name == "size" and not arguments:
            return self._size(call, of)
        if name in ("exists", "all", "filter", "map"):
            return self._over(call, name, arguments, of)
        if name in ("startsWith", "endsWith", "contains"):
            value = self.typed(of)
            if value.type is not Type.STRING:
                raise Fault(f"{name} is asked of a text, and this is {value.type}", of.at)
            if len(arguments) == 1 and isinstance(arguments[0], Literal) and isinstance(arguments[0].value, str):
                return Text(name, value, arguments[0].value)
            raise Fault(f"{name} takes one text in quotes", call.at)
        if name == "matches":
            raise Fault(
                "matches is not offered: a pattern can take for ever", call.at, "Use startsWith, endsWith or contains."
            )
        known = ["size", "exists", "all", "filter", "startsWith", "endsWith", "contains"]
        raise Fault(f"there is no function “{name}”", call.at, _nearest(name, known))

    def _bool(self, syntax: Syntax) -> Node:
        node = self.typed(syntax)
        if node.type is not Type.BOOL:
            raise Fault(f"{Type.BOOL} is expected here, and this is {node.type}", syntax.at)
        return node

    def _numeric(self, syntax: Syntax, only: Type | None = None) -> Sum:
        node = self.typed(syntax)
        if node.type not in _NUMERIC or (only and node.type is not only):
            expected = only or "a number, an instant or a length of time"
            raise Fault(f"{expected} is expected here, and this is {node.type}", syntax.at)
        return node if isinstance(node, Sum) else Sum(node.type, ((1, node),), 0, 0)

    def _added(self, call: Call, left: Sum, right: Sum, sign: int) -> Sum:
        kinds = {
            (Type.INT, 1, Type.INT): Type.INT,
            (Type.INT, -1, Type.INT): Type.INT,
            (Type.DURATION, 1, Type.DURATION): Type.DURATION,
            (Type.DURATION, -1, Type.DURATION): Type.DURATION,
            (Type.TIME, 1, Type.DURATION): Type.TIME,
            (Type.DURATION, 1, Type.TIME): Type.TIME,
            (Type.TIME, -1, Type.DURATION): Type.TIME,
            (Type.TIME, -1, Type.TIME): Type.DURATION,
        }
        kind = kinds.get((left.type, sign, right.type))
        if kind is None:
            word = "added to" if sign > 0 else "taken from"
            raise Fault(f"{right.type} cannot be {word} {left.type}", call.at)
        terms = dict[Node, int]()
        for factor, each_sum in ((1, left), (sign, right)):
            for times, node in each_sum.terms:
                terms[node] = terms.get(node, 0) + factor * times
        if len(terms) > WIDEST or any(abs(times) > WIDEST for times in terms.values()):
            raise Fault(f"the sum has more than {WIDEST} terms", call.at)
        # A value that cancels out stays: where it is absent, so is the sum.
        return Sum(
            kind,
            tuple((times, node) for node, times in terms.items()),
            left.now + sign * right.now,
            left.constant + sign * right.constant,
        )

    def _compared(self, call: Call, op: str, left: Syntax, right: Syntax) -> Node:
        node, other = self.typed(left), self.typed(right)
        if node.type is not other.type:
            raise Fault(f"{node.type} cannot be compared with {other.type}", call.at)
        if node.type in _NUMERIC:
            difference = self._added(call, self._numeric(left), self._numeric(right), -1)
            if difference.now not in (-1, 0, 1):
                raise Fault("now counts twice in this comparison", call.at)
            return Sign(op, difference)
        if op not in ("==", "!="):
            raise Fault(f"{node.type} can be compared with == and != only", call.at)
        if node.type not in (Type.STRING, Type.BOOL):
            raise Fault(f"{node.type} cannot be compared as a whole", call.at, "Ask with in, size or exists.")
        same = self._same(node, other, left, right)
        return same if op == "==" else Not(same)

    def _same(self, node: Node, other: Node, left: Syntax, right: Syntax) -> Node:
        if isinstance(node, Constant):
            node, other, left, right = other, node, right, left
        if isinstance(other, Constant):
            if isinstance(node, Constant):
                return Constant(Type.BOOL, node.value == other.value)
            if node.type is Type.BOOL:
                return node if other.value else Not(node)
            self._one_of(left, right, other)
            return Among(node, (str(other.value),))
        if node.type is Type.BOOL:
            raise Fault(f"what is {Type.BOOL} can be compared with true and false only", left.at)
        if isinstance(node, Element) or isinstance(other, Element):
            raise Fault("a text of a list can be compared with a text in quotes only", left.at)
        return Same(node, other)

    def _one_of(self, field: Syntax, word: Syntax, constant: Constant) -> None:
        """Refuse a word that a field can never be."""
        if not isinstance(field, Select):
            return
        path = _path(field)[0]
        if self._entry_name and path.startswith(f"{self._entry_name}."):
            rest = path.partition(".")[2]
            path = rest if rest.partition(".")[0] in ("account", "party", "provider") else f"entry.{rest}"
        known = WORDS.get(path)
        if known is not None and constant.value not in known:
            raise Fault(f"{path} is never “{constant.value}”", word.at, f"It is one of: {', '.join(known)}.")

    def _in(self, call: Call, left: Syntax, right: Syntax) -> Node:
        if isinstance(right, ListOf):
            value = self.typed(left)
            if value.type is not Type.STRING:
                raise Fault(f"a text is looked for in a list of texts, and this is {value.type}", left.at)
            words = [self._quoted(item) for item in right.items]
            for item, word in zip(right.items, words, strict=True):
                self._one_of(left, item, Constant(Type.STRING, word))
            if isinstance(value, Constant):
                return Constant(Type.BOOL, value.value in words)
            return Among(value, tuple(dict.fromkeys(words)))
        held = self.typed(right)
        if held.type is Type.POWERS:
            return Has(held, self._power(left))
        if held.type is Type.STRINGS:
            return Holds(held, self._quoted(left))
        raise Fault(f"a list is expected after in, and this is {held.type}", right.at)

    def _quoted(self, syntax: Syntax) -> str:
        if isinstance(syntax, Literal) and isinstance(syntax.value, str):
            return syntax.value
        raise Fault("a text in quotes is expected here", syntax.at)

    def _power(self, syntax: Syntax) -> Power:
        if isinstance(syntax, Name) and isinstance(self._text_names.get(syntax.name), Constant):
            word = str(self._text_names[syntax.name].value)  # type: ignore[union-attr]
        else:
            word = self._quoted(syntax)
        if word not in tuple(Power):
            raise Fault(f"there is no power “{word}”", syntax.at, f"It is one of: {', '.join(Power)}.")
        return Power(word)

    def _has(self, call: Call, arguments: tuple[Syntax, ...]) -> Node:
        if len(arguments) == 1 and isinstance(arguments[0], Select):
            node = self.typed(arguments[0])
            if isinstance(node, Sum) and len(node.terms) == 1 and not node.now:
                node = node.terms[0][1]
            return Known(node)
        raise Fault("has takes the path of one field", call.at, "As in has(entry.last_used).")

    def _size(self, call: Call, of: Syntax) -> Node:
        node = self._node(of)
        if isinstance(node, _Entries):
            return self._number(Count(node.group, node.where or Constant(Type.BOOL, value=True)))
        if node.type is not Type.STRINGS:
            raise Fault(f"size is asked of a list, and this is {node.type}", of.at)
        return self._number(Size(node))

    def _number(self, node: Node) -> Sum:
        return Sum(Type.INT, ((1, node),), 0, 0)

    def _instant(self, call: Call, name: str, arguments: tuple[Syntax, ...]) -> Node:
        if len(arguments) != 1:
            raise Fault(f"{name} takes one text", call.at)
        text = self._quoted(arguments[0])
        if name == "duration":
            found = _DURATION.fullmatch(text)
            if not text or found is None:
                raise Fault(
                    f"“{text}” is not a length of time",
                    arguments[0].at,
                    "Write hours, minutes and seconds: 36h, 1h30m.",
                )
            hours, minutes, seconds = (int(group or 0) for group in found.groups())
            span = timedelta(hours=hours, minutes=minutes, seconds=seconds)
            if span > timedelta(days=366 * _YEARS):
                raise Fault(f"“{text}” is longer than {_YEARS} years", arguments[0].at)
            return Sum(Type.DURATION, (), 0, micros(span))
        try:
            at = datetime.fromisoformat(text)
        except ValueError:
            at = None
        if at is None or at.tzinfo is None or not 1900 <= at.year <= 2500:
            raise Fault(f"“{text}” is not an instant", arguments[0].at, "As in 2026-05-31T00:00:00Z.")
        return Sum(Type.TIME, (), 0, micros(at - EPOCH))

    def _over(self, call: Call, name: str, arguments: tuple[Syntax, ...], of: Syntax) -> Node | _Entries:
        if len(arguments) != 2 or not isinstance(arguments[0], Name):
            raise Fault(f"{name} takes a name and a condition on it", call.at, f'As in {name}(e, e.kind == "app").')
        inner = arguments[0].name
        if inner in (*_SEES[Subject.ENTRY], "limits", "now", *self._text_names) or inner == self._entry_name:
            raise Fault(f"“{inner}” is the name of something else already", arguments[0].at)
        held = self._node(of)
        if isinstance(held, _Entries):
            return self._over_entries(call, name, inner, arguments[1], held)
        if name in ("filter", "map"):
            raise Fault(f"{name} is asked of entries only", call.at)
        if held.type not in (Type.STRINGS, Type.POWERS):
            raise Fault(f"{name} is asked of a list, and this is {held.type}", of.at)
        if held.type is Type.POWERS:
            each = tuple(self._with_text(inner, Constant(Type.STRING, p.value), arguments[1]) for p in Power)
            if name == "exists":
                return Either(tuple(All((Has(held, p), each_node)) for p, each_node in zip(Power, each, strict=True)))
            return All(tuple(Either((Not(Has(held, p)), one)) for p, one in zip(Power, each, strict=True)))
        node = self._with_text(inner, Element(), arguments[1])
        if any(
            isinstance(each_node, Column | Count) or (isinstance(each_node, Sum) and each_node.now)
            for each_node in inside(node)
        ):
            raise Fault(f"a condition over texts looks at {inner} only", arguments[1].at)
        return Any(held, node) if name == "exists" else Not(Any(held, Not(node)))

    def _with_text(self, name: str, node: Node, syntax: Syntax) -> Node:
        self._text_names[name] = node
        the_node = self._bool(syntax)
        del self._text_names[name]
        return the_node

    def _over_entries(self, call: Call, name: str, inner: str, condition: Syntax, held: _Entries) -> Node | _Entries:
        if name == "map":
            return self._names(call, inner, condition, held)
        if held.where is not None:
            raise Fault(f"{name} cannot follow filter; join the conditions with &&", call.at)
        self._entry_name = inner
        node = self._bool(condition)
        self._entry_name = ""
        if name == "filter":
            return _Entries(held.group, node)
        return Some(held.group, node) if name == "exists" else Not(Some(held.group, Not(node)))

    def _names(self, call: Call, inner: str, syntax: Syntax, held: _Entries) -> Node:
        if not self._facts:
            raise Fault("map is for facts only", call.at, "A condition counts entries with .size().")
        self._entry_name = inner
        column = self.typed(syntax)
        self._entry_name = ""
        if not isinstance(column, Column) or column.type is not Type.STRING:
            raise Fault("a fact lists texts, such as e.party.name", syntax.at)
        return Names(held.group, held.where or Constant(Type.BOOL, value=True), column)


def _path(syntax: Syntax) -> tuple[str, int]:
    """The path that names and selections make, and where it begins."""
    names = []
    while isinstance(syntax, Select):
        names.append(syntax.name)
        syntax = syntax.of
    if not isinstance(syntax, Name):
        raise Fault("only entry, account, party, provider and limits have parts", syntax.at)
    return ".".join([syntax.name, *reversed(names)]), syntax.at


def _nearest(name: str, known: Iterable[str]) -> str:
    texts = difflib.get_close_matches(name, list(known), 1, 0.5)
    return f"Did you mean {texts[0]} ?" if texts else f"There is: {', '.join(list(known)[:12])}."
