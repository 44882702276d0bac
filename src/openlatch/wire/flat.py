"""A message as one flat line of a table for programs: what is inside of something gets a name with a point in it."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from datetime import datetime
from functools import cache
from types import UnionType
from typing import Annotated, Any, Union, get_args, get_origin

from pydantic import BaseModel

__all__ = ["FORMULA", "defused", "header", "instants", "row"]

_NAMES = ("ref", "address", "name", "text", "says", "what", "id")
"""What stands for a thing in a list of things: the first of these that it has."""

FORMULA = r"'*[=+\-@\t\r\n]"
"""What a spreadsheet takes for the beginning of one."""


def defused(text: str) -> str:
    """Return a text that no spreadsheet takes for a formula."""
    return f"'{text}" if re.match(FORMULA, text) else text


def header(model: type[BaseModel]) -> list[str]:
    """Return the columns of a kind of message: the same ones, whatever a single message leaves out."""
    return [name for name, _ in _columns(model)]


def instants(model: type[BaseModel]) -> frozenset[str]:
    """Return those of the columns that hold an instant each."""
    return frozenset(name for name, kind in _kinds(model) if _holds_instant(kind))


def _holds_instant(kind: Any) -> bool:
    """Whether a field holds an instant, or none."""
    if get_origin(kind) is Annotated:
        return _holds_instant(get_args(kind)[0])
    if get_origin(kind) in (Union, UnionType):
        return all(each is type(None) or _holds_instant(each) for each in get_args(kind))
    return isinstance(kind, type) and issubclass(kind, datetime)


def _kinds(model: type[BaseModel]) -> Iterator[tuple[str, Any]]:
    for name, path in _columns(model):
        inner: Any = model
        for step in path[:-1]:
            inner = _model(_kind(inner, step))
        yield name, _kind(inner, path[-1])


def _kind(model: type[BaseModel], name: str) -> Any:
    field = model.model_fields.get(name)
    return field.annotation if field is not None else model.model_computed_fields[name].return_type


def row(item: BaseModel) -> dict[str, str]:
    """Return a message as texts by column; a list is joined by semicolons, and no text is taken for a formula."""
    said = item.model_dump(mode="json")
    return {name: _cell(_at(said, path)) for name, path in _columns(type(item))}


@cache
def _columns(model: type[BaseModel]) -> tuple[tuple[str, tuple[str, ...]], ...]:
    return tuple(_fields(model, (), ()))


def _fields(
    model: type[BaseModel], path: tuple[str, ...], above: tuple[type[BaseModel], ...]
) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Yield each column of a model with the way to it; what contains itself is not gone into again."""
    kinds = {name: field.annotation for name, field in model.model_fields.items()}
    kinds |= {name: field.return_type for name, field in model.model_computed_fields.items()}
    for name, kind in kinds.items():
        inner = _model(kind)
        here = (*path, name)
        if inner is None or inner in (*above, model):
            yield ".".join(here), here
        else:
            yield from _fields(inner, here, (*above, model))


def _model(kind: Any) -> type[BaseModel] | None:
    """The one model that a field holds, if it holds one."""
    if isinstance(kind, type) and issubclass(kind, BaseModel):
        return kind
    if get_origin(kind) in (Union, UnionType):
        held = [each for each in get_args(kind) if each is not type(None)]
        return _model(held[0]) if len(held) == 1 else None
    return None


def _at(said: Any, path: tuple[str, ...]) -> Any:
    for name in path:
        said = said.get(name) if isinstance(said, dict) else None
    return said


def _cell(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, list):
        return defused("; ".join(_named(each) for each in value))
    return defused(value if isinstance(value, str) else _named(value))


def _named(value: Any) -> str:
    """A thing in a list, by what it is known by."""
    if isinstance(value, dict):
        return next((str(value[name]) for name in _NAMES if value.get(name)), json.dumps(value, ensure_ascii=False))
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
