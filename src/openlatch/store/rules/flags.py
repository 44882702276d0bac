"""Flags: what was found to hold, since when, and when it stopped; and when to look at what again."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import fields
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy import (
    ColumnElement,
    Text,
    and_,
    cast,
    delete,
    false,
    func,
    insert,
    literal,
    not_,
    or_,
    select,
    text,
    update,
)

from openlatch.core.rules.flags import Acceptance, Flag
from openlatch.store.bulk import add_rows, change_rows
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun, id_or_ref, missing
from openlatch.store.pages import Page, Sort, page
from openlatch.store.rules.rows import AccountRiskRow, FlagRow, LookRow, UpcomingRow
from openlatch.words import Severity, Subject

__all__ = ["FlagLine", "Flags"]


_FLAG = Codec(FlagRow, Flag, apart=["acceptance"])
_ACCEPTED = {field.name: f"accepted_{field.name}" for field in fields(Acceptance)}
_ACCEPTANCE = Codec(FlagRow, Acceptance, named=_ACCEPTED)
_NOT_ACCEPTED = dict.fromkeys(_ACCEPTED.values())
_BEGUN, _ALL = "begun", "all"
"""In the place of a subject: that looks are noted, and that everything has to be looked at again."""
_NOTE = text("""
    insert into looks (workspace_id, subject, subject_id)
    select :workspace, new.subject, new.id
    from unnest(cast(:subjects as text[]), cast(:ids as uuid[])) as new (subject, id)
    where exists (select from looks where workspace_id = :workspace and subject = :begun)
    on conflict do nothing
""")


def _flag(row: FlagRow) -> Flag:
    return _FLAG.read(row, acceptance=None if row.accepted_at is None else _ACCEPTANCE.read(row))


class FlagLine(NamedTuple):
    """A standing flag as far as a list tells it: on what, whether accepted, how severe by its rank, and why."""

    subject: str
    accepted: bool
    severity: int
    rule: str
    facts: str
    reason: str


class Flags(Noun):
    """Queries over flags."""

    def raise_all(self, flags: Iterable[Flag]) -> None:
        add_rows(self._session, FlagRow, self._rows(flags))

    def change(self, flags: Iterable[Flag]) -> None:
        """Bring standing flags up to what holds now, and to whether that is accepted; they keep their date."""
        change_rows(self._session, FlagRow, self._rows(flags), versioned=False)

    def _rows(self, flags: Iterable[Flag]) -> list[dict[str, Any]]:
        return [
            self._rows_of(_FLAG, [flag])[0]
            | (_NOT_ACCEPTED if flag.acceptance is None else _ACCEPTANCE.values(flag.acceptance))
            for flag in flags
        ]

    def clear(self, ids: Iterable[UUID], now: datetime) -> None:
        wanted = list(ids)
        if wanted:
            self._session.execute(update(FlagRow).where(FlagRow.id == func.any(wanted)).values(cleared_at=now))

    def standing(self, subject_ids: Iterable[UUID | str]) -> tuple[Flag, ...]:
        """Return the standing flags on these subjects, the worst first."""
        query = select(FlagRow).where(FlagRow.subject_id == func.any(list(subject_ids)), FlagRow.cleared_at.is_(None))
        return tuple(_flag(row) for row in self._session.scalars(query.order_by(FlagRow.severity.desc(), FlagRow.rule)))

    def lines(self, subject_ids: Iterable[str], now: datetime) -> list[FlagLine]:
        """Return the standing flags on these subjects as far as a list tells them."""
        accepted = func.coalesce(FlagRow.accepted_until > now, literal(value=False))
        columns = (accepted, FlagRow.severity, FlagRow.rule, FlagRow.facts, FlagRow.reason)
        query = select(cast(FlagRow.subject_id, Text), *columns).where(
            FlagRow.subject_id == func.any(list(subject_ids)), FlagRow.cleared_at.is_(None)
        )
        return [FlagLine(*row) for row in self._session.execute(query)]

    def some(self, ids: Iterable[UUID]) -> tuple[Flag, ...]:
        return tuple(
            _flag(row) for row in self._session.scalars(select(FlagRow).where(FlagRow.id == func.any(list(ids))))
        )

    def all_standing(self) -> tuple[Flag, ...]:
        return tuple(_flag(row) for row in self._session.scalars(select(FlagRow).where(FlagRow.cleared_at.is_(None))))

    def past(self, rule: str, subject_id: UUID) -> tuple[Flag, ...]:
        """Return every flag that a rule ever raised on a subject, the latest first."""
        query = select(FlagRow).where(FlagRow.rule == rule, FlagRow.subject_id == subject_id)
        return tuple(_flag(row) for row in self._session.scalars(query.order_by(FlagRow.raised_at.desc())))

    def find(self, text: str) -> Flag:
        """Return the flag that a person means, by id or short form; of several, the one that stands."""
        wanted = id_or_ref(text)
        if wanted is None:
            raise missing("flag", text)
        same = FlagRow.id == wanted if isinstance(wanted, UUID) else FlagRow.ref == wanted
        row = self._session.scalars(select(FlagRow).where(same).order_by(FlagRow.cleared_at.desc()).limit(1)).first()
        if row is None:
            raise missing("flag", text)
        return _flag(row)

    def browse(
        self,
        *,
        rule: str,
        severity: Severity | None,
        subject_ids: Iterable[UUID] | None,
        subject: Subject | None,
        state: str,
        now: datetime,
        limit: int,
        cursor: str | None,
    ) -> Page[Flag]:
        """A page of flags, the worst first; `state` is standing, accepted or cleared."""
        query = select(FlagRow).where(_in_state(state, now))
        if rule:
            query = query.where(FlagRow.rule == rule)
        if severity is not None:
            query = query.where(FlagRow.severity >= severity.rank)
        if subject_ids is not None:
            query = query.where(FlagRow.subject_id == func.any(list(subject_ids)))
        if subject is not None:
            query = query.where(FlagRow.subject == subject.value)
        sort = Sort("worst", (FlagRow.severity, FlagRow.id), descending=True)
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=lambda r: _flag(r[0]))

    def counts(self, now: datetime) -> Mapping[str, tuple[int, int, int, datetime | None]]:
        """Return for each rule how many flags stand, how many are accepted, the worst rank, and since when."""
        accepted = FlagRow.accepted_until > now
        query = (
            select(
                FlagRow.rule,
                func.count(),
                func.count().filter(accepted),
                func.max(FlagRow.severity),
                func.min(FlagRow.raised_at).filter(not_(func.coalesce(accepted, false()))),
            )
            .where(FlagRow.cleared_at.is_(None))
            .group_by(FlagRow.rule)
        )
        return {row[0]: (row[1], row[2], row[3], row[4]) for row in self._session.execute(query)}

    # When to look at what again

    def look_again(self, seen: Iterable[UUID], moments: Mapping[UUID, tuple[Subject, datetime]]) -> None:
        """Replace what was to be looked at again among the subjects seen."""
        self._session.execute(delete(UpcomingRow).where(UpcomingRow.subject_id == func.any(list(seen))))
        add_rows(self._session, UpcomingRow, self._moments(moments))

    # What is looked at while everything is

    def note_looks(self) -> None:
        """From here on, note what others look at, until `looks` is asked."""
        self._session.execute(delete(LookRow))
        begun = {"workspace_id": self._workspace_id, "subject": _BEGUN, "subject_id": self._workspace_id}
        self._session.execute(insert(LookRow), [begun])

    def note(self, seen: Mapping[Subject, Collection[UUID]]) -> None:
        """Note that these subjects were looked at, if someone wants to know."""
        self._note([(subject.value, each_id) for subject, ids in seen.items() for each_id in ids])

    def note_everything(self) -> None:
        """Note that so much changes that whoever is looking at everything has to begin again."""
        self._note([(_ALL, self._workspace_id)])

    def looks(self) -> dict[Subject, set[UUID]] | None:
        """Return what was looked at since `note_looks`, and note no more; None if everything has to be."""
        every = self._session.execute(delete(LookRow).returning(LookRow.subject, LookRow.subject_id)).all()
        seen: dict[Subject, set[UUID]] = {subject: set() for subject in Subject}
        if not any(row.subject == _BEGUN for row in every) or any(row.subject == _ALL for row in every):
            return None
        for subject, subject_id in every:
            if subject != _BEGUN:
                seen[Subject(subject)].add(subject_id)
        return seen

    def _note(self, seen: Sequence[tuple[str, UUID]]) -> None:
        values = {"subjects": [subject for subject, _ in seen], "ids": [each_id for _, each_id in seen]}
        self._session.execute(_NOTE, values | {"workspace": self._workspace_id, "begun": _BEGUN})

    def due(self, now: datetime, most: int) -> dict[Subject, list[UUID]]:
        """Return some of the subjects whose flags time alone may have changed by now."""
        query = select(UpcomingRow.subject, UpcomingRow.subject_id).where(UpcomingRow.at <= now).limit(most)
        document: dict[Subject, list[UUID]] = {subject: [] for subject in Subject}
        for subject, subject_id in self._session.execute(query):
            document[Subject(subject)].append(subject_id)
        return document

    def _moments(self, moments: Mapping[UUID, tuple[Subject, datetime]]) -> list[dict[str, Any]]:
        same = {"workspace_id": self._workspace_id}
        return [{**same, "subject_id": i, "subject": s.value, "at": at} for i, (s, at) in moments.items()]

    # Risk

    def keep_risks(self, risks: Mapping[Subject, Mapping[UUID, int]], now: datetime) -> None:
        """Keep the risks of accounts, since when, and of parties; those of entries are among their marks."""
        for subject, table in ((Subject.ACCOUNT, "accounts"), (Subject.PARTY, "parties")):
            changed = self._keep(table, risks.get(subject, {}))
            if subject is Subject.ACCOUNT and changed:
                same = {"workspace_id": self._workspace_id, "at": now}
                rows = [{**same, "account_id": i, "risk": risk} for i, risk in changed]
                add_rows(self._session, AccountRiskRow, rows, skip_known=True)

    def _keep(self, table: str, risks: Mapping[UUID, int]) -> list[tuple[UUID, int]]:
        if not risks:
            return []
        statement = text(
            f"update {table} set risk = new.risk from unnest(cast(:ids as uuid[]), cast(:risks as smallint[])) "
            f"as new (id, risk) where {table}.workspace_id = :workspace and {table}.id = new.id "
            f"and {table}.risk <> new.risk returning {table}.id, {table}.risk"
        )
        values = {"ids": list(risks), "risks": list(risks.values()), "workspace": self._workspace_id}
        return [(row[0], row[1]) for row in self._session.execute(statement, values)]

    def risk_over_time(self, account_id: UUID) -> tuple[tuple[datetime, int], ...]:
        """Return an account's risk, each with the instant since which it was so, in order."""
        query = select(AccountRiskRow.at, AccountRiskRow.risk).where(AccountRiskRow.account_id == account_id)
        return tuple((row.at, row.risk) for row in self._session.execute(query.order_by(AccountRiskRow.at)))


def _in_state(state: str, now: datetime) -> ColumnElement[bool]:
    stands = FlagRow.cleared_at.is_(None)
    if state == "cleared":
        return FlagRow.cleared_at.is_not(None)
    if state == "accepted":
        return and_(stands, FlagRow.accepted_until > now)
    return and_(stands, or_(FlagRow.accepted_until.is_(None), FlagRow.accepted_until <= now))
