"""Policies: every one that was ever adopted, the last of them in force."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import select, update
from sqlalchemy.exc import IntegrityError

from openlatch.errors import Changed
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun, missing
from openlatch.store.people.rows import WorkspaceRow
from openlatch.store.rules.rows import PolicyRow

__all__ = ["Adopted", "Policies"]


@dataclass(frozen=True, slots=True)
class Adopted:
    """A policy as it was adopted: by whom, when, why, and what it changed, in sentences."""

    number: int
    text: str
    note: str
    by: str
    at: datetime
    changes: tuple[str, ...]


_POLICY = Codec(PolicyRow, Adopted, named={"by": "adopted_by", "at": "adopted_at"})


class Policies(Noun):
    """Queries over policies."""

    _latest: Adopted | None = None

    def latest(self, first: Callable[[], Adopted]) -> Adopted:
        """Return the policy in force; or what `first` makes where none was adopted."""
        if self._latest is None:
            row = self._session.scalars(select(PolicyRow).order_by(PolicyRow.number.desc()).limit(1)).first()
            self._latest = first() if row is None else _POLICY.read(row)
        return self._latest

    def find(self, number: int) -> Adopted:
        row = self._session.get(PolicyRow, (self._workspace_id, number))
        if row is None:
            raise missing("policy", number)
        return _POLICY.read(row)

    def history(self) -> tuple[Adopted, ...]:
        """Return all of them, the latest first."""
        return tuple(map(_POLICY.read, self._session.scalars(select(PolicyRow).order_by(PolicyRow.number.desc()))))

    def adopt(self, policy: Adopted, *, domains: Iterable[str], unused_days: int | None) -> None:
        """Put a policy in force; refuses (Changed) if another one was adopted at the same moment."""
        try:
            with self._session.begin_nested():
                self.keep(policy)
        except IntegrityError as error:
            raise Changed(
                "Someone else adopted a policy at the same moment. Yours was not adopted.",
                next_step="Look at theirs, then try yours again.",
            ) from error
        mirrored: dict[str, object] = {"policy": policy.number, "circle_domains": sorted(domains)}
        if unused_days:
            mirrored["unused_days"] = unused_days
        self._session.execute(
            update(WorkspaceRow).where(WorkspaceRow.workspace_id == self._workspace_id).values(**mirrored)
        )

    def keep(self, policy: Adopted) -> None:
        """Keep a policy, and nothing else."""
        self._latest = None
        self._add(_POLICY, [policy])

    def founded_at(self) -> datetime:
        """Return since when there is this workspace."""
        mine = WorkspaceRow.workspace_id == self._workspace_id
        return self._session.scalars(select(WorkspaceRow.created_at).where(mine)).one()

    def in_circle(self, parties: Iterable[UUID]) -> None:
        """Keep which parties are in the circle by name or through a team."""
        mine = WorkspaceRow.workspace_id == self._workspace_id
        self._session.execute(update(WorkspaceRow).where(mine).values(circle_parties=sorted(parties)))
