"""Entries in columns as the cells of a sheet: the same texts as `wire.inventory.sheet` writes for a single one."""

from __future__ import annotations

from typing import TYPE_CHECKING

from openlatch.deferred import deferred
from openlatch.wire.flat import FORMULA
from openlatch.wire.inventory.sheet import COLUMNS

if TYPE_CHECKING:
    import polars as pl
else:
    pl = deferred("polars")

__all__ = ["cells_of"]


def cells_of(frame: pl.DataFrame) -> pl.DataFrame:
    """Return columns of texts, in the order of a sheet; unknown is an empty text, and no text is a formula."""
    return frame.select(_defused(_cell(pl.col(name), frame.schema[name])).alias(name) for name in COLUMNS)


def _cell(value: pl.Expr, kind: pl.DataType) -> pl.Expr:
    if isinstance(kind, pl.List):
        inner = _cell(pl.element(), kind.inner) if isinstance(kind.inner, pl.DataType) else pl.element()
        escaped = inner.str.replace_all("\\", "\\\\", literal=True).str.replace_all(";", "\\;", literal=True)
        return value.list.eval(escaped).list.join("; ").fill_null("")
    if isinstance(kind, pl.Datetime):
        whole = value.dt.strftime("%Y-%m-%dT%H:%M:%S+00:00")
        exact = value.dt.strftime("%Y-%m-%dT%H:%M:%S%.6f+00:00")
        return pl.when(value.dt.microsecond() == 0).then(whole).otherwise(exact).fill_null("")
    if kind == pl.Boolean:
        return pl.when(value).then(pl.lit("yes")).when(~value).then(pl.lit("no")).otherwise(pl.lit(""))
    return value.cast(pl.String).fill_null("")


def _defused(cell: pl.Expr) -> pl.Expr:
    return pl.when(cell.str.contains(f"^{FORMULA}")).then(pl.lit("'") + cell).otherwise(cell)
