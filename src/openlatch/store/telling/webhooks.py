"""Webhooks: whom the service tells what happens, and how far each was told."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, insert, select, update

from openlatch.core.ids import ref_of
from openlatch.store.noun import Noun, id_or_ref, missing
from openlatch.store.telling.rows import WebhookRow

__all__ = ["Webhook", "Webhooks"]


@dataclass(frozen=True, slots=True)
class Webhook:
    """An address that is told of events: of acts that begin with one of `acts`, or of all if there are none.

    `seen` is the place in the log up to which it was told; `again_at` when it is tried again after `attempts` in vain.
    """

    id: UUID
    url: str
    acts: tuple[str, ...]
    seen: int
    made_by: str
    made_at: datetime
    paused: bool = False
    attempts: int = 0
    again_at: datetime | None = None
    trouble: str = ""
    sent_at: datetime | None = None

    @property
    def ref(self) -> str:
        return ref_of(self.id)


class Webhooks(Noun):
    """Queries over webhooks; their secrets are stored encrypted, and read only to sign."""

    def add(self, one: Webhook, secret: bytes) -> None:
        values = {
            "workspace_id": self._workspace_id,
            "id": one.id,
            "ref": one.ref,
            "url": one.url,
            "secret": secret,
            "acts": list(one.acts),
            "seen": one.seen,
            "paused": False,
            "attempts": 0,
            "trouble": "",
            "made_by": one.made_by,
            "made_at": one.made_at,
        }
        self._session.execute(insert(WebhookRow).values(**values))

    def all(self) -> tuple[Webhook, ...]:
        return tuple(_webhook(row) for row in self._session.scalars(select(WebhookRow).order_by(WebhookRow.id)))

    def find(self, text: str) -> Webhook:
        """Return the webhook that a person means, by id or short form."""
        wanted = id_or_ref(text)
        where = WebhookRow.id == wanted if isinstance(wanted, UUID) else WebhookRow.ref == (wanted or "")
        query = select(WebhookRow).where(where).limit(1).execution_options(populate_existing=True)
        row = self._session.scalars(query).first()
        if row is None:
            raise missing("webhook", text)
        return _webhook(row)

    def secret(self, webhook_id: UUID) -> bytes:
        return self._session.scalars(select(WebhookRow.secret).where(WebhookRow.id == webhook_id)).one()

    def told(self, webhook_id: UUID, seen: int, now: datetime, *, sent: bool) -> None:
        """Keep that a webhook was told of all up to a place in the log."""
        values = {"seen": seen, "attempts": 0, "again_at": None, "trouble": ""} | ({"sent_at": now} if sent else {})
        later = (WebhookRow.id == webhook_id, WebhookRow.seen < seen)
        self._session.execute(update(WebhookRow).where(*later).values(**values))

    def not_told(self, webhook_id: UUID, attempts: int, again_at: datetime, why: str) -> None:
        values = {"attempts": attempts, "again_at": again_at, "trouble": why}
        self._session.execute(update(WebhookRow).where(WebhookRow.id == webhook_id).values(**values))

    def pause(self, webhook_id: UUID, *, paused: bool, why: str = "") -> None:
        values = {"paused": paused, "attempts": 0, "again_at": None, "trouble": why}
        self._session.execute(update(WebhookRow).where(WebhookRow.id == webhook_id).values(**values))

    def remove(self, webhook_id: UUID) -> None:
        self._session.execute(delete(WebhookRow).where(WebhookRow.id == webhook_id))


def _webhook(row: WebhookRow) -> Webhook:
    return Webhook(
        id=row.id,
        url=row.url,
        acts=tuple(row.acts),
        seen=row.seen,
        made_by=row.made_by,
        made_at=row.made_at,
        paused=row.paused,
        attempts=row.attempts,
        again_at=row.again_at,
        trouble=row.trouble,
        sent_at=row.sent_at,
    )
