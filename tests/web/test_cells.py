"""Cells that are made by the column are those that are made one by one."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from openlatch.web.cells import cells_of
from openlatch.wire.flat import defused
from openlatch.wire.inventory.sheet import COLUMNS, in_cell

texts = st.text(st.characters(exclude_categories=["Cs"])) | st.sampled_from(["=1+1", "''@x", "a;b", "\\;", "\t", ""])
moments = st.datetimes(datetime(1900, 1, 1), datetime(2200, 1, 1)).map(lambda at: at.replace(tzinfo=UTC))  # noqa: DTZ001
KINDS: tuple[tuple[st.SearchStrategy[Any], Any], ...] = (
    (st.none() | texts, pl.String),
    (st.none() | st.booleans(), pl.Boolean),
    (st.none() | st.integers(-100, 100), pl.Int16),
    (st.none() | moments | moments.map(lambda at: at.replace(microsecond=0)), pl.Datetime("us", "UTC")),
    (st.none() | st.lists(texts, max_size=3), pl.List(pl.String)),
    (st.none() | st.lists(moments, max_size=3), pl.List(pl.Datetime("us", "UTC"))),
)


@given(st.data())
def test_a_column_of_any_kind_is_written_as_each_value_by_itself(data: st.DataObject) -> None:
    size = data.draw(st.integers(0, 4))
    columns = {}
    for place, name in enumerate(COLUMNS):
        values, kind = KINDS[place % len(KINDS)]
        columns[name] = pl.Series(name, data.draw(st.lists(values, min_size=size, max_size=size)), kind)
    frame = pl.DataFrame(columns)
    one_by_one = [{name: defused(in_cell(value)) for name, value in row.items()} for row in frame.iter_rows(named=True)]
    assert cells_of(frame).rows(named=True) == one_by_one
