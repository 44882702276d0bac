"""From whom security events come, and those that came: each token's once, with what came of it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import delete, select, update
from sqlalchemy.dialects.postgresql import insert

from openlatch.core.ids import ref_of
from openlatch.core.providers.security_events import EventStream
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun
from openlatch.store.pages import Page, Sort, page
from openlatch.store.providers.rows import EventStreamRow, SecurityEventRow
from openlatch.words import Reported

__all__ = ["EventStreams", "Kept", "SecurityEvent", "SecurityEvents"]


@dataclass(frozen=True, slots=True)
class SecurityEvent:
    """What a provider has reported of someone, whom that means if it is known, and what came of it."""

    id: UUID
    provider_id: UUID
    stream_id: UUID
    jti: str
    reported: Reported
    keys: tuple[str, ...]
    addresses: tuple[str, ...]
    at: datetime
    received_at: datetime
    party_id: UUID | None = None
    came_to: str = ""
    done_at: datetime | None = None

    @property
    def ref(self) -> str:
        return ref_of(self.id)


@dataclass(frozen=True, slots=True)
class Kept:
    """What is needed to hear a stream: what it is fetched with (closed), and the keys that were read last."""

    stream: EventStream
    secret: bytes
    secret_hash: bytes
    key_set: Mapping[str, Any] | None
    keys_at: datetime | None


_STREAM = Codec(EventStreamRow, EventStream)
_EVENT = Codec(SecurityEventRow, SecurityEvent)


class EventStreams(Noun):
    """Queries over streams of security events: one of a provider at most."""

    def keep(self, stream: EventStream, secret: bytes, secret_hash: bytes) -> None:
        """Store a stream in the place of the one that its provider had."""
        self.remove(stream.provider_id)
        self._add(_STREAM, [stream], secret=secret, secret_hash=secret_hash, key_set=None, keys_at=None)

    def of(self, provider_id: UUID) -> EventStream | None:
        """Return the stream of a provider, if it has one."""
        row = self._session.scalar(select(EventStreamRow).where(EventStreamRow.provider_id == provider_id))
        return None if row is None else _STREAM.read(row)

    def kept(self, stream_id: UUID) -> Kept | None:
        """Return a stream with all that is needed to hear it."""
        query = select(EventStreamRow).where(EventStreamRow.id == stream_id)
        row = self._session.scalar(query.execution_options(populate_existing=True))
        return None if row is None else Kept(_STREAM.read(row), row.secret, row.secret_hash, row.key_set, row.keys_at)

    def fetched(self) -> tuple[UUID, ...]:
        """Return the streams that are fetched."""
        return tuple(self._session.scalars(select(EventStreamRow.id).where(EventStreamRow.poll != "")))

    def read_keys(self, stream_id: UUID, key_set: Mapping[str, Any], now: datetime) -> None:
        """Keep which keys the issuer has published."""
        self._change(stream_id, key_set=dict(key_set), keys_at=now)

    def heard(self, stream_id: UUID, now: datetime, trouble: str = "") -> None:
        """Keep that something came from a stream, or what was wrong with it."""
        self._change(stream_id, trouble=trouble, **({} if trouble else {"heard_at": now}))

    def remove(self, provider_id: UUID) -> bool:
        """Hear a provider no more; returns whether it was heard."""
        gone = delete(EventStreamRow).where(EventStreamRow.provider_id == provider_id).returning(EventStreamRow.id)
        return self._session.execute(gone).first() is not None

    def _change(self, stream_id: UUID, **values: Any) -> None:
        self._session.execute(update(EventStreamRow).where(EventStreamRow.id == stream_id).values(**values))


class SecurityEvents(Noun):
    """Queries over what was reported."""

    def add(self, events: Iterable[SecurityEvent]) -> tuple[SecurityEvent, ...]:
        """Store what is new; returns that. What a stream has said already under the same id is left out."""
        new = []
        for event in events:
            (row,) = self._rows_of(_EVENT, [event])
            stored = insert(SecurityEventRow).values(**row).on_conflict_do_nothing().returning(SecurityEventRow.id)
            if self._session.execute(stored).first() is not None:
                new.append(event)
        return tuple(new)

    def get(self, event_id: UUID) -> SecurityEvent:
        """Return one that nobody else sees to until this transaction is over."""
        return _EVENT.read(self._row("security event", SecurityEventRow, str(event_id), lock=True))

    def waiting(self, before: datetime) -> tuple[SecurityEvent, ...]:
        """Return what came before an instant and was not seen to."""
        query = select(SecurityEventRow).where(
            SecurityEventRow.done_at.is_(None), SecurityEventRow.received_at < before
        )
        return tuple(map(_EVENT.read, self._session.scalars(query.order_by(SecurityEventRow.id))))

    def done(self, event_id: UUID, party_id: UUID | None, came_to: str, now: datetime) -> None:
        """Keep whom it meant, and what came of it."""
        values = {"party_id": party_id, "came_to": came_to, "done_at": now}
        self._session.execute(update(SecurityEventRow).where(SecurityEventRow.id == event_id).values(**values))

    def browse(self, provider_id: UUID, *, limit: int, cursor: str | None) -> Page[SecurityEvent]:
        """Return what a provider has reported, the latest first."""
        query = select(SecurityEventRow).where(SecurityEventRow.provider_id == provider_id)
        sort = Sort("latest", (SecurityEventRow.id,), descending=True)
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=_EVENT.first)

    def forget(self, before: datetime) -> None:
        """Delete what came long ago; the log has it still."""
        self._session.execute(delete(SecurityEventRow).where(SecurityEventRow.received_at < before))
