"""How values of the core are kept in rows: each field in the column of its name, in a form that follows from its type.

A field and its column are therefore the only two places that say that it is stored.
"""

from __future__ import annotations

import types
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, fields
from enum import StrEnum
from functools import cached_property, lru_cache
from operator import attrgetter
from typing import Any, Generic, TypeVar, Union, get_args, get_origin, get_type_hints

from pydantic import TypeAdapter
from sqlalchemy import Row, inspect
from sqlalchemy.dialects.postgresql import JSONB

from openlatch.core.model import Author
from openlatch.core.powers import in_order
from openlatch.store.base import Base
from openlatch.store.jsonb import plain
from openlatch.words import Power, Severity

__all__ = ["Codec", "Form"]

V = TypeVar("V")
_POWERS = tuple[Power, ...]
_Turn = Callable[[Any], Any]
_Get = Callable[[Any], tuple[Any, ...]]
_ROWS: Mapping[Any, tuple[_Turn, _Turn]] = {tuple: (list, tuple), frozenset: (sorted, frozenset)}
"""What holds several things, and how that becomes an array and is read again; sets are kept in order."""


@dataclass(frozen=True, slots=True)
class Form:
    """How the value of a field becomes that of a column, and how it is read again."""

    write: _Turn
    read: _Turn


class Codec(Generic[V]):
    """Turns values into the columns of a row, and rows into values.

    `named` are the fields whose column has another name. A field that has no column goes into the column `rest`, as
    JSON, with others like it; fields that are `apart` the caller brings himself. Whoever acted (`Author`) takes two
    columns: the field's own, and that with `_id` behind its name. A column that is no field but something else that a
    value tells, as its short form, is written and not read.
    """

    def __init__(
        self,
        row: type[Base],
        value: type[V],
        *,
        apart: Collection[str] = (),
        named: Mapping[str, str] | None = None,
        rest: str = "",
        forms: Mapping[str, Form] | None = None,
    ) -> None:
        self.row = row
        self.value = value
        self.apart = frozenset(apart)
        self._named = dict(named or {})
        self._rest = rest
        self._forms = dict(forms or {})

    def values(self, value: V) -> dict[str, Any]:
        """Return the columns that a value is kept in."""
        columns, get, forms = self._written
        kept = list(get(value))
        for place, write in forms:
            kept[place] = write(kept[place])
        document = dict(zip(columns, kept, strict=True))
        for column in self._authors:
            author: Author | None = document[column]
            document |= {column: author and author.name, f"{column}_id": author and author.id}
        if self._rest:
            document[self._rest] = {
                name: form.dump_python(getattr(value, name), mode="json") for name, form in self._resting.items()
            }
        return document

    def column(self, name: str, value: object) -> Any:
        """Return what one field with this value is kept as in its column."""
        form = self._form(name)
        return value if form is None else form.write(value)

    def read(self, row: object, **more: Any) -> V:
        """Return the value that a row holds; `more` are the fields that it does not."""
        return self.of(self._get(row), **more)

    @cached_property
    def columns(self) -> tuple[Any, ...]:
        """The columns that `of` reads, in its order."""
        return self._get(self.row)

    def of(self, values: Sequence[Any], **more: Any) -> V:
        """Return the value whose `columns` these are; `more` are the fields that they do not hold.

        This is sooner done than reading a row, which has to be made first.
        """
        names, forms = self._kept
        kept = list(values[: len(names)])
        for place, read in forms:
            kept[place] = read(kept[place])
        document = dict(zip(names, kept, strict=True))
        for place, name in enumerate(self._authors.values(), start=len(names)):
            document[name] = None if document[name] is None else Author(document[name], values[place])
        if self._rest:
            rest = values[len(names) + len(self._authors)]
            resting = self._resting.items()
            document |= {name: form.validate_python(rest[name]) for name, form in resting if name in rest}
        return self.value(**document, **more)

    def reader(self, name: str) -> Callable[[Any], Any]:
        """Return what reads one field from what its column holds."""
        form = self._form(name)
        return (lambda value: value) if form is None else form.read

    def first(self, row: Row[Any]) -> V:
        """Return the value that the first column of a result holds."""
        return self.read(row[0])

    @cached_property
    def _types(self) -> dict[str, Any]:
        """The type of each column."""
        return {column.key: column.type for column in inspect(self.row).columns}

    @cached_property
    def _hints(self) -> dict[str, Any]:
        """The type of each field that is kept here."""
        hints = get_type_hints(self.value)
        value: Any = self.value
        return {field.name: hints[field.name] for field in fields(value) if field.name not in self.apart}

    @cached_property
    def _own(self) -> dict[str, str]:
        """The fields that have a column each, with that."""
        every = {name: self._named.get(name, name) for name in self._hints}
        own = {name: column for name, column in every.items() if column in self._types}
        if len(own) < len(every) and not self._rest:
            without = ", ".join(every.keys() - own.keys())
            raise TypeError(f"{self.row.__name__} has no column for {without} of {self.value.__name__}.")
        return own

    @cached_property
    def _authors(self) -> dict[str, str]:
        """The columns that hold the name of whoever acted, each with its field."""
        own = self._own.items()
        return {column: name for name, column in own if _bare(self._hints[name])[0] is Author}

    @cached_property
    def _resting(self) -> dict[str, TypeAdapter[Any]]:
        return {name: TypeAdapter(hint) for name, hint in self._hints.items() if name not in self._own}

    @cached_property
    def _written(self) -> tuple[tuple[str, ...], _Get, tuple[tuple[int, _Turn], ...]]:
        taken = {*self._own.values(), *(f"{column}_id" for column in self._authors)}
        told = [name for name in self._types if name not in taken and isinstance(vars(self.value).get(name), property)]
        forms = ((place, self._form(name)) for place, name in enumerate(self._own))
        writes = tuple((place, form.write) for place, form in forms if form is not None)
        return (*self._own.values(), *told), attrgetter(*self._own, *told), writes

    @cached_property
    def _get(self) -> _Get:
        """What gets the columns of a row: one for each field, then who acted, then the rest."""
        authors = [f"{column}_id" for column in self._authors]
        return attrgetter(*self._own.values(), *authors, *([self._rest] if self._rest else []))

    @cached_property
    def _kept(self) -> tuple[tuple[str, ...], tuple[tuple[int, _Turn], ...]]:
        forms = ((place, self._form(name)) for place, name in enumerate(self._own))
        reads = tuple((place, form.read) for place, form in forms if form is not None)
        return tuple(self._own), reads

    def _form(self, name: str) -> Form | None:
        """How a field is kept; None if as it is."""
        if name in self._forms:
            return self._forms[name]
        hint, optional = _bare(self._hints[name])
        form = _json(hint) if isinstance(self._types[self._own[name]], JSONB) else _plain(hint)
        return _unless_none(form) if form is not None and optional else form


def _unless_none(form: Form) -> Form:
    def unless(turn: _Turn) -> _Turn:
        return lambda value: None if value is None else turn(value)

    return Form(unless(form.write), unless(form.read))


@lru_cache(maxsize=256)
def _powers(words: tuple[str, ...]) -> tuple[Power, ...]:
    return in_order(map(Power, words))


def _bare(hint: Any) -> tuple[Any, bool]:
    """A type without its `None`, and whether it had it."""
    if get_origin(hint) in (Union, types.UnionType):
        others = [arg for arg in get_args(hint) if arg is not types.NoneType]
        if len(others) == 1:
            return others[0], len(others) < len(get_args(hint))
    return hint, False


def _json(hint: Any) -> Form:
    origin = get_origin(hint)
    if isinstance(origin, type) and issubclass(origin, Mapping) and Any in get_args(hint):
        return Form(plain, lambda value: value)
    adapter = TypeAdapter(hint)
    return Form(lambda value: adapter.dump_python(value, mode="json"), adapter.validate_python)


def _plain(hint: Any) -> Form | None:
    if hint == _POWERS:
        return Form(list, lambda words: _powers(tuple(words)))
    if isinstance(hint, type) and issubclass(hint, Severity):
        return Form(attrgetter("rank"), Severity.ranked)
    if isinstance(hint, type) and issubclass(hint, StrEnum):
        return Form(str, {str(word): word for word in hint}.__getitem__)
    origin, item = get_origin(hint), next(iter(get_args(hint)), None)
    if origin not in _ROWS:
        return None
    write, read = _ROWS[origin]
    if isinstance(item, type) and issubclass(item, StrEnum):
        return Form(lambda words: write(map(str, words)), lambda words: read(map(item, words)))
    return Form(write, read)
