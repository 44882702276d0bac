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

from openlatch.core.providers.described import Act, Described, Joined, Listing, Path, Rule, Value, When
from openlatch.core.toml_text import NotToml, parsed
from openlatch.errors import Invalid
from openlatch.wire.providers import description_file as wire
from openlatch.words import Kind, PartyKind, PartyStatus, State

__all__ = ["Read", "read"]

LONGEST = 100_000
MOST_TOLD = 30
PAGING = {"none": set(), "page": {"page"}, "offset": {"offset"}, "cursor": {"cursor"}, "link": set()}
TOLD = {"party", "level", "until"}
"""What an act may name besides the parts of the entry's key."""
MEANINGS = ("gone", "later", "refused", "done")
NEEDS = {"level": "level", "date": "until"}
WORDS: Mapping[str, Collection[str]] = {"kind": list(PartyKind), "status": list(PartyStatus), "state": list(State)}
APART = {"source", "when"}
"""What a rule says besides its fields."""
SEVERAL = {"addresses", "permissions", "resources"}
SLOT = re.compile(r"\{([a-z][a-z0-9_]*)\}")
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
        try:
            ZoneInfo(form.zone)
        except (ZoneInfoNotFoundError, ValueError):
            self.wrong(at, f"{form.zone!r} is no time zone", "Give one such as Europe/London.")
        words = WORDS.get(str(at[-1]), ())
        for text in (*form.table.values(), *filter(None, (form.otherwise,))):
            if words and text not in words:
                self.wrong(at, f"{text!r} is none of {', '.join(words)}", _near(text, words))
        known = tuple(part for part in parts if part is not None)
        return Value(known, form.form or "", form.table, form.otherwise, form.zone)

    def values(self, given: Mapping[str, Any], at: Sequence[str | int]) -> dict[str, Value]:
        return {name: self.value(value, (*at, name)) for name, value in given.items()}

    def fields(self, form: wire.Lines, at: Sequence[str | int]) -> dict[str, tuple[Value, ...]]:
        """The values of a rule, by the names of what they become."""
        apart = APART | ({"key", "kind", "name"} if isinstance(form, wire.EntryForm) else set())
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
    acts = tuple(_acts(reader, file, {rule.name: rule for rule in rules if rule.makes == "entry"}))
    if reader.errors:
        raise _refused(reader.errors)
    levels = {name: tuple(powers) for name, powers in file.levels.items()}
    return Read(file.title, file.sign_in, Described(lists, rules, acts, levels))


def _lists(reader: _Reader, file: wire.DescriptionFile) -> Iterator[Listing]:
    before: list[str] = []
    for place, form in enumerate(file.lists):
        at = ("lists", place)
        if form.name in before:
            reader.wrong((*at, "name"), f"there is a list “{form.name}” already")
        for name, other in [("each", form.each), *(("joins", join.list) for join in form.joins)]:
            if other is not None and other not in before:
                reader.wrong((*at, name), f"there is no list “{other}” before this one", _near(other, before))
        known = {"size", *PAGING[form.paging], *form.given}
        reader.template(form.url, known, PAGING[form.paging], (*at, "url"))
        if (form.paging == "cursor") is not (form.next is not None):
            reader.wrong((*at, "paging"), 'the path to the next cursor belongs to paging = "cursor", and only to it')
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
                key=reader.values(form.key, (*at, "key")) if isinstance(form, wire.EntryForm) else {},
                kind=form.kind if isinstance(form, wire.EntryForm) else Kind.DELEGATE,
                when=tuple(_when(reader, form, at)),
            )


def _when(reader: _Reader, form: wire.Lines, at: Sequence[str | int]) -> Iterator[When]:
    for one in form.when:
        if bool(one.texts) is bool(one.none_of):
            reader.wrong((*at, "when"), "it needs either `is` or `not`")
        value = reader.value(one.value, (*at, "when"))
        yield When(value, frozenset(one.texts or one.none_of), holds=bool(one.texts))


def _acts(reader: _Reader, file: wire.DescriptionFile, rules: Mapping[str, Rule]) -> Iterator[Act]:
    known_acts: set[tuple[str, str]] = set()
    for place, form in enumerate(file.acts):
        at = ("acts", place)
        if form.of not in rules:
            reader.wrong((*at, "of"), f"there are no entries “{form.of}”", _near(form.of, rules))
            continue
        if (form.do, form.of) in known_acts:
            reader.wrong((*at, "do"), f"it is said twice how to {form.do} the entries “{form.of}”")
        known_acts.add((form.do, form.of))
        known = TOLD | set(rules[form.of].key)
        reader.template(form.url, known, (), (*at, "url"))
        slots = set(_slots(form.body))
        for name in sorted(slots - known):
            reader.wrong((*at, "body"), f"there is no {{{name}}} to put into the body", _near(name, known))
        needed = NEEDS.get(form.do)
        if needed and needed not in slots | set(uritemplate.variables(form.url)):
            reader.wrong((*at, "body"), f"neither address nor body has {{{needed}}}, so that nothing would say it")
        meanings = [*form.done, *form.gone, *form.later, *form.refused]
        twice = sorted({status for status in meanings if meanings.count(status) > 1})
        if twice:
            given = [name for name in MEANINGS if twice[0] in getattr(form, name) and name in form.model_fields_set]
            reader.wrong((*at, given[0]), f"the status {twice[0]} has two meanings")
        yield Act(
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
        )


def _slots(body: Any) -> Iterator[str]:
    if isinstance(body, str):
        yield from SLOT.findall(body)
    for each in body.values() if isinstance(body, Mapping) else body if isinstance(body, list) else ():
        yield from _slots(each)


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
