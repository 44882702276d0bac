"""Reading the file that describes a provider: from its text to lists, rules and acts, with the line of each mistake."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from difflib import get_close_matches
from typing import Any, Literal
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import uritemplate
from jsonpath_rfc9535 import JSONPathError
from pydantic import BaseModel, ValidationError

from openlatch.core.limits import Limits
from openlatch.core.providers.described import Act, Described, Finding, Joined, Listing, Path, Rule, Value, When
from openlatch.core.toml_text import NotToml, parsed
from openlatch.errors import Invalid
from openlatch.wire.providers import description_file as wire
from openlatch.words import Kind, PartyKind, PartyStatus, Power, State

__all__ = ["Read", "read"]

LONGEST = 100_000
MOST_TOLD = 30
PAGING = {"none": set(), "page": {"page"}, "offset": {"offset"}, "cursor": {"cursor"}, "link": set()}
TOLD = {"party", "level", "until"}
"""What an act may name besides the parts of the entry's key."""
MEANINGS = ("gone", "later", "refused", "done")
OF_MEMBERSHIPS = {"join", "leave"}
KNOWN = {"give": {"party", "account", "level", "until"}, "join": {"team", "member"}, "leave": {"team", "member"}}
"""What an act may name that is for no entry yet."""
NEEDS = {
    "level": {"level"},
    "date": {"until"},
    "give": {"party", "account"},
    "join": {"team", "member"},
    "leave": {"team", "member"},
}
WORDS: Mapping[str, Collection[str]] = {
    "kind": list(PartyKind),
    "status": list(PartyStatus),
    "state": list(State),
    "power": list(Power),
}
APART = {"source", "when"}
"""What a rule says besides its fields."""
SEVERAL = {"addresses", "permissions", "resources"}
Makes = Literal["account", "party", "entry", "membership", "activity"]
TABLES: Mapping[str, Makes] = {
    "accounts": "account",
    "parties": "party",
    "entries": "entry",
    "memberships": "membership",
    "activity": "activity",
}


@dataclass(frozen=True, slots=True)
class Read:
    """A description that was read and checked."""

    title: str
    sign_in: wire.SignIn
    described: Described


@dataclass(slots=True)
class _Reader:
    """Puts a file together, and collects what is wrong with it."""

    text: str
    errors: list[dict[str, str]] = field(default_factory=list)

    def wrong(self, at: Sequence[str | int], problem: str, hint: str = "") -> None:
        words = ".".join(str(part) for part in at)
        self.errors.append({"at": f"line {line_of(self.text, at)}", "problem": f"{words}: {problem}", "hint": hint})

    def part(self, table: str, place: int, name: str) -> str:
        """What a part of the file is called in an error about what a provider sent."""
        return f"line {line_of(self.text, (table, place))} (the {table} of “{name}”)"

    def path(self, text: str, at: Sequence[str | int]) -> Path | None:
        try:
            return Path(text)
        except (JSONPathError, RecursionError, ValueError) as error:
            self.wrong(
                at, f"{text!r} is no path: {str(error).splitlines()[0]}", "Paths are those of RFC 9535: $.user.id"
            )
            return None

    def value(self, given: Any, at: Sequence[str | int]) -> Value:
        form = given if isinstance(given, wire.ValueForm) else wire.ValueForm(value=given)
        pieces = form.value if isinstance(form.value, list) else [form.value]
        parts = [self.path(piece, at) if piece.startswith("$") else piece for piece in pieces]
        self.zone(form.zone, at)
        words = WORDS.get(str(at[-1]), ())
        for text in (*form.table.values(), *filter(None, (form.otherwise,))):
            if words and text not in words:
                self.wrong(at, f"{text!r} is none of {', '.join(words)}", _near(text, words))
        known = tuple(part for part in parts if part is not None)
        return Value(known, form.form or "", form.table, form.otherwise, form.zone)

    def zone(self, name: str, at: Sequence[str | int]) -> None:
        try:
            ZoneInfo(name)
        except (ZoneInfoNotFoundError, ValueError):
            self.wrong(at, f"{name!r} is no time zone", "Give one such as Europe/London.")

    def values(self, given: Mapping[str, Any], at: Sequence[str | int]) -> dict[str, Value]:
        return {name: self.value(value, (*at, name)) for name, value in given.items()}

    def fields(self, form: wire.Lines, at: Sequence[str | int]) -> dict[str, tuple[Value, ...]]:
        """The values of a rule, by the names of what they become."""
        apart = APART | ({"key", "kind", "name"} if isinstance(form, wire.EntryForm) else set())
        apart |= {"entry"} if isinstance(form, wire.ActivityForm) else set()
        found = {}
        for name in type(form).model_fields.keys() - apart:
            given = getattr(form, name)
            several = given if name in SEVERAL else [given] if given is not None else []
            if several:
                found[name] = tuple(self.value(one, (*at, name)) for one in several)
        return found

    def template(self, url: str, known: Collection[str], needed: Collection[str], at: Sequence[str | int]) -> None:
        named = set(uritemplate.variables(url))
        if url.count("{") != url.count("}"):
            self.wrong(at, "a brace is not closed")
        for name in sorted(named - set(known)):
            hint = _near(name, known) or f"There are: {', '.join(sorted(known)) or 'none here'}."
            self.wrong(at, f"there is no {name!r} to put into the address", hint)
        for name in sorted(set(needed) - named):
            self.wrong(at, f"the address has no {{{name}}}, so that all pages would be the same")


def read(text: str) -> Read:
    """Return what a description says; raises Invalid with every mistake, each with its line."""
    reader = _Reader(text)
    try:
        raw = parsed(text, LONGEST)
    except NotToml as error:
        raise _refused([{"at": error.at, "problem": error.problem, "hint": ""}]) from error
    try:
        file = wire.DescriptionFile.model_validate(raw)
    except ValidationError as error:
        raise _refused(list(_misshapen(reader, error))) from error
    lists = tuple(_lists(reader, file))
    rules = tuple(_rules(reader, file, {listing.name for listing in lists}))
    acts = tuple(_acts(reader, file, rules))
    finding = _finding(reader, file.find) if file.find else None
    if reader.errors:
        raise _refused(reader.errors)
    levels = {name: tuple(powers) for name, powers in file.levels.items()}
    limits = Limits(never=frozenset(file.limits.never), opt_in=file.limits.opt_in)
    described = Described(
        lists=lists, rules=rules, acts=acts, levels=levels, finding=finding, limits=limits, again_by=file.given_again_by
    )
    return Read(file.title, file.sign_in, described)


def _finding(reader: _Reader, form: wire.FindForm) -> Finding:
    reader.template(form.url, {"who"}, (), ("find", "url"))
    if "who" not in uritemplate.variables(form.url):
        reader.wrong(("find", "url"), "the address has no {who}, so that nobody would be meant")
    return Finding(
        part=f"line {line_of(reader.text, ('find',))} (find)",
        url=form.url,
        key=reader.value(form.key, ("find", "key")),
        name=reader.value(form.name, ("find", "name")) if form.name is not None else None,
        nobody=frozenset(form.nobody),
        hindrances=reader.path(form.hindrances, ("find", "hindrances")) if form.hindrances else None,
        hindrance=reader.value(form.hindrance, ("find", "hindrance")),
        reason=reader.value(form.reason, ("find", "reason")),
    )


def _lists(reader: _Reader, file: wire.DescriptionFile) -> Iterator[Listing]:
    before: list[str] = []
    for place, form in enumerate(file.lists):
        at = ("lists", place)
        if form.name in before:
            reader.wrong((*at, "name"), f"there is a list “{form.name}” already")
        for name, other in [("each", form.each), *(("joins", join.list) for join in form.joins)]:
            if other is not None and other not in before:
                reader.wrong((*at, name), f"there is no list “{other}” before this one", _near(other, before))
        called = {str(name): word for name, word in form.called.items()}
        moves = {called.get(name, name) for name in PAGING[form.paging]}
        known = {called.get("size", "size"), *moves, *form.given}
        reader.template(form.url, known, moves, (*at, "url"))
        for name in sorted(called.keys() - PAGING[form.paging] - {"size"}):
            reader.wrong((*at, "called"), f"{name} belongs to another paging than {form.paging}")
        if (form.paging == "cursor") is not (form.next is not None):
            reader.wrong((*at, "paging"), 'the path to the next cursor belongs to paging = "cursor", and only to it')
        if bool(form.name_as) is not form.items.endswith(".*"):
            reader.wrong((*at, "items"), "the members of an object are those of a path that ends in .*, with name_as")
        if form.given and form.each is None:
            reader.wrong((*at, "with"), "it says what comes from a line of another list, and names none with `each`")
        yield Listing(
            form.name,
            reader.part("lists", place, form.name),
            form.url,
            reader.path(form.items, (*at, "items")) or Path("$"),
            paging=form.paging,
            first=form.first,
            size=form.size,
            following=reader.path(form.next, (*at, "next")) if form.next else None,
            each=form.each or "",
            given=reader.values(form.given, (*at, "with")),
            joins=tuple(
                Joined(
                    join.list,
                    reader.value(join.mine, (*at, "joins", "mine")),
                    reader.value(join.theirs, (*at, "joins", "theirs")),
                    join.name,
                )
                for join in form.joins
            ),
            called=called,
            name_as=form.name_as or "",
            item_as=form.item_as or "",
        )
        before.append(form.name)


def _rules(reader: _Reader, file: wire.DescriptionFile, lists: Collection[str]) -> Iterator[Rule]:
    named: set[str] = set()
    for table, makes in TABLES.items():
        forms: Sequence[wire.Lines] = getattr(file, table)
        for place, form in enumerate(forms):
            at = (table, place)
            if form.source not in lists:
                reader.wrong((*at, "from"), f"there is no list “{form.source}”", _near(form.source, lists))
            name = form.source
            if isinstance(form, wire.EntryForm):
                name = form.name or form.source
                if name in named:
                    reader.wrong(
                        (*at, "name"), f"there are entries “{name}” already", "Give these a name of their own."
                    )
                named.add(name)
                for part in sorted(TOLD & set(form.key)):
                    reader.wrong(
                        (*at, "key"), f"{{{part}}} means something else in an act", "Call this part otherwise."
                    )
            yield Rule(
                makes,
                reader.part(table, place, name),
                name,
                form.source,
                reader.fields(form, at),
                key=_key(reader, form, at),
                kind=form.kind if isinstance(form, wire.EntryForm) else Kind.DELEGATE,
                when=tuple(_when(reader, form, at)),
            )


def _key(reader: _Reader, form: wire.Lines, at: Sequence[str | int]) -> dict[str, Value]:
    """The parts of the key of an entry, or of the one that something was done by."""
    if isinstance(form, wire.EntryForm):
        return reader.values(form.key, (*at, "key"))
    return reader.values(form.entry, (*at, "entry")) if isinstance(form, wire.ActivityForm) else {}


def _when(reader: _Reader, form: wire.Lines, at: Sequence[str | int]) -> Iterator[When]:
    for one in form.when:
        if bool(one.texts) is bool(one.none_of):
            reader.wrong((*at, "when"), "it needs either `is` or `not`")
        value = reader.value(one.value, (*at, "when"))
        yield When(value, frozenset(one.texts or one.none_of), holds=bool(one.texts))


def _acts(reader: _Reader, file: wire.DescriptionFile, rules: Sequence[Rule]) -> Iterator[Act]:
    entries = {rule.name: rule for rule in rules if rule.makes == "entry"}
    memberships = {rule.name: rule for rule in rules if rule.makes == "membership"}
    before: list[Act] = []
    for place, form in enumerate(file.acts):
        at = ("acts", place)
        noun, able = ("memberships", memberships) if form.do in OF_MEMBERSHIPS else ("entries", entries)
        if form.of not in able:
            reader.wrong((*at, "of"), f"there are no {noun} “{form.of}”", _near(form.of, able))
            continue
        act = _act(reader, form, place)
        known = KNOWN.get(form.do, TOLD | set(able[form.of].key))
        reader.template(form.url, known, (), (*at, "url"))
        for name in sorted(act.names - set(uritemplate.variables(form.url)) - known):
            reader.wrong((*at, "body"), f"there is no {{{name}}} to put into the body", _near(name, known))
        for name in sorted(NEEDS.get(form.do, set()) - act.names):
            reader.wrong((*at, "body"), f"neither address nor body has {{{name}}}, so that nothing would say it")
        _once(reader, at, act, able[form.of], before, entries)
        before.append(act)
        yield act


def _once(
    reader: _Reader,
    at: tuple[str, int],
    act: Act,
    rule: Rule,
    before: Sequence[Act],
    entries: Mapping[str, Rule],
) -> None:
    """Nothing can be done in two ways: nobody could say in which."""
    same = [one for one in before if one.do == act.do]
    if any(one.of == act.of for one in same):
        reader.wrong((*at, "do"), f"it is said twice how to {act.do} {_DONE_TO.get(act.do, 'the entries')} “{act.of}”")
    elif act.do in OF_MEMBERSHIPS and same:
        reader.wrong((*at, "do"), f"how to {act.do} a team is said of “{same[0].of}” already, and can be said once")
    elif act.do == "give" and any(entries[one.of].kind is rule.kind for one in same):
        reader.wrong((*at, "do"), f"how to give a {rule.kind} is said already, and can be said once")


_DONE_TO = {"join": "the teams of", "leave": "the teams of"}


def _act(reader: _Reader, form: wire.ActForm, place: int) -> Act:
    at = ("acts", place)
    meanings = [*form.done, *form.gone, *form.later, *form.refused]
    twice = sorted({status for status in meanings if meanings.count(status) > 1})
    if twice:
        given = [name for name in MEANINGS if twice[0] in getattr(form, name) and name in form.model_fields_set]
        reader.wrong((*at, given[0]), f"the status {twice[0]} has two meanings")
    reader.zone(form.zone, (*at, "zone"))
    return Act(
        form.do,
        reader.part("acts", place, form.of),
        form.of,
        form.send,
        form.url,
        body=form.body,
        done=frozenset(form.done),
        gone=frozenset(form.gone),
        later=frozenset(form.later),
        refused=frozenset(form.refused),
        says=reader.path(form.says, (*at, "says")) if form.says else None,
        level_as=form.level_as,
        until_as=form.until_as,
        zone=form.zone,
    )


def _near(word: str, known: Collection[str]) -> str:
    near = get_close_matches(word, list(known), 1, 0.5)
    return f"Did you mean “{near[0]}”?" if near else ""


def _misshapen(reader: _Reader, error: ValidationError) -> Iterator[dict[str, str]]:
    seen = set()
    for details in error.errors(include_url=False, include_input=False, include_context=False):
        at = [part for part in details["loc"] if isinstance(part, int) or (part.islower() and "[" not in part)]
        known = {"extra_forbidden": "it is not known", "missing": "it is missing"}
        problem = known.get(details["type"], details["msg"][:1].lower() + details["msg"][1:])
        hint = _near(str(at[-1]), _names(at[:-1])) if details["type"] == "extra_forbidden" and at else ""
        words = ".".join(str(part) for part in at)
        told = {"at": f"line {line_of(reader.text, at)}", "problem": f"{words}: {problem}", "hint": hint}
        if words not in seen:
            seen.add(words)
            yield told


def _names(at: Sequence[str | int]) -> list[str]:
    """The names that a table can have."""
    forms: dict[str, type[BaseModel]] = {
        "sign_in": wire.SignIn,
        "lists": wire.ListForm,
        "accounts": wire.AccountForm,
        "parties": wire.PartyForm,
        "entries": wire.EntryForm,
        "memberships": wire.MembershipForm,
        "activity": wire.ActivityForm,
        "acts": wire.ActForm,
        "find": wire.FindForm,
        "limits": wire.LimitsForm,
    }
    model = forms.get(str(at[0]), wire.DescriptionFile) if at else wire.DescriptionFile
    return [one.alias or name for name, one in model.model_fields.items()]


def _refused(errors: Sequence[dict[str, str]]) -> Invalid:
    first, more = errors[0], f", and {len(errors) - 1} more" if len(errors) > 1 else ""
    at = f"{first['at']}: " if first["at"] else ""
    return Invalid(
        f"The description cannot be used: {at}{first['problem']}{more}. Nothing was changed.",
        next_step=first["hint"] or "Correct it and try again.",
        errors=list(errors[:MOST_TOLD]),
    )


def line_of(text: str, at: Sequence[str | int]) -> int:
    """Return the line, from 1, of what a path of names and places leads to, as far as it can be told."""
    start, end = 0, len(text)
    if at:
        heads = [found.start() for found in re.finditer(rf"^\[\[?{re.escape(str(at[0]))}\b", text, re.MULTILINE)]
        place = at[1] if len(at) > 1 and isinstance(at[1], int) else 0
        if place < len(heads):
            start = heads[place]
            after = re.compile(r"^\[", re.MULTILINE).search(text, start + 1)
            end = after.start() if after else end
    names = [part for part in at if isinstance(part, str)]
    for name in reversed(names[1:] or names):
        found = re.compile(
            rf"^[ \t]*{re.escape(name)}[ \t]*=|[{{,][ \t]*{re.escape(name)}[ \t]*=", re.MULTILINE
        ).search(text, start, end)
        if found:
            return text.count("\n", 0, found.start()) + 1
    return text.count("\n", 0, start) + 1
