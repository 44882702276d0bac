"""The inventory as a sheet: the same as its list shows of each entry, in columns."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any

import orjson

from openlatch.core.powers import in_order
from openlatch.core.providers.observation import WRITTEN
from openlatch.core.rules.evidence import sentence
from openlatch.deferred import deferred
from openlatch.operations.call import Call, operation
from openlatch.operations.inventory.entries import selection
from openlatch.operations.people.sight import within_sight
from openlatch.operations.rules import policies
from openlatch.store.inventory.entries import ENTRY
from openlatch.wire.inventory.entries import EntryFilter as Wanted
from openlatch.wire.inventory.sheet import dependencies_of, uses_of
from openlatch.words import Power, Severity, State

if TYPE_CHECKING:
    import polars as pl
else:
    pl = deferred("polars")

__all__ = ["sheet"]

Said = dict[tuple[str, str], str]
"""What rules say of facts, by both"""
SAID = 50_000
"""So many reasons are kept, for others that are alike."""


@operation("entries.sheet")
def sheet(call: Call, wanted: Wanted, sort: str) -> Iterator[pl.DataFrame]:
    """Every entry that a filter leaves in the columns of a sheet, some at a time: texts, instants, lists."""
    chosen = selection(call, wanted)
    said: Said = {}
    return (_seen(call, some, said) for some in call.tx.sheet(chosen, sort))


def _seen(call: Call, kept: pl.DataFrame, said: Said) -> pl.DataFrame:
    """What is kept of entries, as it is seen now."""
    since = call.now - timedelta(days=call.tx.workspace.unused_days)
    col, ever = pl.col, pl.col("last_seen").is_not_null() & pl.col("complete").is_not_null()
    shown = ever & ~col("by_hand") & (col("state") != State.ENDED.value)
    nothing = (col("powers").list.len() == 0) & (col("unknown").list.len() == 0)

    def lately(uses: Mapping[Power, datetime]) -> list[str]:
        return [str(power) for power in in_order(power for power, at in uses.items() if at >= since)]

    columns = (
        pl.when(nothing).then(pl.lit(["none"])).otherwise(col("powers")).alias("powers"),
        pl.when(shown).then(pl.max_horizontal("last_seen", "complete")).otherwise(col("last_seen")).alias("last_seen"),
        col("subject").str.strip_prefix(WRITTEN),
        _turned(kept, "uses", uses_of),
        _turned(kept, "uses", lately).alias("used_powers"),
        _turned(kept, "dependencies", dependencies_of),
        _turned(kept, "hours", lambda hours: [hours.written()]).list.first(),
        *_flags(call, kept, said),
    )
    return kept.with_columns(*columns)


def _turned(kept: pl.DataFrame, name: str, turn: Callable[[Any], list[str]]) -> pl.Series:
    """A column that is kept as JSON as lists of texts; few of its values differ, or most are nothing."""
    read = ENTRY.reader(name)
    texts = [text for text in kept[name].unique() if text is not None]
    return _matched(kept[name], {text: turn(read(orjson.loads(text))) for text in texts}, pl.List(pl.String))


def _matched(keys: pl.Series, made: Mapping[str, Any], kind: pl.DataType) -> pl.Series:
    """What was made of some keys, in the place of each; null for all others."""
    table = pl.DataFrame(
        {"key": pl.Series(list(made), dtype=pl.String), "made": pl.Series(list(made.values()), dtype=kind)}
    )
    return keys.to_frame("key").join(table, on="key", how="left", maintain_order="left")["made"].alias(keys.name)


def _flags(call: Call, kept: pl.DataFrame, said: Said) -> tuple[pl.Series, pl.Series]:
    """Why each entry is flagged, its party's flags among them, as a list tells it; and the severity of the first.

    A member is told by those rules alone whose flags their party sees. `said` keeps what was made words of before.
    """
    rules, zone, member = policies.rules(call), call.tx.workspace.zone, within_sight(call) is not None
    if len(said) > SAID:
        said.clear()
    on: dict[str, list[tuple[bool, int, str, str]]] = {}
    for line in call.tx.flags.lines({*kept["id"], *kept["party_id"]}, call.now):
        subject, accepted, severity, name, facts, reason = line
        rule = rules.get(name)
        if not member or (rule is not None and rule.party_sees):
            key = (name, facts)
            if key not in said:
                said[key] = sentence(rule.reason, orjson.loads(facts), zone) if rule is not None else ""
            on.setdefault(subject, []).append((accepted, -severity, name, said[key] or reason))
    flagged = kept.filter(pl.col("id").is_in(list(on)) | pl.col("party_id").is_in(list(on)))
    reasons, worst = dict[str, list[str]](), dict[str, str]()
    for entry, party in flagged.select("id", "party_id").rows():
        lines = sorted((*on.get(entry, ()), *on.get(party, ())))
        reasons[entry] = [reason for _, _, _, reason in lines]
        worst[entry] = Severity.ranked(-lines[0][1]).value
    ids = kept["id"]
    return _matched(ids, reasons, pl.List(pl.String)).alias("flags"), _matched(ids, worst, pl.String()).alias(
        "severity"
    )
