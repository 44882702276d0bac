"""What anyone has tried or asked for without signing in, in workspaces that are here and in those that are not.

Only digests are kept, for as long as they count. No workspace owns them: whoever names one that is not here is counted
as anyone else, and so learns nothing from when it is too often.
"""

from __future__ import annotations

import hashlib
from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, func, insert, select
from sqlalchemy.orm import Session

from openlatch.store.people.rows import StrangerRow

__all__ = ["Strangers"]


class Strangers:
    """Queries over what is counted, by what it counts for."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def in_turn(self, *keys: str) -> None:
        """Have what counts for the same be counted one after the other."""
        for key in sorted(keys):
            lock = func.hashtextextended(f"stranger {key}", 0)
            self._session.execute(select(func.pg_advisory_xact_lock(lock)))

    def since(self, key: str, instant: datetime) -> int:
        """Return how often something counted for a key since an instant."""
        query = select(func.count()).where(StrangerRow.digest == _digest(key), StrangerRow.at > instant)
        return self._session.scalar(query) or 0

    def add(self, new_id: UUID, key: str, now: datetime) -> None:
        """Count something for a key."""
        self._session.execute(insert(StrangerRow).values(id=new_id, digest=_digest(key), at=now))

    def forget_before(self, instant: datetime) -> None:
        """Forget what counts no more."""
        self._session.execute(delete(StrangerRow).where(StrangerRow.at < instant))


def _digest(key: str) -> bytes:
    return hashlib.sha256(key.encode()).digest()
