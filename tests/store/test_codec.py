"""Whatever is kept in a row is read again as it was, for every value of the core that has a row."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping
from datetime import UTC, datetime
from types import SimpleNamespace
from typing import Any, get_args, get_type_hints

import orjson
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import inspect
from sqlalchemy.dialects.postgresql import JSONB

from openlatch import store
from openlatch.core.hours import Hours, Window
from openlatch.core.powers import in_order
from openlatch.store.base import Base
from openlatch.store.codec import Codec
from openlatch.words import Power

CODECS = {
    f"{var.row.__name__} {var.value.__name__}": var
    for module in pkgutil.walk_packages(store.__path__, "openlatch.store.")
    if "migrations" not in module.name
    for var in vars(importlib.import_module(module.name)).values()
    if isinstance(var, Codec)
}
instants = st.datetimes(timezones=st.just(UTC))
minutes = st.times().map(lambda time: time.replace(second=0, microsecond=0))
days = st.frozensets(st.integers(0, 6), min_size=1)
some_json = st.dictionaries(st.text(max_size=4), st.none() | st.booleans() | st.lists(st.text(max_size=4), max_size=2))


def any_mapping(key: Any = Any, value: Any = Any) -> st.SearchStrategy[Any]:
    """Any mapping of its type; what may hold anything holds what JSON can."""
    return some_json if value is Any else st.dictionaries(st.from_type(key), st.from_type(value), max_size=2)


SPECIAL: Mapping[Any, st.SearchStrategy[Any]] = {
    tuple[Power, ...]: st.sets(st.sampled_from(Power)).map(in_order),
    tuple[Power, ...] | None: st.none() | st.sets(st.sampled_from(Power)).map(in_order),
    tuple[datetime, ...]: st.lists(instants, max_size=3).map(lambda some: tuple(sorted(some))),
}


st.register_type_strategy(datetime, instants)
st.register_type_strategy(int, st.integers(-(2**31), 2**31 - 1))
st.register_type_strategy(Mapping, lambda hint: any_mapping(*get_args(hint)))
st.register_type_strategy(
    Hours, st.builds(Hours, st.just("Europe/Lisbon"), st.tuples(st.builds(Window, days, minutes, minutes)))
)


def any_value(codec: Codec[Any]) -> st.SearchStrategy[Any]:
    """Any value that a codec keeps."""
    hints = get_type_hints(codec.value)
    names = [name for name in codec.value.__dataclass_fields__ if name not in codec.apart]
    return st.fixed_dictionaries({name: SPECIAL.get(hints[name], st.from_type(hints[name])) for name in names})


@pytest.mark.parametrize("name", sorted(CODECS))
@settings(suppress_health_check=[HealthCheck.too_slow], max_examples=25)
@given(data=st.data())
def test_what_is_kept_is_read_again_as_it_was(name: str, data: st.DataObject) -> None:
    codec = CODECS[name]
    hints = get_type_hints(codec.value)
    apart = {field: data.draw(st.from_type(hints[field]), field) for field in codec.apart}
    value = codec.value(**data.draw(any_value(codec)), **apart)
    structured = {column.key for column in inspect(codec.row).columns if isinstance(column.type, JSONB)}
    kept = codec.values(value)
    through = {key: orjson.loads(orjson.dumps(v)) if key in structured else v for key, v in kept.items()}
    assert codec.read(SimpleNamespace(**through), **apart) == value


def test_every_row_that_holds_a_value_of_the_core_is_tried() -> None:
    assert len(CODECS) > 20
    assert {"EntryRow Entry", "RoundItemRow Item", "ReviewPlanRow ReviewPlan"} <= CODECS.keys()


def test_what_may_be_missing_is_kept_as_nothing_and_not_as_a_null_of_json() -> None:
    wrong = [
        f"{mapper.class_.__name__}.{column.key}"
        for mapper in Base.registry.mappers
        for column in mapper.columns
        if column.nullable and isinstance(column.type, JSONB) and not column.type.none_as_null
    ]
    assert wrong == []
