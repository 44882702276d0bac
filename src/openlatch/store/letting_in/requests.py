"""What others asked for."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from uuid import UUID

from sqlalchemy import func, select

from openlatch.core.letting_in.requests import Request
from openlatch.store.codec import Codec
from openlatch.store.letting_in.rows import RequestRow
from openlatch.store.noun import Noun
from openlatch.store.pages import Page, Sort, page
from openlatch.words import RequestState

__all__ = ["Requests"]

_REQUEST = Codec(RequestRow, Request)
_LATEST = Sort("latest", (RequestRow.asked_at, RequestRow.id), descending=True)
_OPEN = (RequestState.UNCONFIRMED.value, RequestState.WAITING.value)


class Requests(Noun):
    """Queries over requests."""

    def names(self, ids: Iterable[UUID]) -> dict[UUID, str]:
        """Return who has made requests, by their names or else their addresses."""
        return self._called(RequestRow, func.coalesce(func.nullif(RequestRow.name, ""), RequestRow.address), ids)

    def add(self, request: Request) -> None:
        self._add(_REQUEST, [request])

    def save(self, request: Request) -> None:
        """Store a request that is one version on; refuses if someone else changed it meanwhile."""
        self._save("request", _REQUEST, request)

    def find(self, text: str, *, lock: bool = False) -> Request:
        """Return the request that a person means, by id or short form."""
        return _REQUEST.read(self._row("request", RequestRow, text, lock=lock))

    def browse(
        self, states: Iterable[RequestState], limit: int, cursor: str | None, address: str | None = None
    ) -> Page[Request]:
        """Return requests, the latest first; with `address`, those of whoever has it."""
        query = select(RequestRow)
        if chosen := [state.value for state in states]:
            query = query.where(RequestRow.state == func.any(chosen))
        if address is not None:
            query = query.where(RequestRow.address == address)
        return page(self._session, query, _LATEST, limit=limit, cursor=cursor, read=_REQUEST.first)

    def open_of(self, address: str) -> int:
        """Return how many requests of whoever has an address are not answered."""
        query = select(func.count()).where(RequestRow.address == address, RequestRow.state.in_(_OPEN))
        return int(self._session.scalar(query) or 0)

    def asked_since(self, since: datetime) -> int:
        """Return how many requests came from outside since an instant, and nobody has said that it was them."""
        unsure = RequestRow.state == RequestState.UNCONFIRMED.value
        query = select(func.count()).where(unsure, RequestRow.asked_at >= since)
        return int(self._session.scalar(query) or 0)

    def lapsed(self, now: datetime) -> tuple[Request, ...]:
        """Return the requests that nobody answered in time, unless someone is at them."""
        due = (RequestRow.state.in_(_OPEN), RequestRow.lapses_at <= now)
        query = select(RequestRow).where(*due).order_by(RequestRow.id).with_for_update(skip_locked=True)
        return tuple(map(_REQUEST.read, self._session.scalars(query.execution_options(populate_existing=True))))
