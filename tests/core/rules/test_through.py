"""What teams give is the same for rows and for columns, and the same as walking from team to team by hand."""

from __future__ import annotations

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from openlatch.core.rules.through import COLUMN, through_frame, through_rows

PARTIES = range(5)
entries = st.lists(
    st.fixed_dictionaries(
        {
            "account_id": st.integers(0, 1),
            "party_id": st.sampled_from(PARTIES),
            "entry_state": st.sampled_from(["live", "ending", "offered", "paused"]),
            "entry_resources": st.sampled_from([[], ["folder 1"]]),
            "entry_powers": st.integers(0, 255),
        }
    ),
    max_size=8,
)
pairs = st.sets(st.tuples(st.sampled_from(PARTIES), st.sampled_from(PARTIES)), max_size=8)
SCHEMA = {
    "account_id": pl.Int64,
    "party_id": pl.Int64,
    "entry_state": pl.String,
    "entry_resources": pl.List(pl.String),
    "entry_powers": pl.Int64,
}


def teams_of(member: int, links: set[tuple[int, int]]) -> set[int]:
    """Everyone as whom a member can act, itself only if it is in a team that is in it."""
    numbers: set[int] = set()
    waiting = [member]
    while waiting:
        number = waiting.pop()
        for actor, team in links:
            if actor == number and team not in numbers:
                numbers.add(team)
                waiting.append(team)
    return numbers


@settings(deadline=None)
@given(entries, pairs)
def test_what_teams_give_is_found_alike(rows: list[dict[str, object]], links: set[tuple[int, int]]) -> None:
    teams = {member: teams_of(member, links) for member in PARTIES}
    by_rows = through_rows(rows, teams)
    memberships = pl.DataFrame(sorted(links), schema={"member_id": pl.Int64, "team_id": pl.Int64}, orient="row")
    frame = through_frame(pl.DataFrame(rows, schema=SCHEMA), memberships)
    assert [by_rows.get((r["account_id"], r["party_id"]), 0) for r in frame.iter_rows(named=True)] == list(
        frame[COLUMN]
    )
    for row in rows:
        bits = 0
        for other in rows:
            whole = other["entry_state"] in ("live", "ending") and not other["entry_resources"]
            if whole and other["account_id"] == row["account_id"] and other["party_id"] in teams[row["party_id"]]:  # type: ignore[index]
                bits |= int(str(other["entry_powers"]))
        assert by_rows.get((row["account_id"], row["party_id"]), 0) == bits
