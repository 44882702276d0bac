"""Replies kept for a while, so that a request sent twice with one idempotency key is carried out once."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, func, insert, select

from openlatch.errors import UnderWay
from openlatch.store.noun import Noun
from openlatch.store.people.rows import ReplyRow

__all__ = ["Replies", "Reply"]


@dataclass(frozen=True, slots=True)
class Reply:
    """The answer that a request got, closed; `fingerprint` tells one request from another."""

    fingerprint: str
    status: int
    body: bytes


class Replies(Noun):
    """Queries over kept replies."""

    def find(self, person_id: UUID, key: str) -> Reply | None:
        """Return the reply to an earlier request with this key; refuses (UnderWay) while that is being answered."""
        lock = func.hashtextextended(f"{self._workspace_id}{person_id}{key}", 0)
        if not self._session.scalar(select(func.pg_try_advisory_xact_lock(lock))):
            raise UnderWay(
                "This request is being carried out already. Nothing was done twice.",
                next_step="Send it again with the same Idempotency-Key: it is answered once that is done.",
                retry_after=1,
            )
        row = self._session.get(ReplyRow, (self._workspace_id, person_id, key))
        return None if row is None else Reply(row.fingerprint, row.status, row.body)

    def forget_before(self, instant: datetime) -> None:
        self._session.execute(delete(ReplyRow).where(ReplyRow.created_at < instant))

    def keep(self, person_id: UUID, key: str, reply: Reply, now: datetime) -> None:
        self._session.execute(
            insert(ReplyRow).values(
                workspace_id=self._workspace_id,
                person_id=person_id,
                key=key,
                fingerprint=reply.fingerprint,
                status=reply.status,
                body=reply.body,
                created_at=now,
            )
        )
