"""What others asked for."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import fields, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import func, insert, select, update

from openlatch.core.letting_in.requests import Request
from openlatch.errors import Changed
from openlatch.store.letting_in.rows import RequestRow
from openlatch.store.noun import Noun, id_or_ref, missing
from openlatch.store.pages import Page, Sort, page
from openlatch.words import Power, RequestState

__all__ = ["Requests"]

_PLAIN = [one.name for one in fields(Request) if one.name not in ("id", "needs", "state")]
_LATEST = Sort("latest", (RequestRow.asked_at, RequestRow.id), descending=True)
_OPEN = (RequestState.UNCONFIRMED.value, RequestState.WAITING.value)


class Requests(Noun):
    """Queries over requests."""

    def add(self, one: Request) -> None:
        self._session.execute(insert(RequestRow).values(workspace_id=self._workspace_id, id=one.id, **_values(one)))

    def save(self, one: Request) -> None:
        """Store a request that is one version on; refuses if somebody else changed it meanwhile."""
        statement = update(RequestRow).where(RequestRow.id == one.id, RequestRow.version == one.version - 1)
        if self._session.execute(statement.values(**_values(one)).returning(RequestRow.id)).first() is None:
            raise Changed(
                f"Request {one.ref} was changed by someone else at the same moment. Nothing was changed by this.",
                next_step="Look at it again.",
                request=one.ref,
            )

    def find(self, text: str, *, lock: bool = False) -> Request:
        """Return the request that a person means, by id or short form."""
        wanted = id_or_ref(text)
        query = select(RequestRow).where(
            RequestRow.id == wanted if isinstance(wanted, UUID) else RequestRow.ref == (wanted or "")
        )
        query = query.with_for_update() if lock else query
        row = self._session.scalars(query.limit(1).execution_options(populate_existing=True)).first()
        if row is None:
            raise missing("request", text)
        return _request(row)

    def browse(
        self, states: Iterable[RequestState], limit: int, cursor: str | None, address: str | None = None
    ) -> Page[Request]:
        """Return requests, the latest first; with `address`, those of whoever has it."""
        query = select(RequestRow)
        if chosen := [state.value for state in states]:
            query = query.where(RequestRow.state.in_(chosen))
        if address is not None:
            query = query.where(RequestRow.address == address)
        return page(self._session, query, _LATEST, limit=limit, cursor=cursor, read=lambda row: _request(row[0]))

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
        """Return the requests that nobody answered in time, unless somebody is at them."""
        due = (RequestRow.state.in_(_OPEN), RequestRow.lapses_at <= now)
        query = select(RequestRow).where(*due).order_by(RequestRow.id).with_for_update(skip_locked=True)
        return tuple(_request(row) for row in self._session.scalars(query.execution_options(populate_existing=True)))


def _values(one: Request) -> dict[str, Any]:
    plain = {name: getattr(one, name) for name in _PLAIN}
    return {**plain, "ref": one.ref, "needs": [power.value for power in one.needs], "state": one.state.value}


def _request(row: RequestRow) -> Request:
    plain = {name: getattr(row, name) for name in _PLAIN}
    return replace(Request(id=row.id, needs=tuple(Power(p) for p in row.needs), **plain), state=RequestState(row.state))
