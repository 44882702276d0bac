"""What a policy finds in a whole inventory, from columns in memory: joined once, all rules in one pass."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, Any, TypeVar

from openlatch.core.powers import ORDER
from openlatch.core.rules.bulk import OF, OF_ENTRY, Columns
from openlatch.core.rules.catalogue import BITS
from openlatch.core.rules.evidence import facts_column
from openlatch.core.rules.program import Compiled, Program
from openlatch.core.rules.risk import COUNTED, MIDDLE, MOST
from openlatch.core.rules.singly import MOST_NAMES, tallied
from openlatch.core.rules.tree import Column, Count, Group, Names, inside
from openlatch.deferred import deferred
from openlatch.words import Subject

if TYPE_CHECKING:
    import polars as pl
else:
    pl = deferred("polars")

__all__ = ["Everything", "Frames", "evaluate_all"]

SLICE = 200_000
"""So many entries are looked at at once."""
Picked = TypeVar("Picked", "pl.DataFrame", "pl.Series")
Pick = Callable[[Any], Any]
"""Picks some of the rows of a frame, or of a column."""


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

    Where the account, party and provider of each entry stand is looked up once, and groups go by these places; a slice
    then only picks rows. What a group counts is marked beside each entry first, one bit each, and then added up.
    """

    def __init__(self, program: Program, frames: Frames, now: int, horizon: int) -> None:
        self._program = program
        self._frames = frames
        self._horizon = horizon
        self._counted = program.counted
        self._columns = Columns(now, self._counted)
        accounts, parties, providers = (
            _places(frames.entries, frame, key)
            for frame, key in (
                (frames.accounts, "account_id"),
                (frames.parties, "party_id"),
                (frames.providers, "provider_id"),
            )
        )
        self._around = ((frames.accounts, accounts), (frames.parties, parties), (frames.providers, providers))
        self._listed = list(
            dict.fromkeys(node for rule in program.rules for _, node in rule.facts if isinstance(node, Names))
        )
        self._groups = [group for group in Group if self._counted[group]]
        of = {OF[Group.ACCOUNT]: accounts, OF[Group.PARTY]: parties}
        if Group.PAIR in {*self._groups, *(names.group for names in self._listed)}:
            of[OF[Group.PAIR]] = _pairs(accounts, parties, frames)
        self._marks = pl.DataFrame(of).hstack(self._marked())
        self._tallies = {
            group: self._columns.tallied(self._marks.lazy(), group).collect().with_row_index("row")
            for group in self._groups
        }
        # Each mark is added up now; what is listed by name is still asked of single entries.
        self._marks = self._marks.select(*of, *(f"names:{place}" for place in range(len(self._listed))))

    def all(self) -> Everything:
        flags, soonest, risks = [_none()], [_never()], [pl.Series("risk", [], pl.Int64)]
        wanted = self._program.columns(Subject.ENTRY)
        groups = self._groups_on(Subject.ENTRY)
        rows = {group: self._rows_of(group) for group in groups}
        tallies = {group: self._tallies[group].select(self._told(Subject.ENTRY, group)) for group in groups}
        for start in range(0, self._frames.entries.height, SLICE):
            pick = partial(_slice, start)
            wide = self._joined(wanted, pick, self._risk())
            beside = [tallies[group][pick(rows[group])] for group in groups]
            frame = pl.concat([wide, pick(self._marks), *beside], how="horizontal")
            found, moments = self._look(Subject.ENTRY, frame)
            flags.append(found)
            soonest.append(moments)
            risks.append(wide["risk"])
        risk = pl.concat(risks)
        of_accounts = self._look(Subject.ACCOUNT, self._with_tally(self._of_provider(), Subject.ACCOUNT, Group.ACCOUNT))
        of_parties = self._look(Subject.PARTY, self._with_tally(self._frames.parties, Subject.PARTY, Group.PARTY))
        return Everything(
            {
                Subject.ENTRY: pl.concat(flags, how="vertical_relaxed"),
                Subject.ACCOUNT: of_accounts[0],
                Subject.PARTY: of_parties[0],
            },
            {
                Subject.ENTRY: self._frames.entries.select(id="entry_id").with_columns(risk),
                Subject.ACCOUNT: _combined(risk, self._marks["of:account"], self._frames.accounts, "account_id"),
                Subject.PARTY: _combined(risk, self._marks["of:party"], self._frames.parties, "party_id"),
            },
            {
                Subject.ENTRY: pl.concat(soonest, how="vertical_relaxed"),
                Subject.ACCOUNT: of_accounts[1],
                Subject.PARTY: of_parties[1],
            },
        )

    def _marked(self) -> pl.DataFrame:
        """Of each entry what its groups count, and which of those it is that are listed by name."""
        conditions = [node.condition for counted in self._counted.values() for node in counted]
        conditions += [names.condition for names in self._listed]
        told = {each.name for node in conditions for each in inside(node) if isinstance(each, Column)}
        told |= {node.different for counted in self._counted.values() for node in counted if isinstance(node, Count)}
        marks = [mark for group in self._groups for mark in self._columns.marked(group)]
        marks += [
            self._columns.true(names.condition).alias(f"names:{place}") for place, names in enumerate(self._listed)
        ]
        wanted = ("entry_id", *sorted(told - {"", "entry_id", *OF_ENTRY}))
        slices = [
            self._joined(wanted, partial(_slice, start), *marks).drop(wanted)
            for start in range(0, max(self._frames.entries.height, 1), SLICE)
        ]
        return pl.concat(slices)

    def _rows_of(self, group: Group) -> pl.Series:
        """For each entry the row of its group among the tallies."""
        rows = self._tallies[group].select(OF[group], "row")
        return self._marks.select(OF[group]).join(rows, on=OF[group], how="left", maintain_order="left")["row"]

    def _told(self, subject: Subject, group: Group) -> list[str]:
        """The columns of a group's tallies that rules on a kind of subject ask for."""
        asked = tallied(self._program.nodes(subject), group)
        places = [self._counted[group].index(node) for node in asked]
        counts = [f"{group}:{place}:{which}" for place in places for which in ("true", "false")]
        soonest = f"{group}:soonest"
        return [f"{group}:entries", *counts, *([soonest] if soonest in self._tallies[group].columns else [])]

    def _groups_on(self, subject: Subject) -> list[Group]:
        return [group for group in Group if tallied(self._program.nodes(subject), group)]

    def _of_provider(self) -> pl.DataFrame:
        """The accounts, each with what is known of its provider."""
        accounts = self._frames.accounts
        return accounts.join(self._frames.providers, on="provider_id", how="left", maintain_order="left")

    def _with_tally(self, frame: pl.DataFrame, subject: Subject, group: Group) -> pl.DataFrame:
        """Accounts or parties with what is counted over their entries; nothing is counted where there are none."""
        key = OF[group]
        frame = frame.with_row_index(key)
        if group not in self._groups_on(subject):
            return frame
        told = self._told(subject, group)
        joined = frame.join(self._tallies[group].select(key, *told), on=key, how="left", maintain_order="left")
        return joined.with_columns(pl.col(name).fill_null(0) for name in told if not name.endswith("soonest"))

    def _joined(self, wanted: Sequence[str], pick: Pick, *more: pl.Expr) -> pl.DataFrame:
        """Some of the entries, with what is wanted of their account, party and provider."""
        entries = self._frames.entries
        parts: list[pl.DataFrame] = []
        own = [name for name in wanted if name in entries.columns]
        if own:
            parts.append(pick(entries.select(own)))
        for around, places in self._around:
            columns = [name for name in wanted if name in around.columns and name not in own]
            if columns:
                parts.append(around.select(columns)[pick(places)])
        frame: pl.DataFrame = pl.concat(parts, how="horizontal")
        return frame.select(*wanted).with_columns(*more)

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
        key = f"{subject}_id"
        conditions = [
            node for _, compiled_rule in rules for node in (compiled_rule.when, *(n for _, n in compiled_rule.worse))
        ]
        if subject is Subject.ENTRY:
            conditions += [node for _, node in self._program.circumstances]
        instants = [
            self._columns.soonest(conditions),
            *(pl.col(name) for name in frame.columns if name.endswith(":soonest")),
        ]
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
        key = OF[node.group]
        mark = f"names:{self._listed.index(node)}"
        among = (
            self._marks.lazy()
            .with_row_index("row")
            .filter(mark)
            .select("row", key)
            .join(hits.select(key).unique(), on=key, how="semi")
            .collect()
        )
        texts = self._joined([node.column.name], lambda some: some[among["row"]])
        listed = (
            pl.concat([among, texts], how="horizontal")
            .lazy()
            .group_by(key)
            .agg(
                self._columns.value(node.column).drop_nulls().unique().sort().head(MOST_NAMES).alias(f"names:{name}"),
            )
        )
        empty = pl.lit([], dtype=pl.List(pl.String))
        hits = hits.drop(f"names:{name}", strict=False).join(listed, on=key, how="left")
        return hits.with_columns(pl.col(f"names:{name}").fill_null(empty))


def _none() -> pl.DataFrame:
    return pl.DataFrame(schema={"rule": pl.Int64, "id": pl.Null, "severity": pl.Int64, "facts": pl.String})


def _never() -> pl.DataFrame:
    return pl.DataFrame(schema={"id": pl.Null, "at": pl.Int64})


def _combined(risk: pl.Series, places: pl.Series, everyone: pl.DataFrame, key: str) -> pl.DataFrame:
    """The risk of each account or party from those of its entries, as `risk.shares` adds it up."""
    frame = (
        pl.LazyFrame({"place": places, "risk": risk})
        .group_by("place")
        .agg(pl.col("risk").top_k(COUNTED).sort(descending=True).alias("worst"))
        .select("place", "worst", risk=pl.col("worst").list.first())
    )
    for place in range(1, COUNTED):
        number = pl.col("worst").list.get(place, null_on_oob=True).fill_null(0)
        frame = frame.with_columns(risk=pl.col("risk") + ((MOST - pl.col("risk")) * number).floordiv(2 * MOST))
    return (
        everyone.lazy()
        .select(id=key)
        .with_row_index("place")
        .join(frame.select("place", "risk"), on="place", how="left", maintain_order="left")
        .select("id", pl.col("risk").fill_null(0))
        .collect()
    )


def _places(entries: pl.DataFrame, frame: pl.DataFrame, key: str) -> pl.Series:
    """For each entry the place of the row in a frame that has its key."""
    rows = frame.select(key).with_row_index("at")
    return entries.select(key).join(rows, on=key, how="left", maintain_order="left")["at"]


def _slice(start: int, some: Picked) -> Picked:
    return some.slice(start, SLICE)


def _pairs(accounts: pl.Series, parties: pl.Series, frames: Frames) -> pl.Series:
    """A number for the account, the party and the level of each entry: the same only where all three are the same."""
    levels = frames.entries["entry_level"].cast(pl.Categorical).to_physical().rank("dense")
    most = frames.entries["entry_level"].n_unique() + 1
    if frames.accounts.height * frames.parties.height * most >= 1 << 64:
        raise OverflowError("so many accounts, parties and levels cannot be numbered")
    number = accounts.cast(pl.UInt64) * frames.parties.height + parties
    return number * most + levels
