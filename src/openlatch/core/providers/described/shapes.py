"""What a description consists of: lists, rules, values and acts."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, Literal, TypeVar

import uritemplate
from jsonpath_rfc9535 import JSONPathEnvironment

from openlatch.core.limits import Limits
from openlatch.words import Kind, Power, Side

__all__ = [
    "EPOCH",
    "OF",
    "SLOT",
    "Act",
    "Described",
    "Fault",
    "Finding",
    "Joined",
    "Line",
    "Listing",
    "Path",
    "Rule",
    "Sent",
    "U",
    "Value",
    "W",
    "When",
    "slots",
]


Line = dict[str, Any]
W = TypeVar("W", bound=StrEnum)
U = TypeVar("U")
OF = "of"
"""What the line of the outer list is called in the lines of a list that is asked for each of them."""
_PATHS = JSONPathEnvironment()
_MEMBERS = re.compile(r"\$((?:\.[A-Za-z_]\w*)*)")
SLOT = re.compile(r"\{([a-z][a-z0-9_]*)(:number)?\}")
EPOCH = {"epoch": 1, "epoch-ms": 1000}


class Fault(Exception):
    """What a provider sent does not fit the description: which part of it, by its line, and what was wrong."""

    def __init__(self, part: str, problem: str) -> None:
        super().__init__(f"{part}: {problem}")
        self.part = part
        self.problem = problem


class Path:
    """A path into a line. Most lead from member to member, and are followed without asking anybody."""

    __slots__ = ("_members", "_query", "first", "text")

    def __init__(self, text: str) -> None:
        self.text = text
        self._query = _PATHS.compile(text)
        plain = _MEMBERS.fullmatch(text)
        self._members = tuple(plain[1].split(".")[1:]) if plain else None
        self.first: Callable[[Any], Any] = self._searched if self._members is None else _followed(self._members)
        """returns the first value that it leads to; None if there is none"""

    def __str__(self) -> str:
        return self.text

    def find(self, document: Any) -> list[Any]:
        """Return all values that it leads to."""
        if self._members is None:
            return [node.value for node in self._query.find(document)]
        for member in self._members:
            if not isinstance(document, dict) or member not in document:
                return []
            document = document[member]
        return [document]

    def _searched(self, document: Any) -> Any:
        return next((node.value for node in self._query.find(document)), None)

    @property
    def container(self) -> Path | None:
        """What holds the lines of which this is the path, if it is one of those: without that nothing is known."""
        ends = next((end for end in ("[*]", ".*") if self.text.endswith(end)), None)
        return None if ends is None else Path(self.text.removesuffix(ends))


def _followed(members: tuple[str, ...]) -> Callable[[Any], Any]:
    """A function that goes from member to member."""
    if len(members) == 1:
        only = members[0]
        return lambda document: document.get(only) if isinstance(document, dict) else None

    if not members:
        return lambda document: document
    *outer, last = members

    def first(document: Any) -> Any:
        for member in outer:
            if not isinstance(document, dict):
                return None
            document = document.get(member)
        return document.get(last) if isinstance(document, dict) else None

    return first


@dataclass(frozen=True, slots=True)
class Value:
    """A value of a line: paths and texts, put together."""

    parts: tuple[Path | str, ...]
    form: Literal["", "instant", "epoch", "epoch-ms", "day", "last-day", "lower"] = ""
    table: Mapping[str, str] = field(default_factory=dict)
    otherwise: str = ""
    zone: str = "UTC"
    paths: tuple[Path, ...] = field(init=False)
    """those of its parts that are paths"""
    only: Path | None = field(init=False)
    """the path that it is, if it is nothing else"""
    plain: bool = field(init=False)
    """whether it is the text that is found, just so"""

    def __post_init__(self) -> None:
        paths = tuple(part for part in self.parts if isinstance(part, Path))
        object.__setattr__(self, "paths", paths)
        object.__setattr__(self, "only", paths[0] if len(paths) == len(self.parts) == 1 else None)
        object.__setattr__(self, "plain", not self.table and not self.otherwise and self.form != "lower")


@dataclass(frozen=True, slots=True)
class When:
    """A condition on a line: a value of it is one of some texts."""

    value: Value
    texts: frozenset[str]
    holds: bool = True
    """False where it is to be none of them"""


@dataclass(frozen=True, slots=True)
class Joined:
    """The line of another list that belongs to a line: that in which `theirs` is the same as `mine`."""

    listing: str
    mine: Value
    theirs: Value
    name: str


@dataclass(frozen=True, slots=True)
class Listing:
    """A list that the provider answers, perhaps page by page, perhaps once for each line of another one."""

    name: str
    part: str
    """where it stands in the description, in words"""
    url: str
    items: Path
    paging: Literal["none", "page", "offset", "cursor", "link"] = "none"
    first: int = 1
    size: int = 100
    following: Path | None = None
    each: str = ""
    given: Mapping[str, Value] = field(default_factory=dict)
    joins: tuple[Joined, ...] = ()
    name_as: str = ""
    """where its lines are the members of an object: what the name of each is called in the line"""
    called: Mapping[str, str] = field(default_factory=dict)
    """what page, offset, cursor and size are called in its address, where that is something else"""
    item_as: str = ""
    """where its items are texts or numbers: what each is called in the line that it becomes"""


@dataclass(frozen=True, slots=True)
class Rule:
    """How lines of a list become something: `makes` says what, `values` its fields, `key` the names of its parts."""

    makes: Literal["account", "party", "entry", "membership", "activity"]
    part: str
    name: str
    listing: str
    values: Mapping[str, tuple[Value, ...]]
    """by field: one, or several where a field is a list"""
    key: Mapping[str, Value] = field(default_factory=dict)
    kind: Kind = Kind.DELEGATE
    when: tuple[When, ...] = ()


@dataclass(frozen=True, slots=True)
class Act:
    """A request that changes an entry, and what the answers mean, by their statuses."""

    do: Literal["end", "level", "pause", "resume", "date", "give", "join", "leave"]
    part: str
    of: str
    """the rule whose entries it is for, or whose memberships"""
    method: Literal["POST", "PUT", "PATCH", "DELETE"]
    url: str
    body: Any = None
    done: frozenset[int] = frozenset({200, 204})
    gone: frozenset[int] = frozenset()
    later: frozenset[int] = frozenset()
    refused: frozenset[int] = frozenset()
    says: Path | None = None
    level_as: Mapping[str, str | int] = field(default_factory=dict)
    """what levels are called in the request, where that is not their own name"""
    until_as: Literal["instant", "epoch", "epoch-ms", "day", "last-day"] = "instant"
    zone: str = "UTC"
    """of a day"""

    @property
    def names(self) -> frozenset[str]:
        """What it says in its address or its body."""
        return frozenset(uritemplate.variables(self.url)) | frozenset(slots(self.body))


@dataclass(frozen=True, slots=True)
class Finding:
    """A request that finds somebody, and how its answer is read."""

    part: str
    url: str
    key: Value
    name: Value | None
    nobody: frozenset[int]
    hindrances: Path | None
    hindrance: Value
    reason: Value


@dataclass(frozen=True, slots=True)
class Described:
    """A whole description."""

    lists: tuple[Listing, ...]
    rules: tuple[Rule, ...]
    acts: tuple[Act, ...] = ()
    levels: Mapping[str, tuple[Power, ...]] = field(default_factory=dict)
    finding: Finding | None = None
    limits: Limits = field(default_factory=Limits)
    again_by: Side = Side.HOLDER

    def rule_of(self, entry: str) -> Rule | None:
        """Return the rule that made an entry, by the entry's key."""
        name = entry.partition(":")[0]
        return next((rule for rule in self.rules if rule.makes == "entry" and rule.name == name), None)


@dataclass(frozen=True, slots=True)
class Sent:
    """A request that is to be sent; `url` is relative to the provider's address."""

    method: str
    url: str
    body: Any = None


def slots(body: Any) -> Iterator[str]:
    """Yield the names that stand in a body."""
    if isinstance(body, str):
        yield from (found[1] for found in SLOT.finditer(body))
    for each in body.values() if isinstance(body, Mapping) else body if isinstance(body, list) else ():
        yield from slots(each)
