"""What parties can do on an account through the teams they are in, however deep: for rows, and for columns.

Only what a team holds on the whole of an account counts, and only while it can be used.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import TYPE_CHECKING, Any

from openlatch.deferred import deferred
from openlatch.words import State

if TYPE_CHECKING:
    import polars as pl
else:
    pl = deferred("polars")

__all__ = ["COLUMN", "NEEDS", "through_frame", "through_rows"]

COLUMN = "entry_powers_through_teams"
NEEDS = ("entry_state", "entry_resources", "entry_powers")
"""The columns that are needed to work it out."""
_LETS_IN = (State.LIVE.value, State.ENDING.value)


def through_rows(rows: Iterable[Mapping[str, Any]], teams: Mapping[Any, Collection[Any]]) -> dict[tuple[Any, Any], int]:
    """Return the bits of the powers through teams, by account and party.

    `rows` are all entries of the accounts in question; `teams` are those that each party is in, however deep.
    """
    given: dict[Any, dict[Any, int]] = {}
    for row in rows:
        if row["entry_state"] in _LETS_IN and not row["entry_resources"]:
            on = given.setdefault(row["account_id"], {})
            on[row["party_id"]] = on.get(row["party_id"], 0) | row["entry_powers"]
    counts = {}
    for account, held in given.items():
        for party, ours in teams.items():
            bits = 0
            for team in ours:
                bits |= held.get(team, 0)
            if bits:
                counts[account, party] = bits
    return counts


def through_frame(entries: pl.DataFrame, memberships: pl.DataFrame) -> pl.DataFrame:
    """Return the entries with the column; `memberships` have member_id and team_id."""
    if memberships.is_empty():
        return entries.with_columns(pl.lit(0, dtype=pl.Int64).alias(COLUMN))
    pairs = memberships.select("member_id", "team_id").unique()
    while True:
        above = pairs.join(memberships, left_on="team_id", right_on="member_id", suffix="_above")
        more = pl.concat([pairs, above.select("member_id", team_id="team_id_above")]).unique()
        if more.height == pairs.height:
            break
        pairs = more
    whole = entries.filter(pl.col("entry_state").is_in(_LETS_IN), pl.col("entry_resources").list.len() == 0)
    given = whole.group_by("account_id", "party_id").agg(pl.col("entry_powers").bitwise_or())
    through = (
        pairs.join(given, left_on="team_id", right_on="party_id")
        .group_by("account_id", party_id="member_id")
        .agg(pl.col("entry_powers").bitwise_or().alias(COLUMN))
    )
    joined = entries.drop(COLUMN, strict=False).join(through, on=["account_id", "party_id"], how="left")
    return joined.with_columns(pl.col(COLUMN).fill_null(0).cast(pl.Int64))
