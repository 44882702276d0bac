"""Imports of lists: what is still to be stored of each, how far it is, and how a form was taken the last time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import delete, insert, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from openlatch.core.ids import ref_of
from openlatch.core.inventory.sheets import Form
from openlatch.core.model import Author
from openlatch.core.providers.observation import Observation
from openlatch.store.codec import Codec
from openlatch.store.inventory.rows import ImportFormRow, ImportPartRow, ImportRow
from openlatch.store.noun import Noun
from openlatch.store.pages import Page, Sort, page
from openlatch.words import JobState

__all__ = ["Import", "Imports"]

_OBSERVATION = TypeAdapter(Observation)
_FORM = TypeAdapter(Form)


@dataclass(frozen=True, slots=True)
class Import:
    """A list that is taken in; `done` is how many of `total` lines are in."""

    id: UUID
    provider_id: UUID
    name: str
    asked_by: Author
    asked_at: datetime
    total: int
    state: JobState = JobState.QUEUED
    done: int = 0
    counts: Mapping[str, int] = field(default_factory=dict)
    trouble: str = ""
    finished_at: datetime | None = None

    @property
    def ref(self) -> str:
        return ref_of(self.id)


_IMPORT = Codec(ImportRow, Import)


class Imports(Noun):
    """Queries over imports."""

    def add(self, an_import: Import, parts: Sequence[Observation]) -> None:
        """Store an import with all that it is to bring, part by part."""
        self._add(_IMPORT, [an_import])
        for place, part in enumerate(parts):
            body = _OBSERVATION.dump_python(part, mode="json")
            mine = {"workspace_id": self._workspace_id, "import_id": an_import.id, "place": place, "body": body}
            self._session.execute(insert(ImportPartRow).values(**mine))

    def next_part(self, import_id: UUID) -> tuple[int, Observation] | None:
        """Return the part that is stored next, with its place; None once all are."""
        query = select(ImportPartRow).where(ImportPartRow.import_id == import_id).order_by(ImportPartRow.place).limit(1)
        row = self._session.scalars(query).first()
        return None if row is None else (row.place, _OBSERVATION.validate_python(row.body))

    def part_stored(self, import_id: UUID, place: int) -> None:
        """Forget a part: what is in the inventory is not kept twice."""
        mine = (ImportPartRow.import_id == import_id, ImportPartRow.place == place)
        self._session.execute(delete(ImportPartRow).where(*mine))

    def save(self, an_import: Import) -> None:
        self._session.execute(update(ImportRow).where(ImportRow.id == an_import.id).values(**_IMPORT.values(an_import)))
        if an_import.finished_at is not None:
            self._session.execute(delete(ImportPartRow).where(ImportPartRow.import_id == an_import.id))

    def find(self, text: str, *, lock: bool = False) -> Import:
        return _IMPORT.read(self._row("import", ImportRow, text, lock=lock))

    def browse(self, provider_id: UUID, *, limit: int, cursor: str | None) -> Page[Import]:
        """Return the imports of a provider, the latest first."""
        query = select(ImportRow).where(ImportRow.provider_id == provider_id)
        sort = Sort("latest", (ImportRow.id,), descending=True)
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=_IMPORT.first)

    def form(self, provider_id: UUID, signature: str) -> Form | None:
        """Return how a list with these columns was taken the last time."""
        mine = (ImportFormRow.provider_id == provider_id, ImportFormRow.signature == signature)
        value = self._session.scalar(select(ImportFormRow.form).where(*mine))
        return None if value is None else _FORM.validate_python(value)

    def remember(self, provider_id: UUID, signature: str, form: Form) -> None:
        """Keep how a list with these columns was taken."""
        body = _FORM.dump_python(form, mode="json")
        keys = {"workspace_id": self._workspace_id, "provider_id": provider_id, "signature": signature}
        statement = upsert(ImportFormRow).values(**keys, form=body)
        self._session.execute(statement.on_conflict_do_update(index_elements=list(keys), set_={"form": body}))
