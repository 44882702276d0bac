"""Offers, and their parts."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import Select, delete, func, insert, select

from openlatch.core.letting_in.offers import Offer, Part
from openlatch.store.codec import Codec
from openlatch.store.letting_in.rows import OfferPartRow, OfferRow
from openlatch.store.noun import Noun
from openlatch.store.pages import Page, Sort, page
from openlatch.words import OfferState

__all__ = ["Offers"]

_PART = TypeAdapter(Part)
_OFFER = Codec(OfferRow, Offer, apart=["parts"])
_LATEST = Sort("latest", (OfferRow.made_at, OfferRow.id), descending=True)


class Offers(Noun):
    """Queries over offers; the parts come with each in their order."""

    def names(self, ids: Iterable[UUID]) -> dict[UUID, str]:
        """Return whom offers are to, by their names or else their addresses."""
        return self._called(OfferRow, func.coalesce(func.nullif(OfferRow.name, ""), OfferRow.address), ids)

    def add(self, offer: Offer) -> None:
        """Store a new offer."""
        self._add(_OFFER, [offer])
        self._add_parts(offer)

    def save(self, offer: Offer) -> None:
        """Store an offer that is one version on, with its parts; refuses if someone else changed it meanwhile."""
        self._save("offer", _OFFER, offer)
        self._session.execute(delete(OfferPartRow).where(OfferPartRow.offer_id == offer.id))
        self._add_parts(offer)

    def _add_parts(self, offer: Offer) -> None:
        rows = [
            {
                "workspace_id": self._workspace_id,
                "id": part.id,
                "offer_id": offer.id,
                "place": place,
                "entry_id": part.entry_id,
                "live_id": part.live_id,
                "part": _PART.dump_python(part, mode="json"),
                "next_at": part.later[0].since if part.live_id is not None and part.later else None,
            }
            for place, part in enumerate(offer.parts)
        ]
        self._session.execute(insert(OfferPartRow), rows)

    def find(self, text: str, *, lock: bool = False) -> Offer:
        """Return the offer that a person means, by id or short form."""
        return self._whole([self._row("offer", OfferRow, text, lock=lock)])[0]

    def of_entry(self, entry_id: UUID, *, lock: bool = False) -> Offer | None:
        """Return the offer that an entry shows, or that it came from."""
        parts = select(OfferPartRow.offer_id).where(
            (OfferPartRow.entry_id == entry_id) | (OfferPartRow.live_id == entry_id)
        )
        query = select(OfferRow).where(OfferRow.id.in_(parts)).order_by(OfferRow.id.desc()).limit(1)
        return next(iter(self._read(query, lock=lock)), None)

    def browse(
        self, states: Iterable[OfferState], limit: int, cursor: str | None, address: str | None = None
    ) -> Page[Offer]:
        """Return offers, the latest first; with `address`, those to whoever has it."""
        query = select(OfferRow)
        if chosen := [state.value for state in states]:
            query = query.where(OfferRow.state == func.any(chosen))
        if address is not None:
            query = query.where(OfferRow.address == address)
        the_page = page(self._session, query, _LATEST, limit=limit, cursor=cursor, read=lambda row: row[0])
        return Page(self._whole(the_page.items), the_page.next)

    def lapsed(self, now: datetime) -> tuple[Offer, ...]:
        """Return the offers that nobody answered in time, unless someone is at them."""
        due = (OfferRow.state == OfferState.WAITING.value, OfferRow.lapses_at <= now)
        query = select(OfferRow).where(*due).order_by(OfferRow.id).with_for_update(skip_locked=True)
        return self._read(query)

    def due(self, now: datetime) -> tuple[Offer, ...]:
        """Return the offers of which something ends by now, before the rest does."""
        parts = select(OfferPartRow.offer_id).where(OfferPartRow.next_at <= now)
        query = select(OfferRow).where(OfferRow.id.in_(parts)).order_by(OfferRow.id).with_for_update(skip_locked=True)
        return self._read(query)

    def _read(self, query: Select[Any], *, lock: bool = False) -> tuple[Offer, ...]:
        query = query.with_for_update() if lock else query
        return self._whole(self._session.scalars(query.execution_options(populate_existing=True)).all())

    def _whole(self, rows: Iterable[OfferRow]) -> tuple[Offer, ...]:
        every = list(rows)
        query = select(OfferPartRow).where(OfferPartRow.offer_id == func.any([row.id for row in every]))
        parts: dict[UUID, list[Part]] = {}
        for part in self._session.scalars(query.order_by(OfferPartRow.place).execution_options(populate_existing=True)):
            parts.setdefault(part.offer_id, []).append(_PART.validate_python(part.part))
        return tuple(_OFFER.read(row, parts=tuple(parts[row.id])) for row in every)
