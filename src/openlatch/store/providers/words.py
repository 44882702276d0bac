"""Providers' words: which are in use, and what the holder says that they mean."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert

from openlatch.core.powers import in_order
from openlatch.core.providers.meaning import Words
from openlatch.store.inventory.rows import HeldLevelRow
from openlatch.store.noun import Noun
from openlatch.store.providers.rows import WordRow
from openlatch.words import Kind, Power

__all__ = ["Correction", "ProviderWords", "Used"]


@dataclass(frozen=True, slots=True)
class Used:
    """Entries with the same level and permissions: how many stand, of which kinds, and the powers that are stated."""

    level: str
    permissions: tuple[str, ...]
    stated: tuple[Power, ...] | None
    entries: int
    kinds: frozenset[Kind]


@dataclass(frozen=True, slots=True)
class Correction:
    """What the holder says that a word means, who said so, and when."""

    word: str
    powers: tuple[Power, ...]
    by: str
    at: datetime


def _powers(words: Iterable[str]) -> tuple[Power, ...]:
    return in_order(Power(word) for word in words)


class ProviderWords(Noun):
    """Queries over the words of providers."""

    def used(self, provider_id: UUID) -> tuple[Used, ...]:
        """Return every combination of level, permissions and stated powers among the standing entries."""
        row = HeldLevelRow
        entries = func.sum(row.entries)
        held = (
            select(row.level, row.permissions, row.stated, row.kind, entries.label("entries"))
            .where(row.provider_id == provider_id)
            .group_by(row.level, row.permissions, row.stated, row.kind)
            .having(entries != 0)
            .subquery()
        ).c
        columns = (held.level, held.permissions, held.stated)
        query = select(*columns, func.sum(held.entries), func.array_agg(held.kind.distinct()))
        return tuple(
            Used(
                level,
                tuple(permissions),
                None if stated is None else _powers(stated),
                int(count),
                frozenset(map(Kind, carried)),
            )
            for level, permissions, stated, count, carried in self._session.execute(query.group_by(*columns))
        )

    def corrections(self, provider_id: UUID) -> tuple[Correction, ...]:
        rows = self._session.scalars(select(WordRow).where(WordRow.provider_id == provider_id).order_by(WordRow.word))
        return tuple(Correction(r.word, _powers(r.powers), r.corrected_by, r.corrected_at) for r in rows)

    def corrected(self, provider_id: UUID) -> Words:
        """Return the corrected words alone."""
        return {correction.word: correction.powers for correction in self.corrections(provider_id)}

    def correct(self, provider_id: UUID, correction: Correction) -> None:
        values = {
            "powers": [p.value for p in correction.powers],
            "corrected_by": correction.by,
            "corrected_at": correction.at,
        }
        statement = insert(WordRow).values(
            workspace_id=self._workspace_id, provider_id=provider_id, word=correction.word, **values
        )
        self._session.execute(
            statement.on_conflict_do_update(
                index_elements=[WordRow.workspace_id, WordRow.provider_id, WordRow.word], set_=values
            )
        )

    def forget(self, provider_id: UUID, word: str) -> None:
        self._session.execute(delete(WordRow).where(WordRow.provider_id == provider_id, WordRow.word == word))
