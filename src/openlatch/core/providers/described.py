"""A provider that is described: how its answers become accounts, parties and entries, and what is sent to end one.

A description names lists that are asked for by HTTP, rules by which their lines become what a reading shows, and acts.
Nothing in it is a program: a value is a path into a line (RFC 9535), a text, or a few paths put together, so that what
it costs is bounded by what the provider sends.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from enum import StrEnum
from typing import Any, Literal, Protocol, TypeVar, runtime_checkable
from urllib.parse import parse_qsl, quote_plus
from zoneinfo import ZoneInfo

import uritemplate
from jsonpath_rfc9535 import JSONPathEnvironment

from openlatch.core.limits import Limits
from openlatch.core.powers import in_order
from openlatch.core.providers.observation import (
    ObservedAccount,
    ObservedActivity,
    ObservedEntry,
    ObservedMembership,
    ObservedParty,
)
from openlatch.core.providers.ports import Answer, Change, Found, Gift, Hindrance
from openlatch.words import Kind, PartyKind, PartyStatus, Power, Side, State

__all__ = [
    "Act",
    "Described",
    "Fault",
    "Finding",
    "Joined",
    "Listing",
    "Made",
    "Path",
    "Rule",
    "Sent",
    "Triable",
    "Trial",
    "Value",
    "When",
    "acts_on",
    "answered",
    "changed",
    "cursor_in",
    "ended",
    "found_in",
    "given",
    "gives",
    "gives_until",
    "joined",
    "lines_in",
    "made",
    "member_set",
    "request_of",
    "searched",
]

Line = dict[str, Any]
W = TypeVar("W", bound=StrEnum)
U = TypeVar("U")
OF = "of"
"""What the line of the outer list is called in the lines of a list that is asked for each of them."""
_PATHS = JSONPathEnvironment()
_MEMBERS = re.compile(r"\$((?:\.[A-Za-z_]\w*)*)")
_SLOT = re.compile(r"\{([a-z][a-z0-9_]*)(:number)?\}")
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
        return frozenset(uritemplate.variables(self.url)) | frozenset(_slots(self.body))


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


@dataclass(frozen=True, slots=True)
class Trial:
    """What a description makes of what a provider answers, and what would be sent; nothing is kept of it."""

    title: str
    made: Made
    ends: Mapping[str, Sent]
    """by entry, the request that would end it"""
    asked: tuple[str, ...]
    """the requests by which it was read"""

    @property
    def unknown(self) -> tuple[str, ...]:
        """The levels of which the description does not say what they allow."""
        return tuple(sorted({entry.level for entry in self.made.entries if entry.powers is None and entry.level}))


@runtime_checkable
class Triable(Protocol):
    """A connector that can be tried before it is used."""

    def trial(self, answers: Mapping[str, Any] | None = None) -> Trial:
        """Read once, or with `answers` only what was recorded, and say what comes of it; changes nothing."""


@dataclass(slots=True)
class Made:
    """What lines have become, and what is to be said about them."""

    accounts: dict[str, ObservedAccount] = field(default_factory=dict)
    parties: dict[str, ObservedParty] = field(default_factory=dict)
    entries: list[ObservedEntry] = field(default_factory=list)
    memberships: list[ObservedMembership] = field(default_factory=list)
    activity: list[ObservedActivity] = field(default_factory=list)
    unexplained: dict[str, int] = field(default_factory=dict)
    """by list, how many of its lines are no entry by any rule, where the list has one"""


# Asking for lists


def request_of(listing: Listing, outer: Line | None, *, pages: int, lines: int, cursor: str = "") -> str:
    """Return the address of the next page of a list, relative to the provider's, after so many pages and lines."""
    ways: dict[str, dict[str, Any]] = {
        "page": {"page": listing.first + pages},
        "offset": {"offset": lines},
        "cursor": {"cursor": cursor} if cursor else {},
    }
    said = {"size": listing.size, **ways.get(listing.paging, {})}
    known = {listing.called.get(name, name): value for name, value in said.items()}
    if outer is not None:
        known |= {name: _needed(value, outer, listing.part, name) for name, value in listing.given.items()}
    return str(uritemplate.expand(listing.url, known))


def lines_in(listing: Listing, document: Any, outer: Line | None) -> list[Line]:
    """Return the lines of an answer; each knows the line for which it was asked."""
    holds = listing.items.container
    found: Any = listing.items.find(document) if holds is None else holds.first(document)
    # A list that is not where it was is not an empty one: all that it held would be taken as gone.
    if not isinstance(found, dict if listing.name_as else list):
        raise Fault(listing.part, f"there is no {'object' if listing.name_as else 'list'} at {holds}")
    if listing.item_as:
        found = _wrapped(listing.item_as, found)
    if listing.name_as:
        found = _named(listing.name_as, found)
    strange = next((place for place, value in enumerate(found, 1) if not isinstance(value, dict)), None)
    if strange is not None:
        kind = type(found[strange - 1]).__name__
        raise Fault(listing.part, f"item {strange} is no object (but {_KINDS.get(kind, kind)})")
    return [value if outer is None else {**value, OF: outer} for value in found]


def _wrapped(name: str, found: Any) -> Any:
    """Items that are a text or a number, each as a line that says it; whatever else they are stays as it is."""
    plain = (str, int, float)
    if isinstance(found, dict):
        return {key: {name: item} if isinstance(item, plain) else item for key, item in found.items()}
    return [{name: item} if isinstance(item, plain) else item for item in found]


def _named(name: str, found: dict[str, Any]) -> list[Any]:
    """The members of an object, each with its own name as a part of it."""
    return [{**item, name: key} if isinstance(item, dict) else item for key, item in found.items()]


def cursor_in(listing: Listing, document: Any) -> str:
    """Return the cursor of the page after an answer; empty if it is the last one."""
    found = listing.following.first(document) if listing.following else None
    if found is not None and not isinstance(found, str | int):
        raise Fault(listing.part, f"the cursor is {_KINDS.get(type(found).__name__, type(found).__name__)}")
    return "" if found is None else str(found)


_KINDS = {
    "str": "a text",
    "int": "a number",
    "float": "a number",
    "bool": "yes or no",
    "NoneType": "null",
    "list": "a list",
}


def joined(listing: Listing, lines: Sequence[Line], others: Mapping[str, Sequence[Line]]) -> list[Line]:
    """Return lines with those of other lists that belong to them; one that is not found is left out."""
    if not listing.joins:
        return list(lines)
    indexes = [(join, _index(join, others[join.listing], listing.part)) for join in listing.joins]
    together = []
    for line in lines:
        more = {join.name: index[key] for join, index in indexes if (key := _text(join.mine, line)) in index}
        together.append({**line, **more})
    return together


def _index(join: Joined, lines: Sequence[Line], part: str) -> dict[str, Line]:
    index: dict[str, Line] = {}
    for line in lines:
        key = _text(join.theirs, line)
        if key in index and key:
            raise Fault(part, f"“{join.listing}” has two lines with {key!r}, so that it is not clear which one belongs")
        index[key] = line
    return index


# From lines to what a reading shows


def made(described: Described, lines: Mapping[str, Sequence[Line]]) -> Made:
    """Return what the lines of all lists become; raises Fault at the first that does not fit."""
    result = Made()
    for rule in described.rules:
        add = _MAKERS[rule.makes](result, described, _Reader(rule))
        for line in lines[rule.listing]:
            if not rule.when or _applies(rule, line):
                add(line)
    for name in dict.fromkeys(rule.listing for rule in described.rules if rule.makes == "entry"):
        rules = [rule for rule in described.rules if rule.makes == "entry" and rule.listing == name]
        if all(rule.when for rule in rules):
            left = sum(not any(_applies(rule, line) for rule in rules) for line in lines[name])
            if left:
                result.unexplained[name] = left
    return result


def _applies(rule: Rule, line: Line) -> bool:
    return all((_text(when.value, line) in when.texts) is when.holds for when in rule.when)


def _accounts(result: Made, _described: Described, value: _Reader) -> Callable[[Line], None]:
    def add(line: Line) -> None:
        key = value.needed("key", line)
        result.accounts[key] = ObservedAccount(key, value.text("name", line) or key)

    return add


def _memberships(result: Made, _described: Described, value: _Reader) -> Callable[[Line], None]:
    def add(line: Line) -> None:
        team, member = value.needed("team", line), value.needed("member", line)
        result.memberships.append(ObservedMembership(team, member, value.at("since", line)))

    return add


def _parties(result: Made, _described: Described, value: _Reader) -> Callable[[Line], None]:
    kind = value.words("kind", PartyKind, PartyKind.PERSON)
    status = value.words("status", PartyStatus, PartyStatus.UNKNOWN)

    def add(line: Line) -> None:
        key = value.needed("key", line)
        party = ObservedParty(
            key,
            kind(line),
            value.text("name", line) or key,
            tuple(dict.fromkeys(value.all("addresses", line))),
            status(line),
            verified=value.text("verified", line) == "true",
            publisher=value.text("publisher", line),
            home=value.text("home", line),
            sponsor=value.text("sponsor", line),
        )
        known = result.parties.setdefault(key, party)
        if known is not party and known != party:
            result.parties[key] = _more_of(known, party)

    return add


def _more_of(known: ObservedParty, other: ObservedParty) -> ObservedParty:
    """Return a party that several lines show: the first that says something counts."""
    return ObservedParty(
        known.key,
        known.kind,
        known.name if known.name != known.key else other.name,
        tuple(dict.fromkeys((*known.addresses, *other.addresses))),
        known.status if known.status is not PartyStatus.UNKNOWN else other.status,
        verified=known.verified or other.verified,
        publisher=known.publisher or other.publisher,
        home=known.home or other.home,
        sponsor=known.sponsor or other.sponsor,
    )


def _entries(result: Made, described: Described, value: _Reader) -> Callable[[Line], None]:
    levels = {level: in_order(powers) for level, powers in described.levels.items()}
    fields = value.rule.values.keys()
    # What is not taken up yet is so until the service shows it otherwise.
    usual = State.OFFERED if value.rule.kind is Kind.OFFER else State.LIVE
    state = value.words("state", State, usual, but=set(State) - {usual, State.PAUSED})
    readers: dict[str, Callable[[str, Line], Any]] = {
        **dict.fromkeys(("given_at", "accepted_at", "last_used", "ends_at"), value.at),
        "reviewed_at": value.ats,
        **dict.fromkeys(("given_by", "basis", "device", "network"), value.text),
        **dict.fromkeys(("permissions", "resources"), lambda name, line: tuple(value.all(name, line))),
        "state": lambda _name, line: state(line),
    }
    more = [
        (name, read) for name, read in readers.items() if name in fields or (name == "state" and usual != State.LIVE)
    ]
    kind = value.rule.kind
    known: dict[str, Any] = {"use_known": "last_used" in fields, "end_unknown": "ends_at" not in fields}

    def add(line: Line) -> None:
        level = value.text("level", line)
        entry = ObservedEntry(
            value.key(line),
            value.needed("account", line),
            value.needed("party", line),
            kind,
            level,
            levels.get(level),
            **known,
            **{name: read(name, line) for name, read in more},
        )
        result.entries.append(entry)

    return add


def _activity(result: Made, _described: Described, value: _Reader) -> Callable[[Line], None]:
    power = value.words("power", Power, None)
    named: dict[frozenset[tuple[str, str]], str | None] = {}
    for entry in result.entries if value.rule.key else ():
        parts = _parts(entry.key)
        # Of two with the same parts, nobody could say which one was used.
        named[parts] = None if parts in named else entry.key

    def add(line: Line) -> None:
        at = value.at("at", line)
        if at is None:
            raise Fault(value.rule.part, "`at` has no value")
        key, account, party = (value.needed(name, line) for name in ("key", "account", "party"))
        used = named.get(_parts(value.key(line))) if value.rule.key else None
        doing = ObservedActivity(key, at, account, party, entry=used, power=power(line), what=value.text("what", line))
        result.activity.append(doing)

    return add


_MAKERS: Mapping[str, Callable[[Made, Described, _Reader], Callable[[Line], None]]] = {
    "account": _accounts,
    "party": _parties,
    "entry": _entries,
    "membership": _memberships,
    "activity": _activity,
}


class _Reader:
    """The values of lines by a rule."""

    def __init__(self, rule: Rule) -> None:
        self.rule = rule
        self._first = {name: values[0] for name, values in rule.values.items()}

    def text(self, name: str, line: Line) -> str:
        value = self._first.get(name)
        return "" if value is None else _text(value, line)

    def needed(self, name: str, line: Line) -> str:
        value = self._first.get(name)
        if value is None:
            raise Fault(self.rule.part, f"`{name}` is not described")
        return _needed(value, line, self.rule.part, name)

    def words(self, name: str, kind: type[W], usual: U, *, but: Collection[W] = ()) -> Callable[[Line], W | U]:
        """A function that reads one of some words."""
        value = self._first.get(name)
        known = {str(word): word for word in kind if word not in but}
        if value is None:
            return lambda _line: usual

        def read(line: Line) -> W | U:
            text = _text(value, line)
            if text and text not in known:
                said = f"`{name}` is {text!r}, which is none of {', '.join(known)}: give a table"
                raise Fault(self.rule.part, said)
            return known[text] if text else usual

        return read

    def all(self, name: str, line: Line) -> list[str]:
        values = self.rule.values.get(name, ())
        return [text for value in values for text in _texts(value, line) if text]

    def at(self, name: str, line: Line) -> datetime | None:
        value = self._first.get(name)
        text = "" if value is None else _text(value, line)
        if value is None or not text:
            return None
        try:
            return _instant(value, text)
        except (ValueError, OverflowError) as error:
            how = value.form or "instant"
            raise Fault(self.rule.part, f"`{name}` is {text!r}, which cannot be read as {how}") from error

    def ats(self, name: str, line: Line) -> tuple[datetime, ...]:
        """All instants that a value finds."""
        value = self._first.get(name)
        found = [] if value is None else [text for text in _texts(value, line) if text]
        try:
            return tuple(_instant(value, text) for text in found) if value is not None else ()
        except (ValueError, OverflowError) as error:
            raise Fault(self.rule.part, f"`{name}` has {found!r}, which cannot be read as instants") from error

    def key(self, line: Line) -> str:
        """The key of an entry, from which its parts can be had again."""
        parts = [
            f"{name}={_quoted(_needed(value, line, self.rule.part, f'key.{name}'))}"
            for name, value in self.rule.key.items()
        ]
        return f"{self.rule.name}:{'&'.join(parts)}"


def _parts(entry: str) -> frozenset[tuple[str, str]]:
    """The parts of the key of an entry, whichever rule has made it."""
    return frozenset(parse_qsl(entry.partition(":")[2], keep_blank_values=True))


def _quoted(text: str) -> str:
    return text if text.isascii() and text.isalnum() else quote_plus(text)


def _instant(value: Value, text: str) -> datetime:
    if value.form in EPOCH:
        return datetime.fromtimestamp(float(text) / EPOCH[value.form], UTC)
    if value.form in ("day", "last-day"):
        # A last day is over when the next one begins, in the zone that is meant.
        day = date.fromisoformat(text) + timedelta(days=value.form == "last-day")
        return datetime.combine(day, time(), ZoneInfo(value.zone)).astimezone(UTC)
    found = datetime.fromisoformat(text)
    return (
        found
        if found.tzinfo is UTC
        else (found if found.tzinfo else found.replace(tzinfo=ZoneInfo(value.zone))).astimezone(UTC)
    )


def _needed(value: Value, line: Line, part: str, name: str) -> str:
    if value.only is not None and value.plain:
        found = value.only.first(line)
        if type(found) is str and found:
            return found
    for path in value.paths:
        found = path.first(line)
        if type(found) is not str and type(found) is not int:
            kind = type(path.find(line)[0]).__name__ if path.find(line) else None
            said = "is not there" if kind is None else f"is {_KINDS.get(kind, kind)}"
            raise Fault(part, f"`{name}` ({path}) {said}, and has to be a text or a whole number")
    text = _text(value, line)
    if not text:
        raise Fault(part, f"`{name}` has no value")
    return text


def _text(value: Value, line: Line) -> str:
    """A value as one text; what a path does not find is empty."""
    if value.only is not None:
        found = value.only.first(line)
        text = found if type(found) is str else _plain(found)
    else:
        text = "".join([piece if isinstance(piece, str) else _plain(piece.first(line)) for piece in value.parts])
    return text if value.plain else _converted(value, text)


def _texts(value: Value, line: Line) -> Iterator[str]:
    """All that a value finds, each by itself: of one path every place it leads to, and what is in a list there."""
    if value.only is None:
        yield _text(value, line)
        return
    for found in value.only.find(line):
        several = found if isinstance(found, list) else [found]
        yield from (_converted(value, _plain(each)) for each in several)


def _converted(value: Value, text: str) -> str:
    text = text.lower() if value.form == "lower" else text
    if value.table:
        return value.table.get(text, value.otherwise)
    return text or value.otherwise


def _plain(found: Any) -> str:
    if isinstance(found, str):
        return found
    if isinstance(found, bool):
        return "true" if found else "false"
    return str(found) if isinstance(found, int | float) else ""


# Changing an entry


def acts_on(described: Described, do: str) -> frozenset[Kind]:
    """Return the kinds of entry for which an act is described: for each rule of the kind, or it is none."""
    able = {act.of for act in described.acts if act.do == do}
    rules = [rule for rule in described.rules if rule.makes == "entry"]
    return frozenset(
        kind for kind in {rule.kind for rule in rules} if all(rule.name in able for rule in rules if rule.kind is kind)
    )


def ended(described: Described, entry: str, party: str) -> tuple[Act, Sent] | None:
    """Return the request that ends an entry, and the act that it is; None where none is described."""
    return _asked(described, "end", entry, {"party": party})


def changed(described: Described, entry: str, party: str, change: Change) -> list[tuple[Act, Sent]] | None:
    """Return the requests that make a change, in their order; None where one of them is not described."""
    wanted: list[tuple[str, dict[str, Any]]] = []
    if change.level:
        wanted.append(("level", {"level": change.level}))
    if change.paused is not None:
        wanted.append(("pause" if change.paused else "resume", {}))
    if change.ends_at is not None or "end" in change.lifts:
        wanted.append(("date", {"until": change.ends_at}))
    asked = [_asked(described, do, entry, {"party": party, **more}) for do, more in wanted]
    whole = change.resources is None and change.hours is None and set(change.lifts) <= {"end"}
    found = [one for one in asked if one is not None]
    return found if whole and found and len(found) == len(asked) else None


def gives(described: Described) -> frozenset[Kind]:
    """Return the kinds of entry that a party can be given."""
    return frozenset(rule.kind for rule in described.rules if rule.makes == "entry" and _act(described, "give", rule))


def gives_until(described: Described) -> frozenset[Kind]:
    """Return the kinds of entry that a party can be given with an end."""
    rules = [rule for rule in described.rules if rule.makes == "entry"]
    acts = [(rule.kind, _act(described, "give", rule)) for rule in rules]
    return frozenset(kind for kind, act in acts if act is not None and "until" in act.names)


def searched(finding: Finding, text: str) -> str:
    """Return the address that finds somebody, relative to the provider's."""
    return str(uritemplate.expand(finding.url, {"who": text}))


def found_in(finding: Finding, document: Any) -> Found:
    """Return whom an answer names, and what keeps them from being let in."""
    line = document if isinstance(document, dict) else {}
    listed = finding.hindrances.first(line) if finding.hindrances else None
    if listed is not None and not (isinstance(listed, list) and all(isinstance(one, dict) for one in listed)):
        raise Fault(finding.part, f"{finding.hindrances} is no list of objects")
    hindrances = tuple(
        Hindrance(_needed(finding.hindrance, one, finding.part, "hindrance"), _text(finding.reason, one))
        for one in listed or ()
    )
    return Found(_text(finding.key, line), _text(finding.name, line) if finding.name else "", hindrances)


def given(described: Described, party: str, gift: Gift) -> tuple[Act, Sent] | None:
    """Return the request that gives a party access; None where none is described that could say all of it."""
    rules = [rule for rule in described.rules if rule.makes == "entry" and rule.kind is gift.kind]
    act = next((act for rule in rules if (act := _act(described, "give", rule))), None)
    said = {"level": gift.level, "until": gift.ends_at}
    unsaid = gift.permissions or gift.resources or gift.hours is not None
    if act is None or unsaid or any(value and name not in act.names for name, value in said.items()):
        return None
    return act, _sent(act, {"party": party, "account": gift.account, **said})


def member_set(described: Described, team: str, member: str, *, belongs: bool) -> tuple[Act, Sent] | None:
    """Return the request that has a party be in a team, or not; None where none is described."""
    rules = [rule for rule in described.rules if rule.makes == "membership"]
    act = next((act for rule in rules if (act := _act(described, "join" if belongs else "leave", rule))), None)
    return None if act is None else (act, _sent(act, {"team": team, "member": member}))


def _act(described: Described, do: str, rule: Rule) -> Act | None:
    return next((act for act in described.acts if act.do == do and act.of == rule.name), None)


def _asked(described: Described, do: str, entry: str, more: Mapping[str, Any]) -> tuple[Act, Sent] | None:
    rule = described.rule_of(entry)
    act = _act(described, do, rule) if rule else None
    if act is None:
        return None
    return act, _sent(act, {**more, **dict(parse_qsl(entry.partition(":")[2], keep_blank_values=True))})


def _sent(act: Act, known: Mapping[str, Any]) -> Sent:
    """The request of an act, with what is known in the places of its slots."""
    values = dict(known)
    if values.get("level"):
        values["level"] = act.level_as.get(values["level"], values["level"])
    if "until" in values:
        values["until"] = _until(act, values["until"])
    return Sent(act.method, str(uritemplate.expand(act.url, values)), _filled(act.body, values))


def _until(act: Act, at: datetime | None) -> str | int:
    """The end of an access as the request wants it; empty for none."""
    if at is None:
        return ""
    if act.until_as in EPOCH:
        return int(at.timestamp() * EPOCH[act.until_as])
    if act.until_as == "instant":
        return at.astimezone(UTC).isoformat()
    # An end in the middle of a day is one at its beginning: nobody is let in for longer than was meant.
    day = at.astimezone(ZoneInfo(act.zone)).date() - timedelta(days=act.until_as == "last-day")
    return day.isoformat()


def _slots(body: Any) -> Iterator[str]:
    """The names that stand in a body."""
    if isinstance(body, str):
        yield from (found[1] for found in _SLOT.finditer(body))
    for each in body.values() if isinstance(body, Mapping) else body if isinstance(body, list) else ():
        yield from _slots(each)


def _filled(body: Any, known: Mapping[str, Any]) -> Any:
    """A body with what is known in the places of its slots; a text that is one slot alone and empty is null.

    One that is to be a number is one, where it can be.
    """
    if isinstance(body, Mapping):
        return {name: _filled(value, known) for name, value in body.items()}
    if isinstance(body, list):
        return [_filled(value, known) for value in body]
    if not isinstance(body, str):
        return body
    whole = _SLOT.fullmatch(body)
    if whole:
        value = known.get(whole[1])
        if whole[2] and isinstance(value, str) and re.fullmatch(r"-?\d{1,18}", value, re.ASCII):
            return int(value)
        return None if value == "" else value
    return _SLOT.sub(lambda slot: str(known.get(slot[1], "")), body)


def answered(act: Act, status: int, document: Any) -> Answer | str | None:
    """Return what an answer means: that it is done, why it is refused, or None where the description says nothing."""
    words = " ".join(_plain(act.says.first(document)).split())[:200] if act.says and document else ""
    said = f"{act.method} was answered with {status}" + (f": “{words}”" if words else "")
    if status in act.gone:
        return Answer(said, already=True)
    if status in act.done or status in act.later:
        return Answer(said, later=status in act.later)
    return said if status in act.refused else None
