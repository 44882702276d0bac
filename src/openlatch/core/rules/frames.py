"""What a policy finds in a whole inventory, from columns in memory: joined once, all rules in one pass."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from openlatch.core.powers import ORDER
from openlatch.core.rules.bulk import KEYS, Columns
from openlatch.core.rules.catalogue import BITS
from openlatch.core.rules.evidence import facts_column
from openlatch.core.rules.program import Compiled, Program
from openlatch.core.rules.risk import COUNTED, MIDDLE, MOST
from openlatch.core.rules.singly import MOST_NAMES, tallied
from openlatch.core.rules.tree import Column, Group, Names, inside
from openlatch.deferred import deferred
from openlatch.words import Subject

if TYPE_CHECKING:
    import polars as pl
else:
    pl = deferred("polars")

__all__ = ["Everything", "Frames", "evaluate_all"]

SLICE = 250_000
"""So many entries are looked at at once."""


@dataclass(frozen=True, slots=True)
class Frames:
    """The inventory as columns: standing entries, and all accounts, parties and providers, joined by their ids.

    Each has a column `..._id` of its own; entries also those of their account, party and provider, accounts that of
    their provider. Other columns are named as in the catalogue; those that no rule needs can be left out.
    """

    entries: pl.DataFrame
    accounts: pl.DataFrame
    parties: pl.DataFrame
    providers: pl.DataFrame


@dataclass(frozen=True, slots=True)
class Everything:
    """What holds in a whole inventory, by kind of subject.

    `flags` have the columns rule, id, severity and facts, `risks` id and risk, `soonest` id and at.
    """

    flags: Mapping[Subject, pl.DataFrame]
    risks: Mapping[Subject, pl.DataFrame]
    soonest: Mapping[Subject, pl.DataFrame]


def evaluate_all(program: Program, frames: Frames, now: int, horizon: int) -> Everything:
    """Return all that holds now; instants after the horizon are left out, since all is looked at again before it."""
    return _Pass(program, frames, now, horizon).all()


class _Pass:
    """One evaluation. Entries are looked at in slices, so that a large holder takes little memory.

    Where the account, party and provider of each entry stand is looked up once; a slice then only picks their rows.
    """

    def __init__(self, program: Program, frames: Frames, now: int, horizon: int) -> None:
        self._program = program
        self._frames = frames
        self._horizon = horizon
        self._counted = program.counted
        self._columns = Columns(now, self._counted)
        self._around = tuple(
            (frame, _places(frames.entries, frame, key))
            for frame, key in (
                (frames.accounts, "account_id"),
                (frames.parties, "party_id"),
                (frames.providers, "provider_id"),
            )
        )
        self._grouped = self._joined(frames.entries, self._group_columns(), 0)
        self._tallies = {
            group: self._columns.tallied(self._grouped.lazy(), group).collect()
            for group in Group
            if self._counted[group]
        }

    def all(self) -> Everything:
        flags, soonest, risks = [_none()], [_never()], []
        wanted = self._program.columns(Subject.ENTRY)
        beside = self._beside()
        start = 0
        for some in self._frames.entries.iter_slices(SLICE):
            wide = self._joined(some, wanted, start, self._risk())
            frame, moments = self._look(Subject.ENTRY, wide.hstack(beside.slice(start, some.height)))
            flags.append(frame)
            soonest.append(moments)
            risks.append(wide.select("entry_id", "account_id", "party_id", "risk"))
            start += some.height
        risk = pl.concat(risks) if risks else self._joined(self._frames.entries, wanted, 0, self._risk())
        accounts = self._frames.accounts.join(self._frames.providers, on="provider_id", how="left")
        of_accounts = self._look(Subject.ACCOUNT, self._with_tally(accounts, Subject.ACCOUNT, Group.ACCOUNT))
        of_parties = self._look(Subject.PARTY, self._with_tally(self._frames.parties, Subject.PARTY, Group.PARTY))
        return Everything(
            {
                Subject.ENTRY: pl.concat(flags, how="vertical_relaxed"),
                Subject.ACCOUNT: of_accounts[0],
                Subject.PARTY: of_parties[0],
            },
            {
                Subject.ENTRY: risk.select(id="entry_id", risk="risk"),
                Subject.ACCOUNT: _combined(risk, "account_id", self._frames.accounts),
                Subject.PARTY: _combined(risk, "party_id", self._frames.parties),
            },
            {
                Subject.ENTRY: pl.concat(soonest, how="vertical_relaxed"),
                Subject.ACCOUNT: of_accounts[1],
                Subject.PARTY: of_parties[1],
            },
        )

    def _beside(self) -> pl.DataFrame:
        """What is counted around each entry, as far as rules on entries ask for it, in the order of the entries."""
        keys = self._grouped.select(pl.col(key) for key in dict.fromkeys(k for some in KEYS.values() for k in some))
        frame = keys.select(pl.col("account_id").is_not_null().alias("beside"))
        nodes = self._program.nodes(Subject.ENTRY)
        for group in self._groups(Subject.ENTRY):
            places = [self._counted[group].index(node) for node in tallied(nodes, group)]
            wanted = [
                f"{group}:entries",
                f"{group}:soonest",
                *(f"{group}:{n}:{w}" for n in places for w in ("true", "false")),
            ]
            tally = self._tallies[group].select(*KEYS[group], *wanted)
            frame = frame.hstack(
                keys.join(tally, on=list(KEYS[group]), how="left", maintain_order="left").select(wanted)
            )
        return frame

    def _groups(self, subject: Subject) -> list[Group]:
        return [group for group in Group if tallied(self._program.nodes(subject), group)]

    def _with_tally(self, frame: pl.DataFrame, subject: Subject, group: Group) -> pl.DataFrame:
        """Accounts or parties with what is counted over their entries; nothing is counted where there are none."""
        if group not in self._groups(subject):
            return frame
        counted = self._tallies[group]
        joined = frame.join(counted, on=list(KEYS[group]), how="left", maintain_order="left")
        names = [name for name in counted.columns if name.startswith(f"{group}:") and not name.endswith("soonest")]
        return joined.with_columns(pl.col(name).fill_null(0) for name in names)

    def _group_columns(self) -> tuple[str, ...]:
        """The columns that are needed of entries as parts of groups."""
        conditions = [node.condition for counted in self._counted.values() for node in counted]
        listed = [n for rule in self._program.rules for _, n in rule.facts if isinstance(n, Names)]
        nodes = [*conditions, *(n.condition for n in listed), *(n.column for n in listed)]
        texts = {each_node.name for node in nodes for each_node in inside(node) if isinstance(each_node, Column)}
        keys = ("entry_id", *(dict.fromkeys(key for keys in KEYS.values() for key in keys)))
        return (*keys, *sorted(texts - set(keys)))

    def _joined(self, entries: pl.DataFrame, wanted: Sequence[str], start: int, *more: pl.Expr) -> pl.DataFrame:
        """A slice of the entries, from a place on, with what is wanted of their account, party and provider."""
        parts = [entries.select(name for name in wanted if name in entries.columns)]
        for frame, places in self._around:
            columns = [name for name in wanted if name in frame.columns and name not in entries.columns]
            if columns:
                parts.append(frame.select(columns)[places.slice(start, entries.height)])
        return pl.concat(parts, how="horizontal").select(*wanted, *more)

    def _risk(self) -> pl.Expr:
        weights = self._program.weights
        powers = pl.col("entry_powers")
        base = pl.sum_horizontal(
            *(((powers & BITS[p]) != 0).cast(pl.Int64) * (100 * weights.powers[p]) for p in ORDER),
            (pl.col("entry_unknown").list.len() > 0).cast(pl.Int64) * (100 * weights.unknown),
        )
        total = base
        for name, node in self._program.circumstances:
            # Times 100 over 100 changes nothing; so the expression grows by one factor, and does not double each time.
            percent = pl.when(self._columns.true(node)).then(pl.lit(weights.percent[name])).otherwise(pl.lit(100))
            total = (total * percent).floordiv(100)
        points = total.floordiv(100)
        return (points * MOST).floordiv(points + MIDDLE).cast(pl.Int64).alias("risk")

    def _look(self, subject: Subject, frame: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
        """The flags on one kind of subject, and when each is to be looked at again."""
        rules = self._program.on(subject)
        groups = self._groups(subject)
        key = f"{subject}_id"
        conditions = [
            node for _, compiled_rule in rules for node in (compiled_rule.when, *(n for _, n in compiled_rule.worse))
        ]
        if subject is Subject.ENTRY:
            conditions += [node for _, node in self._program.circumstances]
        instants = [self._columns.soonest(conditions), *(pl.col(f"{group}:soonest") for group in groups)]
        masks = {f"rule:{place}": self._columns.true(each_compiled_rule.when) for place, each_compiled_rule in rules}
        held = frame.lazy().with_columns(**masks, at=pl.min_horizontal(instants)).collect()
        soonest = held.filter(pl.col("at") <= self._horizon).select(id=key, at="at")
        if not rules:
            return _none(), soonest
        hits = held.filter(pl.any_horizontal(*masks))
        frames = [self._flags(place, one, hits.lazy().filter(f"rule:{place}"), key) for place, one in rules]
        return pl.concat(pl.collect_all(frames)), soonest

    def _flags(self, place: int, compiled_rule: Compiled, hits: pl.LazyFrame, key: str) -> pl.LazyFrame:
        severity = pl.lit(compiled_rule.rule.severity.rank)
        for rank, node in sorted(compiled_rule.worse, key=lambda pair: pair[0]):
            if rank > compiled_rule.rule.severity.rank:
                severity = pl.when(self._columns.true(node)).then(pl.lit(rank)).otherwise(severity)
        values: list[pl.Expr] = []
        for name, node in compiled_rule.facts:
            if isinstance(node, Names):
                hits = self._with_names(hits, name, node)
                values.append(pl.col(f"names:{name}"))
            else:
                values.append(self._columns.value(node))
        types = [node.type for _, node in compiled_rule.facts]
        facts = facts_column([name for name, _ in compiled_rule.facts], types, values)
        return hits.select(
            rule=pl.lit(place, dtype=pl.Int64), id=pl.col(key), severity=severity.cast(pl.Int64), facts=facts
        )

    def _with_names(self, hits: pl.LazyFrame, name: str, node: Names) -> pl.LazyFrame:
        keys = list(KEYS[node.group])
        column = self._columns.value(node.column)
        listed = (
            self._grouped.lazy()
            .filter(self._columns.true(node.condition))
            .join(hits.select(keys).unique(), on=keys, how="semi")
            .group_by(keys)
            .agg(column.drop_nulls().unique().sort().head(MOST_NAMES).alias(f"names:{name}"))
        )
        empty = pl.lit([], dtype=pl.List(pl.String))
        return hits.join(listed, on=keys, how="left").with_columns(pl.col(f"names:{name}").fill_null(empty))


def _none() -> pl.DataFrame:
    return pl.DataFrame(schema={"rule": pl.Int64, "id": pl.Null, "severity": pl.Int64, "facts": pl.String})


def _never() -> pl.DataFrame:
    return pl.DataFrame(schema={"id": pl.Null, "at": pl.Int64})


def _combined(risks: pl.DataFrame, key: str, everyone: pl.DataFrame) -> pl.DataFrame:
    """The risk of each account or party from those of its entries, as `risk.shares` adds it up."""
    frame = (
        risks.lazy()
        .group_by(key)
        .agg(pl.col("risk").top_k(COUNTED).sort(descending=True).alias("worst"))
        .select(id=key, worst="worst", risk=pl.col("worst").list.first())
    )
    for place in range(1, COUNTED):
        number = pl.col("worst").list.get(place, null_on_oob=True).fill_null(0)
        frame = frame.with_columns(risk=pl.col("risk") + ((MOST - pl.col("risk")) * number).floordiv(2 * MOST))
    return (
        everyone.lazy()
        .select(id=key)
        .join(frame.select("id", "risk"), on="id", how="left")
        .with_columns(pl.col("risk").fill_null(0))
        .collect()
    )


def _places(entries: pl.DataFrame, frame: pl.DataFrame, key: str) -> pl.Series:
    """For each entry the place of the row in a frame that has its key."""
    rows = frame.select(key).with_row_index("at")
    return entries.select(key).join(rows, on=key, how="left", maintain_order="left")["at"]
