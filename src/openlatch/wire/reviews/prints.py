"""Reports as they are printed."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from openlatch.wire.base import Sent
from openlatch.words import JobState

__all__ = ["Print"]


class Print(Sent):
    """A report that is printed by a job; once it is done, its file can be fetched for a day."""

    id: UUID
    ref: str
    kind: Literal["round", "batch"]
    subject: str
    state: JobState
    name: str
    asked_by: str
    asked_at: datetime
    finished_at: datetime | None
    trouble: str
