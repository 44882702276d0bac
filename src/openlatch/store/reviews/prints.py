"""Reports that are printed: what each is of, how far it is, and for a day the file."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, select, update

from openlatch.core.ids import ref_of
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun
from openlatch.store.reviews.rows import PrintRow
from openlatch.words import JobState

__all__ = ["Print", "Prints"]


@dataclass(frozen=True, slots=True)
class Print:
    """A report that is printed, of a round or a batch."""

    id: UUID
    kind: str
    subject: str
    asked_by: str
    asked_at: datetime
    state: JobState = JobState.QUEUED
    finished_at: datetime | None = None
    name: str = ""
    trouble: str = ""

    @property
    def ref(self) -> str:
        return ref_of(self.id)


_PRINT = Codec(PrintRow, Print)


class Prints(Noun):
    """Queries over printed reports."""

    def add(self, a_print: Print) -> None:
        self._add(_PRINT, [a_print])

    def save(self, a_print: Print, content: bytes | None = None) -> None:
        """Store how far one is; with the file, once there is one."""
        self._session.execute(
            update(PrintRow).where(PrintRow.id == a_print.id).values(**_PRINT.values(a_print), content=content)
        )

    def find(self, text: str) -> Print:
        return _PRINT.read(self._row("printed report", PrintRow, text))

    def content(self, print_id: UUID) -> bytes:
        """Return the file of one that is done."""
        piece = self._session.scalar(select(PrintRow.content).where(PrintRow.id == print_id))
        return piece or b""

    def forget_before(self, instant: datetime) -> None:
        """Forget those that were asked for before an instant: they can be printed again at any time."""
        self._session.execute(delete(PrintRow).where(PrintRow.asked_at < instant))
