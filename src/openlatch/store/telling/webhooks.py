"""Webhooks: whom the service tells what happens, and how far each was told."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, select, update

from openlatch.core.ids import ref_of
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun
from openlatch.store.telling.rows import WebhookRow
from openlatch.words import HookForm

__all__ = ["Webhook", "Webhooks"]


@dataclass(frozen=True, slots=True)
class Webhook:
    """An address that is told of events: of acts that begin with one of `acts`, or of all if there are none.

    `audience` is for whom its tokens are, where it is sent such.
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
    form: HookForm = HookForm.NEWS
    audience: str = ""

    @property
    def ref(self) -> str:
        return ref_of(self.id)


_WEBHOOK = Codec(WebhookRow, Webhook)


class Webhooks(Noun):
    """Queries over webhooks; their secrets are stored encrypted, and read only to sign."""

    def add(self, webhook: Webhook, address: bytes, secret: bytes) -> None:
        self._add(_WEBHOOK, [webhook], address=address, secret=secret)

    def all(self) -> tuple[Webhook, ...]:
        return tuple(map(_WEBHOOK.read, self._session.scalars(select(WebhookRow).order_by(WebhookRow.id))))

    def find(self, text: str) -> Webhook:
        """Return the webhook that a person means, by id or short form."""
        return _WEBHOOK.read(self._row("webhook", WebhookRow, text))

    def closed(self, webhook_id: UUID) -> tuple[bytes | None, bytes]:
        """Return where a webhook is, and what it is signed with, both closed; no address where it is shown whole."""
        query = select(WebhookRow.address, WebhookRow.secret).where(WebhookRow.id == webhook_id)
        address, secret = self._session.execute(query).one()
        return address, secret

    def whole(self) -> tuple[tuple[UUID, str], ...]:
        """Return the webhooks whose whole address is shown, since it was written down before it was closed."""
        query = select(WebhookRow.id, WebhookRow.url).where(WebhookRow.address.is_(None))
        return tuple((row.id, row.url) for row in self._session.execute(query))

    def hide(self, webhook_id: UUID, shown: str, address: bytes) -> None:
        """Keep a webhook's whole address closed, and show no more of it than `shown`."""
        values = {"url": shown, "address": address}
        self._session.execute(update(WebhookRow).where(WebhookRow.id == webhook_id).values(**values))

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
