"""A provider that is described: how its answers become accounts, parties and entries, and what is sent to end one.

A description names lists that are asked for by HTTP, rules by which their lines become what a reading shows, and acts.
Nothing in it is a program: a value is a path into a line (RFC 9535), a text, or a few paths put together, so that what
it costs is bounded by what the provider sends.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from typing import Any, Literal, Protocol, runtime_checkable
from urllib.parse import parse_qsl, urlencode
from zoneinfo import ZoneInfo

import uritemplate
from jsonpath_rfc9535 import JSONPathEnvironment

from openlatch.core.powers import in_order
from openlatch.core.providers.observation import (
    ObservedAccount,
    ObservedActivity,
    ObservedEntry,
    ObservedMembership,
    ObservedParty,
)
from openlatch.core.providers.ports import Answer, Change
from openlatch.words import Kind, PartyKind, PartyStatus, Power, State

__all__ = [
    "Act",
    "Described",
    "Fault",
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
    "joined",
    "lines_in",
    "made",
    "request_of",
]

Line = dict[str, Any]
OF = "of"
"""What the line of the outer list is called in the lines of a list that is asked for each of them."""
_PATHS = JSONPathEnvironment()
_MEMBERS = re.compile(r"\$((?:\.[A-Za-z_]\w*)*)")
_SLOT = re.compile(r"\{([a-z][a-z0-9_]*)\}")
EPOCH = {"epoch": 1, "epoch-ms": 1000}


class Fault(Exception):
    """What a provider sent does not fit the description: which part of it, by its line, and what was wrong."""

    def __init__(self, part: str, problem: str) -> None:
        super().__init__(f"{part}: {problem}")
        self.part = part
        self.problem = problem


class Path:
    """A path into a line. Most lead from member to member, and are followed without asking anybody."""

    __slots__ = ("_members", "_query", "text")

    def __init__(self, text: str) -> None:
        self.text = text
        self._query = _PATHS.compile(text)
        plain = _MEMBERS.fullmatch(text)
        self._members = plain[1].split(".")[1:] if plain else None

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

    @property
    def container(self) -> Path | None:
        """What holds the list of whose items this is the path, if it is one of those: without that nothing is known."""
        return Path(self.text.removesuffix("[*]")) if self.text.endswith("[*]") else None

    def first(self, document: Any) -> Any:
        """Return the first value that it leads to; None if there is none."""
        return next(iter(self.find(document)), None)


@dataclass(frozen=True, slots=True)
class Value:
    """A value of a line: paths and texts, put together."""

    parts: tuple[Path | str, ...]
    form: Literal["", "instant", "epoch", "epoch-ms", "day", "last-day", "lower"] = ""
    table: Mapping[str, str] = field(default_factory=dict)
    otherwise: str = ""
    zone: str = "UTC"


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

    do: Literal["end", "level", "pause", "resume", "date"]
    part: str
    of: str
    """the rule whose entries it is for"""
    method: Literal["POST", "PUT", "PATCH", "DELETE"]
    url: str
    body: Any = None
    done: frozenset[int] = frozenset({200, 204})
    gone: frozenset[int] = frozenset()
    later: frozenset[int] = frozenset()
    refused: frozenset[int] = frozenset()
    says: Path | None = None


@dataclass(frozen=True, slots=True)
class Described:
    """A whole description."""

    lists: tuple[Listing, ...]
    rules: tuple[Rule, ...]
    acts: tuple[Act, ...] = ()
    levels: Mapping[str, tuple[Power, ...]] = field(default_factory=dict)

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
    known: dict[str, Any] = {"size": listing.size}
    if listing.paging == "page":
        known["page"] = listing.first + pages
    elif listing.paging == "offset":
        known["offset"] = lines
    elif listing.paging == "cursor" and cursor:
        known["cursor"] = cursor
    if outer is not None:
        known |= {name: _needed(value, outer, listing.part, name) for name, value in listing.given.items()}
    return str(uritemplate.expand(listing.url, known))


def lines_in(listing: Listing, document: Any, outer: Line | None) -> list[Line]:
    """Return the lines of an answer; each knows the line for which it was asked."""
    holds = listing.items.container
    # A list that is not where it was is not an empty one: all that it held would be taken as gone.
    if holds is not None and not isinstance(holds.first(document), list):
        raise Fault(listing.part, f"there is no list at {holds}")
    found = listing.items.find(document)
    strange = next((place for place, value in enumerate(found, 1) if not isinstance(value, dict)), None)
    if strange is not None:
        kind = type(found[strange - 1]).__name__
        raise Fault(listing.part, f"item {strange} is no object (but {_KINDS.get(kind, kind)})")
    return [value if outer is None else {**value, OF: outer} for value in found]


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
        for line in lines[rule.listing]:
            if _applies(rule, line):
                _add(result, described, rule, line)
    for name in dict.fromkeys(rule.listing for rule in described.rules if rule.makes == "entry"):
        rules = [rule for rule in described.rules if rule.makes == "entry" and rule.listing == name]
        left = sum(not any(_applies(rule, line) for rule in rules) for line in lines[name])
        if left:
            result.unexplained[name] = left
    return result


def _applies(rule: Rule, line: Line) -> bool:
    return all((_text(when.value, line) in when.texts) is when.holds for when in rule.when)


def _add(result: Made, described: Described, rule: Rule, line: Line) -> None:
    value = _Line(rule, line)
    if rule.makes == "account":
        key = value.needed("key")
        result.accounts[key] = ObservedAccount(key, value.text("name") or key)
    elif rule.makes == "party":
        party = _party(value)
        known = result.parties.get(party.key)
        result.parties[party.key] = party if known is None else _more_of(known, party)
    elif rule.makes == "membership":
        result.memberships.append(ObservedMembership(value.needed("team"), value.needed("member"), value.at("since")))
    elif rule.makes == "activity":
        result.activity.append(_activity(value))
    else:
        result.entries.append(_entry(value, described))


def _party(value: _Line) -> ObservedParty:
    return ObservedParty(
        value.needed("key"),
        PartyKind(value.word("kind", PartyKind.PERSON, list(PartyKind))),
        value.text("name") or value.needed("key"),
        tuple(dict.fromkeys(value.all("addresses"))),
        PartyStatus(value.word("status", PartyStatus.UNKNOWN, list(PartyStatus))),
        publisher=value.text("publisher"),
        home=value.text("home"),
    )


def _more_of(known: ObservedParty, other: ObservedParty) -> ObservedParty:
    """Return a party that several lines show: the first that says something counts."""
    return ObservedParty(
        known.key,
        known.kind,
        known.name if known.name != known.key else other.name,
        tuple(dict.fromkeys((*known.addresses, *other.addresses))),
        known.status if known.status is not PartyStatus.UNKNOWN else other.status,
        publisher=known.publisher or other.publisher,
        home=known.home or other.home,
    )


def _entry(value: _Line, described: Described) -> ObservedEntry:
    level = value.text("level")
    ends = value.at("ends_at")
    return ObservedEntry(
        key=f"{value.rule.name}:{value.key()}",
        account=value.needed("account"),
        party=value.needed("party"),
        kind=value.rule.kind,
        level=level,
        powers=in_order(described.levels[level]) if level in described.levels else None,
        state=State(value.word("state", State.LIVE, [State.LIVE, State.PAUSED])),
        permissions=tuple(value.all("permissions")),
        resources=tuple(value.all("resources")),
        given_at=value.at("given_at"),
        given_by=value.text("given_by"),
        last_used=value.at("last_used"),
        use_known="last_used" in value.rule.values,
        ends_at=ends,
        end_unknown="ends_at" not in value.rule.values,
        basis=value.text("basis"),
        device=value.text("device"),
        network=value.text("network"),
    )


def _activity(value: _Line) -> ObservedActivity:
    at = value.at("at")
    if at is None:
        raise Fault(value.rule.part, "`at` has no value")
    return ObservedActivity(
        value.needed("key"), at, value.needed("account"), value.needed("party"), what=value.text("what")
    )


class _Line:
    """The values of one line by a rule."""

    def __init__(self, rule: Rule, line: Line) -> None:
        self.rule = rule
        self._line = line

    def text(self, name: str) -> str:
        values = self.rule.values.get(name)
        return _text(values[0], self._line) if values else ""

    def needed(self, name: str) -> str:
        values = self.rule.values.get(name)
        if not values:
            raise Fault(self.rule.part, f"`{name}` is not described")
        return _needed(values[0], self._line, self.rule.part, name)

    def word(self, name: str, usual: str, words: Sequence[str]) -> str:
        text = self.text(name) or usual
        if text not in words:
            raise Fault(self.rule.part, f"`{name}` is {text!r}, which is none of {', '.join(words)}: give a table")
        return text

    def all(self, name: str) -> list[str]:
        values = self.rule.values.get(name, ())
        return [text for value in values for text in _texts(value, self._line) if text]

    def at(self, name: str) -> datetime | None:
        values = self.rule.values.get(name)
        if not values:
            return None
        text = _text(values[0], self._line)
        try:
            return _instant(values[0], text) if text else None
        except (ValueError, OverflowError) as error:
            how = values[0].form or "instant"
            raise Fault(self.rule.part, f"`{name}` is {text!r}, which cannot be read as {how}") from error

    def key(self) -> str:
        """The key of an entry, from which its parts can be had again."""
        parts = {
            name: _needed(value, self._line, self.rule.part, f"key.{name}") for name, value in self.rule.key.items()
        }
        return urlencode(parts)


def _instant(value: Value, text: str) -> datetime:
    if value.form in EPOCH:
        return datetime.fromtimestamp(float(text) / EPOCH[value.form], UTC)
    if value.form in ("day", "last-day"):
        # A last day is over when the next one begins, in the zone that is meant.
        day = date.fromisoformat(text) + timedelta(days=value.form == "last-day")
        return datetime.combine(day, time(), ZoneInfo(value.zone)).astimezone(UTC)
    found = datetime.fromisoformat(text)
    return (found if found.tzinfo else found.replace(tzinfo=ZoneInfo(value.zone))).astimezone(UTC)


def _needed(value: Value, line: Line, part: str, name: str) -> str:
    for piece in value.parts:
        if not isinstance(piece, str):
            found = piece.find(line)
            kind = None if not found else type(found[0]).__name__
            if kind not in ("str", "int"):
                said = "is not there" if kind is None else f"is {_KINDS.get(kind, kind)}"
                raise Fault(part, f"`{name}` ({piece}) {said}, and has to be a text or a whole number")
    text = _text(value, line)
    if not text:
        raise Fault(part, f"`{name}` has no value")
    return text


def _text(value: Value, line: Line) -> str:
    """A value as one text; what a path does not find is empty."""
    pieces = [piece if isinstance(piece, str) else _plain(piece.first(line)) for piece in value.parts]
    return _converted(value, "".join(pieces))


def _texts(value: Value, line: Line) -> Iterator[str]:
    """All that a value finds, each by itself: of one path every place it leads to, and what is in a list there."""
    if len(value.parts) > 1 or isinstance(value.parts[0], str):
        yield _text(value, line)
        return
    for found in value.parts[0].find(line):
        several = found if isinstance(found, list) else [found]
        yield from (_converted(value, _plain(each)) for each in several)


def _converted(value: Value, text: str) -> str:
    text = text.lower() if value.form == "lower" else text
    if value.table:
        return value.table.get(text, value.otherwise)
    return text or value.otherwise


def _plain(found: Any) -> str:
    if isinstance(found, bool):
        return "true" if found else "false"
    return str(found) if isinstance(found, str | int | float) else ""


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
    wanted: list[tuple[str, dict[str, str]]] = []
    if change.level:
        wanted.append(("level", {"level": change.level}))
    if change.paused is not None:
        wanted.append(("pause" if change.paused else "resume", {}))
    if change.ends_at is not None or "end" in change.lifts:
        wanted.append(("date", {"until": change.ends_at.astimezone(UTC).isoformat() if change.ends_at else ""}))
    asked = [_asked(described, do, entry, {"party": party, **more}) for do, more in wanted]
    whole = change.resources is None and change.hours is None and set(change.lifts) <= {"end"}
    found = [one for one in asked if one is not None]
    return found if whole and found and len(found) == len(asked) else None


def _asked(described: Described, do: str, entry: str, more: Mapping[str, str]) -> tuple[Act, Sent] | None:
    rule = described.rule_of(entry)
    act = next((act for act in described.acts if rule and act.do == do and act.of == rule.name), None)
    if act is None:
        return None
    known: dict[str, Any] = {**more, **dict(parse_qsl(entry.partition(":")[2], keep_blank_values=True))}
    return act, Sent(act.method, str(uritemplate.expand(act.url, known)), _filled(act.body, known))


def _filled(body: Any, known: Mapping[str, str]) -> Any:
    """A body with what is known in the places of its slots; a text that is one slot alone and empty is null."""
    if isinstance(body, Mapping):
        return {name: _filled(value, known) for name, value in body.items()}
    if isinstance(body, list):
        return [_filled(value, known) for value in body]
    if not isinstance(body, str):
        return body
    whole = _SLOT.fullmatch(body)
    if whole:
        return known.get(whole[1]) or None
    return _SLOT.sub(lambda slot: known.get(slot[1], ""), body)


def answered(act: Act, status: int, document: Any) -> Answer | str | None:
    """Return what an answer means: that it is done, why it is refused, or None where the description says nothing."""
    words = " ".join(_plain(act.says.first(document)).split())[:200] if act.says and document else ""
    said = f"{act.method} was answered with {status}" + (f": “{words}”" if words else "")
    if status in act.gone:
        return Answer(said, already=True)
    if status in act.done or status in act.later:
        return Answer(said, later=status in act.later)
    return said if status in act.refused else None
