"""The facts that rules speak of, read from the tables: rows of a few subjects, or columns of a whole workspace.

Both come from the same expressions, one for each column of the catalogue. What the policy itself says of a subject,
such as its tags, and what teams give, is laid over them by the caller.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from typing import TYPE_CHECKING, Any
from uuid import UUID

from sqlalchemy import Engine, text

from openlatch.core.powers import ORDER
from openlatch.core.rules.catalogue import COLUMNS
from openlatch.core.rules.check import EPOCH, micros
from openlatch.core.rules.tree import Type
from openlatch.deferred import deferred
from openlatch.store.noun import Noun
from openlatch.words import Subject

if TYPE_CHECKING:
    import polars as pl
else:
    pl = deferred("polars")

if TYPE_CHECKING:
    import adbc_driver_postgresql.dbapi as adbc
else:
    adbc = deferred("adbc_driver_postgresql.dbapi")

__all__ = ["OVERLAID", "Facts", "Snapshot"]

PIECE = 5000
"""So many rows are looked at together where not all are."""
OVERLAID = ("entry_powers_through_teams", "account_tags", "party_tags", "account_over", "party_over")
"""Columns that are not kept, and that the caller fills in."""

_PLAIN = {
    "entry": "ref kind state level permissions unknown resources given_at given_by accepted_at last_used use_known "
    "ends_at end_unknown unanswered_at basis device network first_seen by_hand vouched_at",
    "account": "ref name criticality practice locked",
    "party": "ref kind name addresses status verified outside publisher near near_how reported reported_at",
    "provider": "name",
}
_ALIAS = {"entry": "e", "account": "a", "party": "p", "provider": "v"}
_EXPRESSIONS: Mapping[str, str] = {
    **{f"{table}_{name}": f"{_ALIAS[table]}.{name}" for table, names in _PLAIN.items() for name in names.split()},
    **{f"entry_uses_{power}": f"(e.uses->>'{power}')::timestamptz" for power in ORDER},
    "entry_powers": "e.power_bits",
    "party_service": "coalesce(p.service, false)",
    "entry_uses_known": "(e.uses is not null)",
    "entry_has_hours": "(e.hours is not null)",
    "entry_reviewed_at": "e.reviewed_at[cardinality(e.reviewed_at)]",
    "entry_hangs_on": "(e.hangs_on is not null)",
    "entry_dependencies": "jsonb_array_length(e.dependencies)",
    "provider_past_end": "nullif(v.abilities->>'past_end', '')",
    "provider_by_hand": "(v.connector = 'by-hand')",
    "provider_vouch_for": "(v.vouch_days * 86400000000::bigint)",
    "entry_id": "e.id",
    "account_id": "a.id",
    "party_id": "p.id",
    **dict.fromkeys(OVERLAID, "null"),
}
_FROM: Mapping[Subject, str] = {
    Subject.ENTRY: """
        entries e
        join accounts a on a.workspace_id = e.workspace_id and a.id = e.account_id
        join parties p on p.workspace_id = e.workspace_id and p.id = e.party_id
        join providers v on v.workspace_id = e.workspace_id and v.id = e.provider_id
    """,
    Subject.ACCOUNT: """
        accounts a join providers v on v.workspace_id = a.workspace_id and v.id = a.provider_id
    """,
    Subject.PARTY: "parties p",
}


class Facts(Noun):
    """Rows of facts of a few subjects, in this transaction."""

    def entries(
        self, columns: Sequence[str], accounts: Iterable[UUID], parties: Iterable[UUID], ids: Iterable[UUID] = ()
    ) -> list[list[Any]]:
        """Return the standing entries on these accounts, of these parties, or with these ids."""
        where = (
            "e.workspace_id = :workspace and e.state <> 'ended' and (e.account_id = any(:accounts) "
            "or e.party_id = any(:parties) or e.id = any(:ids))"
        )
        return self._rows(Subject.ENTRY, columns, where, accounts=accounts, parties=parties, ids=ids)

    def accounts(self, columns: Sequence[str], ids: Iterable[UUID]) -> list[list[Any]]:
        where = "a.workspace_id = :workspace and a.removed_at is null and a.id = any(:ids)"
        return self._rows(Subject.ACCOUNT, columns, where, ids=ids)

    def parties(self, columns: Sequence[str], ids: Iterable[UUID]) -> list[list[Any]]:
        where = "p.workspace_id = :workspace and p.id = any(:ids)"
        return self._rows(Subject.PARTY, columns, where, ids=ids)

    def count(self) -> int:
        """Return how many entries stand."""
        query = "select count(*) from entries where workspace_id = :workspace and state <> 'ended'"
        return int(self._session.execute(text(query), {"workspace": self._workspace_id}).scalar_one())

    def take_turns(self) -> None:
        """From here on, be the only transaction of the workspace that evaluates rules.

        Whoever is going to evaluate takes its turn before its first change: of two that change the same parties and
        wait for their turns only then, each would wait for the other.
        """
        statement = text("select pg_advisory_xact_lock(hashtextextended(:key, 0))")
        self._session.execute(statement, {"key": f"openlatch/rules/{self._workspace_id}"})

    def _rows(self, subject: Subject, columns: Sequence[str], where: str, **values: Iterable[UUID]) -> list[list[Any]]:
        listed = ", ".join(_EXPRESSIONS[name] for name in columns)
        statement = text(f"select {listed} from {_FROM[subject]} where {where}")
        bound = {name: list(ids) for name, ids in values.items()} | {"workspace": self._workspace_id}
        times = [n for n, name in enumerate(columns) if name in COLUMNS and COLUMNS[name].type is Type.TIME]
        found = [list(row) for row in self._session.execute(statement, bound)]
        for row in found:
            for place in times:
                at = row[place]
                if isinstance(at, datetime):
                    row[place] = micros(at - EPOCH)
        return found


_NUMBERS = frozenset({Type.INT, Type.TIME, Type.DURATION, Type.POWERS})


def _empty() -> dict[str, pl.Expr]:
    return {
        "entry_powers_through_teams": pl.lit(0, dtype=pl.Int64),
        "account_tags": pl.lit([], dtype=pl.List(pl.String)),
        "party_tags": pl.lit([], dtype=pl.List(pl.String)),
        "account_over": pl.lit(None, dtype=pl.Int64),
        "party_over": pl.lit(None, dtype=pl.Int64),
    }


class Snapshot:
    """A whole workspace at one instant, read as columns over a connection of its own."""

    def __init__(self, engine: Engine, workspace_id: UUID) -> None:
        url = engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
        self._connection = adbc.connect(url)
        self._workspace_id = workspace_id
        with self._connection.cursor() as cursor:
            cursor.execute("set transaction isolation level repeatable read, read only")
            cursor.execute(f"select set_config('openlatch.workspace', '{workspace_id}', false)")
            cursor.fetchall()

    def __enter__(self) -> Snapshot:
        return self

    def __exit__(self, *_: object) -> None:
        self._connection.close()

    def entries(self, columns: Iterable[str]) -> pl.DataFrame:
        """Return the standing entries with the ids of what they belong to, and their marks as they are kept."""
        kept = {
            "entry_id": "e.id",
            "account_id": "e.account_id",
            "party_id": "e.party_id",
            "provider_id": "e.provider_id",
            "kept_severity": "e.severity",
            "kept_outside": "e.outside",
            "kept_risk": "e.risk",
        }
        return self._frame("entry", columns, kept, "entries e where e.state <> 'ended'")

    def accounts(self, columns: Iterable[str]) -> pl.DataFrame:
        kept = {"account_id": "a.id", "provider_id": "a.provider_id", "kept_risk": "a.risk"}
        return self._frame("account", columns, kept, "accounts a where a.removed_at is null")

    def parties(self, columns: Iterable[str]) -> pl.DataFrame:
        kept = {"party_id": "p.id", "kept_risk": "p.risk"}
        return self._frame("party", columns, kept, "parties p where true")

    def providers(self, columns: Iterable[str]) -> pl.DataFrame:
        return self._frame("provider", columns, {"provider_id": "v.id"}, "providers v where true")

    def memberships(self) -> pl.DataFrame:
        """Return who acts as which team: `member_id` and `team_id`."""
        wanted = {"member_id": "m.member_id", "team_id": "m.team_id"}
        return self._read(wanted, "memberships m where m.ended_at is null and m.how = 'member'")

    def flags(self) -> pl.DataFrame:
        """Return the standing flags: flag_id, rule, subject, id, severity, facts, and the rank accepted."""
        wanted = {
            "flag_id": "f.id",
            "rule": "f.rule",
            "subject": "f.subject",
            "id": "f.subject_id",
            "severity": "f.severity",
            "facts": "f.facts",
            "accepted": "f.accepted_severity",
            "accepted_until": "f.accepted_until",
        }
        return self._read(wanted, "flags f where f.cleared_at is null")

    def upcoming(self) -> pl.DataFrame:
        """Return what is to be looked at again, and when: subject, id, at."""
        return self._read({"subject": "u.subject", "id": "u.subject_id", "at": "u.at"}, "upcoming u where true")

    def pieces(self, statement: str) -> Iterator[pl.DataFrame]:
        """Return what a statement reads, some thousands of rows at a time."""
        with self._connection.cursor() as cursor:
            cursor.execute(statement)
            for batch in cursor.fetch_record_batch():
                frame = pl.from_arrow(batch)
                assert isinstance(frame, pl.DataFrame)  # noqa: S101 - a batch has several columns
                yield from frame.iter_slices(PIECE)

    def _frame(self, table: str, columns: Iterable[str], kept: Mapping[str, str], source: str) -> pl.DataFrame:
        ours = [c for c in columns if c.startswith(f"{table}_") and c not in OVERLAID and c not in kept]
        frame = self._read({**kept, **{name: _EXPRESSIONS[name] for name in ours}}, source)
        return frame.with_columns(value.alias(name) for name, value in _empty().items() if name.startswith(f"{table}_"))

    def _read(self, wanted: Mapping[str, str], source: str) -> pl.DataFrame:
        listed = ", ".join(f"{expression} as {name}" for name, expression in wanted.items())
        with self._connection.cursor() as cursor:
            cursor.execute(
                f"select {listed} from {source} and {source.split()[1]}.workspace_id = '{self._workspace_id}'"
            )
            frame = pl.from_arrow(cursor.fetch_arrow_table())
        assert isinstance(frame, pl.DataFrame)  # noqa: S101 - a table has several columns
        times = [
            pl.col(n).dt.cast_time_unit("us").cast(pl.Int64)
            for n, kind in frame.schema.items()
            if isinstance(kind, pl.Datetime)
        ]
        small = [pl.col(n).cast(pl.Int64) for n, kind in frame.schema.items() if kind in (pl.Int16, pl.Int32)]
        return frame.with_columns(*times, *small)
