"""Flags: what was found to hold, since when, and when it stopped."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from uuid import UUID

from sqlalchemy import and_, case, func, select, update

from openlatch.core.model import Severity
from openlatch.core.rules import Finding, Flag
from openlatch.store.bulk import add_rows, change_rows
from openlatch.store.noun import Noun, missing
from openlatch.store.pages import Page, Sort, page
from openlatch.store.tables import EntryRow, FlagRow

__all__ = ["Flags"]

_rank = case({s.value: s.rank for s in Severity}, value=FlagRow.severity)


def _flag(row: FlagRow) -> Flag:
    return Flag(
        row.id,
        row.rule,
        row.entry_id,
        Severity(row.severity),
        row.facts,
        row.reason,
        row.clears,
        row.raised_at,
        row.cleared_at,
    )


class Flags(Noun):
    """Queries over flags."""

    def raise_all(self, findings: Iterable[tuple[UUID, Finding]], now: datetime) -> None:
        rows = [
            {
                "workspace_id": self._workspace_id,
                "id": flag_id,
                "rule": f.rule,
                "entry_id": f.entry_id,
                "severity": f.severity.value,
                "facts": dict(f.facts),
                "reason": f.reason,
                "clears": f.clears,
                "raised_at": now,
            }
            for flag_id, f in findings
        ]
        add_rows(self._session, FlagRow, rows)

    def change(self, changed: Iterable[tuple[Flag, Finding]]) -> None:
        """Bring standing flags up to what holds now; they keep their date."""
        rows = [
            {
                "workspace_id": self._workspace_id,
                "id": flag.id,
                "severity": finding.severity.value,
                "facts": dict(finding.facts),
                "reason": finding.reason,
                "clears": finding.clears,
            }
            for flag, finding in changed
        ]
        change_rows(self._session, FlagRow, rows, versioned=False)

    def clear(self, flags: Iterable[Flag], now: datetime) -> None:
        ids = [flag.id for flag in flags]
        if ids:
            self._session.execute(update(FlagRow).where(FlagRow.id == func.any(ids)).values(cleared_at=now))

    def standing(self, entry_ids: Iterable[UUID]) -> tuple[Flag, ...]:
        query = select(FlagRow).where(FlagRow.entry_id == func.any(list(entry_ids)), FlagRow.cleared_at.is_(None))
        return tuple(_flag(row) for row in self._session.scalars(query.order_by(_rank.desc(), FlagRow.rule)))

    def find(self, text: str) -> Flag:
        try:
            row = self._session.get(FlagRow, (self._workspace_id, UUID(text)))
        except ValueError:
            row = None
        if row is None:
            raise missing("flag", text)
        return _flag(row)

    def browse(
        self,
        *,
        rule: str,
        severity: Severity | None,
        entry_id: UUID | None,
        cleared: bool,
        limit: int,
        cursor: str | None,
    ) -> Page[Flag]:
        query = select(FlagRow).join(
            EntryRow, and_(EntryRow.workspace_id == FlagRow.workspace_id, EntryRow.id == FlagRow.entry_id)
        )
        query = query.where(FlagRow.cleared_at.is_not(None) if cleared else FlagRow.cleared_at.is_(None))
        if rule:
            query = query.where(FlagRow.rule == rule)
        if severity is not None:
            query = query.where(_rank >= severity.rank)
        if entry_id is not None:
            query = query.where(FlagRow.entry_id == entry_id)
        sort = Sort("worst", (_rank, FlagRow.id), descending=True)
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=lambda r: _flag(r[0]))
