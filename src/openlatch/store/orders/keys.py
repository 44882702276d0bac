"""The keys with which a workspace signs its receipts; the private halves are encrypted before they come here."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert

from openlatch.store.noun import Noun
from openlatch.store.orders.rows import KeyRow

__all__ = ["Keys"]


class Keys(Noun):
    """Queries over keys."""

    def latest(self) -> bytes | None:
        """Return the encrypted private half of the key in use."""
        return self._session.scalars(select(KeyRow.secret).order_by(KeyRow.made_at.desc()).limit(1)).first()

    def add(self, name: str, public: Mapping[str, Any], secret: bytes, now: datetime) -> None:
        """Keep a new key, unless another one was made first."""
        values = {
            "workspace_id": self._workspace_id,
            "place": 1,
            "name": name,
            "public": dict(public),
            "secret": secret,
            "made_at": now,
        }
        self._session.execute(insert(KeyRow).values(**values).on_conflict_do_nothing())

    def public(self) -> tuple[Mapping[str, Any], ...]:
        return tuple(self._session.scalars(select(KeyRow.public).order_by(KeyRow.made_at.desc())))
