"""Reports that are printed: what each is of, how far it is, and for a day the file."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, insert, select, update

from openlatch.core.ids import ref_of
from openlatch.store.noun import Noun, id_or_ref, missing
from openlatch.store.reviews.rows import PrintRow

__all__ = ["Print", "Prints"]


@dataclass(frozen=True, slots=True)
class Print:
    """A report that is printed, of a round or a batch; `state` is queued, running, done or failed."""

    id: UUID
    kind: str
    subject: str
    asked_by: str
    asked_at: datetime
    state: str = "queued"
    finished_at: datetime | None = None
    name: str = ""
    trouble: str = ""

    @property
    def ref(self) -> str:
        return ref_of(self.id)


def _print(row: PrintRow) -> Print:
    return Print(
        row.id,
        row.kind,
        row.subject,
        row.asked_by,
        row.asked_at,
        state=row.state,
        finished_at=row.finished_at,
        name=row.name,
        trouble=row.trouble,
    )


class Prints(Noun):
    """Queries over printed reports."""

    def add(self, one: Print) -> None:
        values = {
            "workspace_id": self._workspace_id,
            "id": one.id,
            "ref": one.ref,
            "kind": one.kind,
            "subject": one.subject,
            "state": one.state,
            "asked_by": one.asked_by,
            "asked_at": one.asked_at,
            "name": one.name,
            "trouble": one.trouble,
        }
        self._session.execute(insert(PrintRow).values(**values))

    def save(self, one: Print, content: bytes | None = None) -> None:
        """Store how far one is; with the file, once there is one."""
        values = {"state": one.state, "finished_at": one.finished_at, "name": one.name, "trouble": one.trouble}
        self._session.execute(update(PrintRow).where(PrintRow.id == one.id).values(**values, content=content))

    def find(self, text: str) -> Print:
        wanted = id_or_ref(text)
        query = select(PrintRow).where(PrintRow.id == wanted if isinstance(wanted, UUID) else PrintRow.ref == wanted)
        row = self._session.scalars(query.execution_options(populate_existing=True)).first() if wanted else None
        if row is None:
            raise missing("printed report", text)
        return _print(row)

    def content(self, print_id: UUID) -> bytes:
        """Return the file of one that is done."""
        found = self._session.scalar(select(PrintRow.content).where(PrintRow.id == print_id))
        return found or b""

    def forget_before(self, instant: datetime) -> None:
        """Forget those that were asked for before an instant: they can be printed again at any time."""
        self._session.execute(delete(PrintRow).where(PrintRow.asked_at < instant))
