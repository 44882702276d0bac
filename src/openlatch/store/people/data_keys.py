"""The keys of a workspace's own, which close its secrets; they are wrapped by the service's before they come here."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from sqlalchemy import select, update
from sqlalchemy.dialects.postgresql import insert

from openlatch.store.noun import Noun
from openlatch.store.people.rows import DataKeyRow

__all__ = ["DataKeys"]


class DataKeys(Noun):
    """Queries over data keys."""

    def all(self, *, lock: bool = False) -> Mapping[int, bytes]:
        """Return the wrapped keys by their numbers; `lock` keeps others from wrapping them anew meanwhile."""
        query = select(DataKeyRow).order_by(DataKeyRow.number).execution_options(populate_existing=True)
        return {row.number: row.wrapped for row in self._session.scalars(query.with_for_update() if lock else query)}

    def add(self, number: int, wrapped: bytes, now: datetime) -> None:
        """Keep a new key, unless another one of that number was made first."""
        values = {"workspace_id": self._workspace_id, "number": number, "wrapped": wrapped, "made_at": now}
        self._session.execute(insert(DataKeyRow).values(**values).on_conflict_do_nothing())

    def wrap(self, number: int, wrapped: bytes) -> None:
        """Keep a key as it is wrapped now."""
        self._session.execute(update(DataKeyRow).where(DataKeyRow.number == number).values(wrapped=wrapped))
