"""From what a provider answers to what a reading shows: lines, and what the rules make of them."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Protocol, runtime_checkable
from urllib.parse import parse_qsl, quote_plus

import uritemplate

from openlatch.core.powers import in_order
from openlatch.core.providers.described.shapes import (
    OF,
    Described,
    Fault,
    Joined,
    Line,
    Listing,
    Rule,
    Sent,
    U,
    W,
)
from openlatch.core.providers.described.values import KINDS, instant, needed, text_of, texts_of
from openlatch.core.providers.observation import (
    ObservedAccount,
    ObservedActivity,
    ObservedEntry,
    ObservedMembership,
    ObservedParty,
)
from openlatch.words import Kind, PartyKind, PartyStatus, Power, State

__all__ = ["Made", "Triable", "Trial", "cursor_in", "joined", "lines_in", "made", "request_of"]


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
        known |= {name: needed(value, outer, listing.part, name) for name, value in listing.given.items()}
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
        raise Fault(listing.part, f"item {strange} is no object (but {KINDS.get(kind, kind)})")
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
        raise Fault(listing.part, f"the cursor is {KINDS.get(type(found).__name__, type(found).__name__)}")
    return "" if found is None else str(found)


def joined(listing: Listing, lines: Sequence[Line], others: Mapping[str, Sequence[Line]]) -> list[Line]:
    """Return lines with those of other lists that belong to them; one that is not found is left out."""
    if not listing.joins:
        return list(lines)
    indexes = [(join, _index(join, others[join.listing], listing.part)) for join in listing.joins]
    together = []
    for line in lines:
        more = {join.name: index[key] for join, index in indexes if (key := text_of(join.mine, line)) in index}
        together.append({**line, **more})
    return together


def _index(join: Joined, lines: Sequence[Line], part: str) -> dict[str, Line]:
    index: dict[str, Line] = {}
    for line in lines:
        key = text_of(join.theirs, line)
        if key in index and key:
            raise Fault(part, f"“{join.listing}” has two lines with {key!r}, so that it is not clear which one belongs")
        index[key] = line
    return index


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
    return all((text_of(when.value, line) in when.texts) is when.holds for when in rule.when)


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
        return "" if value is None else text_of(value, line)

    def needed(self, name: str, line: Line) -> str:
        value = self._first.get(name)
        if value is None:
            raise Fault(self.rule.part, f"`{name}` is not described")
        return needed(value, line, self.rule.part, name)

    def words(self, name: str, kind: type[W], usual: U, *, but: Collection[W] = ()) -> Callable[[Line], W | U]:
        """A function that reads one of some words."""
        value = self._first.get(name)
        known = {str(word): word for word in kind if word not in but}
        if value is None:
            return lambda _line: usual

        def read(line: Line) -> W | U:
            text = text_of(value, line)
            if text and text not in known:
                said = f"`{name}` is {text!r}, which is none of {', '.join(known)}: give a table"
                raise Fault(self.rule.part, said)
            return known[text] if text else usual

        return read

    def all(self, name: str, line: Line) -> list[str]:
        values = self.rule.values.get(name, ())
        return [text for value in values for text in texts_of(value, line) if text]

    def at(self, name: str, line: Line) -> datetime | None:
        value = self._first.get(name)
        text = "" if value is None else text_of(value, line)
        if value is None or not text:
            return None
        try:
            return instant(value, text)
        except (ValueError, OverflowError) as error:
            how = value.form or "instant"
            raise Fault(self.rule.part, f"`{name}` is {text!r}, which cannot be read as {how}") from error

    def ats(self, name: str, line: Line) -> tuple[datetime, ...]:
        """All instants that a value finds."""
        value = self._first.get(name)
        found = [] if value is None else [text for text in texts_of(value, line) if text]
        try:
            return tuple(instant(value, text) for text in found) if value is not None else ()
        except (ValueError, OverflowError) as error:
            raise Fault(self.rule.part, f"`{name}` has {found!r}, which cannot be read as instants") from error

    def key(self, line: Line) -> str:
        """The key of an entry, from which its parts can be had again."""
        parts = [
            f"{name}={_quoted(needed(value, line, self.rule.part, f'key.{name}'))}"
            for name, value in self.rule.key.items()
        ]
        return f"{self.rule.name}:{'&'.join(parts)}"


def _parts(entry: str) -> frozenset[tuple[str, str]]:
    """The parts of the key of an entry, whichever rule has made it."""
    return frozenset(parse_qsl(entry.partition(":")[2], keep_blank_values=True))


def _quoted(text: str) -> str:
    return text if text.isascii() and text.isalnum() else quote_plus(text)
