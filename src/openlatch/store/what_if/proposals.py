"""Proposals, and what each version of one would change."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import select, update

from openlatch.core.ids import ref_of
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun
from openlatch.store.pages import Page, Sort, page
from openlatch.store.what_if.rows import ProposalRow, ProposalRunRow

__all__ = ["Proposal", "Proposals", "Run"]

_LATEST = Sort("latest", (ProposalRow.made_at, ProposalRow.id), descending=True)


@dataclass(frozen=True, slots=True)
class Run:
    """One version of a proposal, and what it would change, once that is worked out; `trouble` if it cannot be."""

    number: int
    body: Mapping[str, Any]
    asked_by: str
    asked_at: datetime
    finished_at: datetime | None = None
    outcome: Mapping[str, Any] | None = None
    trouble: str = ""


@dataclass(frozen=True, slots=True)
class Proposal:
    """Changes that someone has in mind; `runs` counts its versions, and `batch_id` is what came of it when applied."""

    id: UUID
    title: str
    made_by: str
    made_at: datetime
    runs: int
    applied_by: str = ""
    applied_at: datetime | None = None
    batch_id: UUID | None = None

    @property
    def ref(self) -> str:
        return ref_of(self.id)


_PROPOSAL = Codec(ProposalRow, Proposal)
_RUN = Codec(ProposalRunRow, Run)


class Proposals(Noun):
    """Queries over proposals."""

    def add(self, proposal: Proposal) -> None:
        self._add(_PROPOSAL, [proposal])

    def run(self, proposal_id: UUID, run: Run, title: str) -> None:
        """Store a new version of a proposal."""
        self._add(_RUN, [run], proposal_id=proposal_id)
        changed = update(ProposalRow).where(ProposalRow.id == proposal_id)
        self._session.execute(changed.values(runs=run.number, title=title))

    def finish(
        self, proposal_id: UUID, number: int, now: datetime, outcome: Mapping[str, Any] | None, trouble: str
    ) -> None:
        """Store what a version of a proposal would change, or why that cannot be said."""
        pair = (ProposalRunRow.proposal_id == proposal_id, ProposalRunRow.number == number)
        values = {"finished_at": now, "outcome": None if outcome is None else dict(outcome), "trouble": trouble}
        self._session.execute(update(ProposalRunRow).where(*pair).values(**values))

    def applied(self, proposal_id: UUID, by: str, now: datetime, batch_id: UUID | None) -> None:
        values = {"applied_by": by, "applied_at": now, "batch_id": batch_id}
        self._session.execute(update(ProposalRow).where(ProposalRow.id == proposal_id).values(**values))

    def find(self, text: str, *, lock: bool = False) -> Proposal:
        """Return the proposal that a person means, by id or short form."""
        return _PROPOSAL.read(self._row("proposal", ProposalRow, text, lock=lock))

    def browse(self, limit: int, cursor: str | None) -> Page[Proposal]:
        return page(
            self._session,
            select(ProposalRow),
            _LATEST,
            limit=limit,
            cursor=cursor,
            read=_PROPOSAL.first,
        )

    def runs(self, proposal_id: UUID) -> tuple[Run, ...]:
        """Return every version of a proposal, the first first."""
        query = select(ProposalRunRow).where(ProposalRunRow.proposal_id == proposal_id).order_by(ProposalRunRow.number)
        rows = self._session.scalars(query.execution_options(populate_existing=True))
        return tuple(map(_RUN.read, rows))
