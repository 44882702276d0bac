"""Changes of a policy file by its parts, such as a limit or a rule: what is not changed stays as people wrote it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from typing import Any

import tomlkit
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import AoT, Item, Table

__all__ = [
    "LimitText",
    "Misfit",
    "add_rule",
    "drop_exemption",
    "drop_rule",
    "exempt",
    "limits",
    "set_limit",
    "set_rule",
]

_ELSEWHERE = {"acceptance.longest": ("acceptance", "longest"), "offers.lapse": ("offers", "lapse")}
"""Limits that have a table of their own, by the names under which they are changed."""
_Edit = Callable[[tomlkit.TOMLDocument], None]


class Misfit(ValueError):
    """A change that does not fit the policy: what it names is not there, or is there already."""


@dataclass(frozen=True, slots=True)
class LimitText:
    """A limit as it stands in a policy: a number, or a length of time such as 90d; `says` is the remark beside it."""

    name: str
    value: str | int
    says: str


def limits(text: str) -> tuple[LimitText, ...]:
    """Return the limits of a policy file in its order, those with a table of their own last."""
    document = tomlkit.parse(text)
    found = [(str(name), item) for name, item in _table(document, "limits").items()]
    found += [
        (name, _table(document, table)[key])
        for name, (table, key) in _ELSEWHERE.items()
        if key in _table(document, table)
    ]
    return tuple(LimitText(name, item.unwrap(), item.trivia.comment.lstrip("# ")) for name, item in found)


def set_limit(text: str, name: str, value: str | int) -> str:
    """Return a policy with another limit; raises Misfit for one that it does not have."""

    def edit(document: tomlkit.TOMLDocument) -> None:
        table, key = _ELSEWHERE.get(name, ("limits", name))
        there = _table(document, table)
        if key not in there and name not in _ELSEWHERE:
            raise Misfit(_unknown("limit", name, [*there, *_ELSEWHERE]))
        _put(there, key, value)

    return _edited(text, edit)


def set_rule(text: str, rule: str, fields: Mapping[str, Any]) -> str:
    """Return a policy in which fields of a rule are others; one that is None is left out from then on."""

    def edit(document: tomlkit.TOMLDocument) -> None:
        table, kind = _rule(document, rule)
        wrong = [name for name in fields if kind == "apart" and name not in ("severity", "title")]
        if wrong:
            raise Misfit(f"“{rule}” follows from [[apart]], which has no {', '.join(wrong)}; change the file")
        for name, value in fields.items():
            if value is None:
                table.pop(name, None)
            else:
                _put(table, name, value)

    return _edited(text, edit)


def exempt(text: str, rule: str, fields: Mapping[str, Any]) -> str:
    """Return a policy in which a rule leaves something alone; `fields` are those of an exception."""

    def edit(document: tomlkit.TOMLDocument) -> None:
        table, kind = _rule(document, rule)
        if kind == "apart":
            raise Misfit(f"“{rule}” follows from [[apart]], which has no exceptions; change the file")
        new = tomlkit.table()
        for name, value in fields.items():
            if value not in (None, ""):
                new.add(name, value)
        several = table.get("exempt")
        if not isinstance(several, AoT):
            before = list(several) if several is not None else []
            table.pop("exempt", None)
            several = tomlkit.aot()
            for one in before:
                kept = tomlkit.table()
                for name, value in one.items():
                    kept.add(name, value)
                several.append(kept)
            table.add("exempt", several)
            several = table["exempt"]
        several.append(new)

    return _edited(text, edit)


def drop_exemption(text: str, rule: str, place: int) -> str:
    """Return a policy without an exception of a rule; `place` counts from 1."""

    def edit(document: tomlkit.TOMLDocument) -> None:
        table, _ = _rule(document, rule)
        several = table.get("exempt", [])
        if not 1 <= place <= len(several):
            raise Misfit(f"“{rule}” has {len(several)} exceptions, and no number {place}")
        del several[place - 1]
        if not several:
            table.pop("exempt")

    return _edited(text, edit)


def add_rule(text: str, fields: Mapping[str, Any]) -> str:
    """Return a policy with one rule more, at its end; raises Misfit for an id that is taken."""

    def edit(document: tomlkit.TOMLDocument) -> None:
        if fields["id"] in {*_ids(document, "rules"), *_ids(document, "apart")}:
            raise Misfit(f"there is a rule “{fields['id']}” already; give it another name")
        new = tomlkit.table()
        for name, value in fields.items():
            if value not in (None, "", [], {}):
                new.add(name, _inline(value) if isinstance(value, Mapping) else value)
        if "rules" not in document:
            document.add("rules", tomlkit.aot())
        document["rules"].append(new)

    return _edited(text, edit)


def drop_rule(text: str, rule: str) -> str:
    """Return a policy without a rule."""

    def edit(document: tomlkit.TOMLDocument) -> None:
        _, kind = _rule(document, rule)
        several = document[kind]
        del several[_ids(document, kind).index(rule)]
        if not several:
            document.remove(kind)

    return _edited(text, edit)


def _edited(text: str, edit: _Edit) -> str:
    try:
        document = tomlkit.parse(text)
    except TOMLKitError as error:
        raise Misfit(f"the policy itself cannot be read: {error}") from error
    edit(document)
    return tomlkit.dumps(document)


def _table(document: tomlkit.TOMLDocument, name: str) -> Table:
    if name not in document:
        document.add(name, tomlkit.table())
    table = document[name]
    if not isinstance(table, Table):
        raise Misfit(f"“{name}” is no table")
    return table


def _ids(document: tomlkit.TOMLDocument, kind: str) -> list[str]:
    return [str(one.get("id", "")) for one in document.get(kind, [])]


def _rule(document: tomlkit.TOMLDocument, rule: str) -> tuple[Table, str]:
    for kind in ("rules", "apart"):
        if rule in _ids(document, kind):
            table = document[kind][_ids(document, kind).index(rule)]
            if isinstance(table, Table):
                return table, kind
    raise Misfit(_unknown("rule", rule, [*_ids(document, "rules"), *_ids(document, "apart")]))


def _put(table: Table, name: str, value: object) -> None:
    """Set a value and keep the remark beside it."""
    before = table.get(name)
    if isinstance(value, Mapping):
        value = _inline(value)
    elif isinstance(value, list) and value and all(isinstance(each, Mapping) for each in value):
        array = tomlkit.array()
        for each in value:
            array.append(_inline(each))
        value = array
    table[name] = value
    if isinstance(before, Item) and before.trivia.comment:
        now = table[name]
        now.trivia.comment_ws, now.trivia.comment = before.trivia.comment_ws, before.trivia.comment


def _inline(value: Mapping[str, Any]) -> Any:
    inline = tomlkit.inline_table()
    inline.update(value)
    return inline


def _unknown(kind: str, name: str, known: list[str]) -> str:
    near = get_close_matches(name, known, 1, 0.4)
    return f"there is no {kind} “{name}”" + (f"; did you mean “{near[0]}”?" if near else f": {', '.join(known)}")
