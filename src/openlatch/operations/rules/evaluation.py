"""Asking a policy what holds: of the subjects that a change concerns, or of the whole inventory."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import timedelta
from functools import lru_cache
from typing import TYPE_CHECKING, Any
from uuid import UUID

from openlatch.core.model import Circle
from openlatch.core.rules.check import EPOCH, micros
from openlatch.core.rules.flags import Finding
from openlatch.core.rules.frames import Everything, Frames, evaluate_all
from openlatch.core.rules.policy import Policy
from openlatch.core.rules.program import Program
from openlatch.core.rules.rows import Concerned, Found, Outcome, Singly
from openlatch.core.rules.singly import tallied
from openlatch.core.rules.through import COLUMN, NEEDS, through_frame, through_rows
from openlatch.core.rules.tree import Column, Group, inside
from openlatch.deferred import deferred
from openlatch.operations.call import Call
from openlatch.operations.rules import circles
from openlatch.store.inventory.facts import Snapshot
from openlatch.words import Severity, Subject

if TYPE_CHECKING:
    import polars as pl
else:
    pl = deferred("polars")

__all__ = [
    "HORIZON",
    "MOST_ROWS",
    "Ask",
    "Looked",
    "everything",
    "findings",
    "found",
    "of_everything",
    "of_some",
    "singly",
]

MOST_ROWS = 3000
"""So many entries are looked at row by row, in the transaction that changed them; more are looked at in columns."""
HORIZON = timedelta(days=2)
"""When to look again is kept for so long ahead; everything is looked at again at least once a day."""


@dataclass(frozen=True, slots=True)
class Ask:
    """A policy to ask, in force or only tried; `drawn` is its circle, where that is not the present one."""

    policy: Policy
    program: Program
    drawn: Circle | None = None


@dataclass(frozen=True, slots=True)
class Looked:
    """Which subjects were looked at, and what was found."""

    concerned: Concerned
    outcome: Outcome


@lru_cache(maxsize=32)
def singly(program: Program) -> Singly:
    """Return a program as functions over rows; made once for each program."""
    return Singly(program)


def of_some(
    call: Call, ask: Ask, entries: Iterable[UUID], accounts: Iterable[UUID], parties: Iterable[UUID]
) -> Looked | None:
    """Return what holds for these entries, accounts and parties, and for what hangs together with them by a rule.

    None if these are so many that columns are the better way.
    """
    one = singly(ask.program)
    columns = one.columns[Subject.ENTRY]
    wide = tuple(dict.fromkeys((*columns, *NEEDS)))
    rows = _Rows(call, wide)
    given = set(entries)
    rows.load(accounts, parties, given)
    on_accounts = set(accounts) | {row["account_id"] for row in rows.of(given)}
    of_parties = set(parties) | {row["party_id"] for row in rows.of(given)}
    if not rows.load(on_accounts, of_parties):
        return None
    needs = _needs(ask.program)
    wanted = {
        row["entry_id"]
        for row in rows.every()
        if row["entry_id"] in given
        or (Group.ACCOUNT in needs and row["account_id"] in on_accounts)
        or (Group.PARTY in needs and row["party_id"] in of_parties)
    }
    around = rows.of(wanted) if not _through_of_parties(ask.program) else rows.every()
    if not rows.load({row["account_id"] for row in around}, {row["party_id"] for row in rows.of(wanted)}):
        return None
    concerned = Concerned(frozenset(wanted), frozenset(on_accounts), frozenset(of_parties))
    return _evaluated(call, ask, rows, concerned)


def of_everything(call: Call, ask: Ask) -> Looked:
    """Return what holds in an inventory that is small enough to be looked at row by row."""
    one = singly(ask.program)
    rows = _Rows(call, tuple(dict.fromkeys((*one.columns[Subject.ENTRY], *NEEDS))), most=None)
    accounts, parties = call.tx.accounts.ids(), call.tx.parties.ids()
    rows.load(accounts, ())
    concerned = Concerned(frozenset(row["entry_id"] for row in rows.every()), frozenset(accounts), frozenset(parties))
    return _evaluated(call, ask, rows, concerned)


class _Rows:
    """The entries that were loaded so far, each by the names of its columns."""

    def __init__(self, call: Call, columns: tuple[str, ...], most: int | None = MOST_ROWS) -> None:
        self._call = call
        self._columns = columns
        self._most = most
        self._rows: dict[UUID, dict[str, Any]] = {}
        self._accounts: set[UUID] = set()
        self._parties: set[UUID] = set()

    def load(self, accounts: Iterable[UUID], parties: Iterable[UUID], ids: Iterable[UUID] = ()) -> bool:
        """Load what stands on these accounts, of these parties, and these ids; False if that is too much."""
        new_accounts, new_parties = set(accounts) - self._accounts, set(parties) - self._parties
        new = set(ids) - self._rows.keys()
        if new_accounts or new_parties or new:
            for row in self._call.tx.facts.entries(self._columns, new_accounts, new_parties, new):
                self._rows[row[0]] = dict(zip(self._columns, row, strict=True))
        self._accounts |= new_accounts
        self._parties |= new_parties
        return self._most is None or len(self._rows) <= self._most

    def of(self, ids: Collection[UUID]) -> list[dict[str, Any]]:
        return [self._rows[each_id] for each_id in ids if each_id in self._rows]

    def every(self) -> list[dict[str, Any]]:
        return list(self._rows.values())


@lru_cache(maxsize=32)
def _needs(program: Program) -> set[Group]:
    """The groups whose other entries bear on what is found of an entry."""
    nodes = program.nodes(Subject.ENTRY)
    needs = {group for group in (Group.ACCOUNT, Group.PARTY) if tallied(nodes, group)}
    if tallied(nodes, Group.PAIR) or COLUMN in program.columns(Subject.ENTRY):
        needs.add(Group.ACCOUNT)
    return needs


@lru_cache(maxsize=32)
def _through_of_parties(program: Program) -> bool:
    """Whether what teams give on other accounts is asked of all that a party holds."""
    counted = program.counted[Group.PARTY]
    return any(isinstance(n, Column) and n.name == COLUMN for node in counted for n in inside(node.condition))


def _evaluated(call: Call, ask: Ask, rows: _Rows, concerned: Concerned) -> Looked:
    one = singly(ask.program)
    over = circles.overlay(call, ask.policy)
    every = rows.every()
    if COLUMN in one.columns[Subject.ENTRY]:
        teams = call.tx.memberships.above({row["party_id"] for row in every})
        through = through_rows(every, teams)
    else:
        through = {}
    drawn = _drawn(call, ask, {row["party_id"] for row in every} | concerned.parties)
    for row in every:
        row[COLUMN] = through.get((row["account_id"], row["party_id"]), 0)
        _lay_over(row, over, drawn)
    subjects: dict[Subject, list[tuple[Any, ...]]] = {}
    for subject, ids, load in (
        (Subject.ACCOUNT, concerned.accounts, call.tx.facts.accounts),
        (Subject.PARTY, concerned.parties, call.tx.facts.parties),
    ):
        columns = one.columns[subject]
        documents = [dict(zip(columns, row, strict=True)) for row in load(columns, ids)]
        for row in documents:
            _lay_over(row, over, drawn)
        subjects[subject] = [tuple(row[name] for name in columns) for row in documents]
    entries = [tuple(row[name] for name in one.columns[Subject.ENTRY]) for row in every]
    outcome = one.evaluate(
        entries, subjects[Subject.ACCOUNT], subjects[Subject.PARTY], concerned, micros(call.now - EPOCH)
    )
    return Looked(concerned, outcome)


def _drawn(call: Call, ask: Ask, parties: Iterable[UUID]) -> dict[UUID, circles.Acquaintance]:
    """What a circle that is only tried makes of parties."""
    if ask.drawn is None:
        return {}
    return circles.acquaint(call, ask.drawn, call.tx.parties.some(parties).values())


def _lay_over(row: dict[str, Any], over: circles.Overlay, drawn: dict[UUID, circles.Acquaintance]) -> None:
    if "account_id" in row:
        row["account_tags"] = over.account_tags.get(row["account_id"], [])
        row["account_over"] = over.account_over.get(row["account_id"])
    if "party_id" in row:
        party = row["party_id"]
        row["party_tags"], row["party_over"] = over.party_tags.get(party, []), over.party_over.get(party)
        if party in drawn:
            now = drawn[party]
            row["party_outside"], row["party_near"], row["party_near_how"] = now.outside, now.near, now.near_how


def everything(call: Call, ask: Ask, snapshot: Snapshot) -> tuple[Everything, Frames]:
    """Return what holds in a whole inventory, looked at in columns."""
    program = ask.program
    wanted = {name for subject in Subject for name in program.columns(subject)} | {*NEEDS, "party_outside"}
    entries = snapshot.entries(wanted)
    if COLUMN in wanted:
        entries = through_frame(entries, snapshot.memberships())
    over = circles.overlay(call, ask.policy)
    accounts = _tagged(snapshot.accounts(wanted), "account", over.account_tags, over.account_over)
    parties = _tagged(snapshot.parties(wanted), "party", over.party_tags, over.party_over)
    if ask.drawn is not None:
        ids = [UUID(bytes=value) for value in parties["party_id"]]
        drawn = _drawn(call, ask, ids)
        seen = [drawn[each_id] for each_id in ids]
        parties = parties.with_columns(
            pl.Series("party_outside", [acquaintance.outside for acquaintance in seen], pl.Boolean),
            pl.Series("party_near", [acquaintance.near for acquaintance in seen], pl.String),
            pl.Series("party_near_how", [acquaintance.near_how for acquaintance in seen], pl.String),
        )
    frames = Frames(entries, accounts, parties, snapshot.providers(wanted))
    now = micros(call.now - EPOCH)
    return evaluate_all(program, frames, now, now + micros(HORIZON)), frames


def _tagged(frame: pl.DataFrame, what: str, tags: Any, over: Any) -> pl.DataFrame:
    if not tags:
        return frame
    laid = pl.DataFrame(
        {
            f"{what}_id": [tag.bytes for tag in tags],
            f"{what}_tags": list(tags.values()),
            f"{what}_over": [over.get(tag) for tag in tags],
        },
        schema={f"{what}_id": pl.Binary, f"{what}_tags": pl.List(pl.String), f"{what}_over": pl.Int64},
    )
    return frame.update(laid, on=f"{what}_id", how="left")


def found(program: Program, one: Found) -> Finding:
    """Return a finding by the id of its rule."""
    assert isinstance(one.id, UUID)  # noqa: S101 - rows carry ids
    return Finding(program.rules[one.rule].rule.id, one.subject, one.id, Severity.ranked(one.severity), one.facts)


def findings(program: Program, every: Everything) -> pl.DataFrame:
    """Return what was found in columns by the ids of its rules: rule, subject, id, severity, facts."""
    names = pl.DataFrame(
        {"place": range(len(program.rules)), "rule": [rule.rule.id for rule in program.rules]},
        schema={"place": pl.Int64, "rule": pl.String},
    )
    return pl.concat(
        flags.lazy()
        .rename({"rule": "place"})
        .join(names.lazy(), on="place", how="left")
        .select("rule", pl.lit(subject.value).alias("subject"), pl.col("id").cast(pl.Binary), "severity", "facts")
        for subject, flags in every.flags.items()
    ).collect()
