"""A holder of any size as columns in memory, the same for the same size."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import polars as pl

from openlatch.core.rules.catalogue import COLUMNS
from openlatch.core.rules.check import EPOCH, micros
from openlatch.core.rules.frames import Frames
from openlatch.core.rules.tree import Type

__all__ = ["DAY", "NOW", "frames"]

NOW = micros(datetime(2026, 5, 10, 12, tzinfo=UTC) - EPOCH)
DAY = micros(timedelta(days=1))
_KINDS = ["delegate"] * 6 + ["grant", "app", "session", "offer", "secret", "open"]
_DTYPES: dict[Type, Any] = {Type.BOOL: pl.Boolean, Type.STRING: pl.String, Type.STRINGS: pl.List(pl.String)}


def frames(size: int) -> Frames:
    """Return so many entries on a tenth as many accounts, of a fifth as many parties, from eleven providers."""
    accounts, parties = max(size // 10, 1), max(size // 5, 1)
    n = pl.int_range(0, size, dtype=pl.Int64)

    def chance(salt: int, of: int) -> pl.Expr:
        """Something like a throw of a die with so many sides, the same every time."""
        return (n.hash(salt) % of).cast(pl.Int64)

    ago = [NOW - chance(salt, days) * DAY for salt, days in ((1, 900), (2, 300), (3, 500))]
    entries = pl.select(
        entry_id=n,
        account_id=chance(11, accounts),
        party_id=chance(12, parties),
        provider_id=chance(11, accounts) % 11,
        entry_kind=_one_of(chance(13, len(_KINDS)), _KINDS),
        entry_state=_one_of(chance(14, 20), ["offered", "paused", "ending"] + ["live"] * 17),
        entry_level=_one_of(chance(15, 5), ["guide", "cashier", "keeper", "reader", "administrator"]),
        entry_powers=pl.when(chance(16, 12) == 0)
        .then(1 + 2 + 16 + 64)
        .when(chance(17, 9) == 0)
        .then(1 + 8 + 32)
        .otherwise(3),
        entry_given_at=ago[0],
        entry_last_used=pl.when(chance(18, 7) > 0).then(ago[1]),
        entry_use_known=chance(19, 5) > 0,
        entry_uses_known=chance(20, 8) == 0,
        entry_uses_view=ago[1],
        entry_uses_spend=pl.when(chance(21, 2) == 0).then(ago[2]),
        entry_ends_at=pl.when(chance(22, 5) == 0).then(NOW + (chance(23, 200) - 5) * DAY),
        entry_end_unknown=chance(24, 300) == 0,
        entry_reviewed_at=pl.when(chance(25, 3) > 0).then(ago[2]),
        entry_by_hand=chance(26, 20) == 0,
        entry_vouched_at=pl.when(chance(27, 20) > 0).then(ago[1]),
        entry_basis=_one_of(chance(28, 3), ["", "mending the gate", "school groups"]),
    )
    a, p = pl.int_range(0, accounts, dtype=pl.Int64), pl.int_range(0, parties, dtype=pl.Int64)
    return Frames(
        _filled(entries, "entry"),
        _filled(
            pl.select(
                account_id=a,
                provider_id=a % 11,
                account_name=pl.format("account {}", a),
                account_criticality=_one_of((a.hash(31) % 10).cast(pl.Int64), ["vital", "minor"] + ["normal"] * 8),
                account_locked=pl.when(a.hash(32) % 10 == 0).then(pl.lit(value=False)),
            ),
            "account",
        ),
        _filled(
            pl.select(
                party_id=p,
                party_kind=_one_of((p.hash(41) % 20).cast(pl.Int64), ["team", "app", "app"] + ["person"] * 17),
                party_name=pl.format("party {}", p),
                party_addresses=pl.concat_list(pl.format("p{}@kestrelridge.example", p)),
                party_status=_one_of((p.hash(42) % 50).cast(pl.Int64), ["left", "unknown"] + ["current"] * 48),
                party_verified=p.hash(43) % 10 > 0,
                party_outside=p.hash(44) % 12 == 0,
                party_near=pl.when(p.hash(45) % 2000 == 0).then(pl.lit("kestrelridge.example")),
                party_near_how=pl.lit("its domain looks like"),
                party_publisher=pl.lit("Star Chart Press"),
            ),
            "party",
        ),
        pl.select(
            provider_id=pl.int_range(0, 11, dtype=pl.Int64),
            provider_name=pl.format("provider {}", pl.int_range(0, 11)),
            provider_by_hand=pl.lit(value=False),
            provider_vouch_for=pl.lit(90 * DAY, dtype=pl.Int64),
            provider_past_end=pl.lit(None, dtype=pl.String),
        ),
    )


def _one_of(place: pl.Expr, words: list[str]) -> pl.Expr:
    return place.replace_strict(list(range(len(words))), words, return_dtype=pl.String)


def _filled(frame: pl.DataFrame, table: str) -> pl.DataFrame:
    """A frame with every column of its table: what was not made is empty, no, or absent."""
    missing = []
    for name, column in COLUMNS.items():
        if name.startswith(f"{table}_") and name not in frame.columns and not name.endswith("_id"):
            empty = {Type.BOOL: False, Type.INT: 0, Type.STRING: "", Type.STRINGS: [], Type.POWERS: 0}.get(column.type)
            value = None if column.maybe else empty
            missing.append(pl.lit(value, dtype=_DTYPES.get(column.type, pl.Int64)).alias(name))
    return frame.with_columns(missing)
