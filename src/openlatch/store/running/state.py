"""What of a running service is seen in its database: its workers, its queue, and what waits there."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import Interval, bindparam, func, select, text
from sqlalchemy.orm import Session

from openlatch.core.running.state import ALIVE
from openlatch.store.noun import Noun
from openlatch.store.people.rows import DataKeyRow
from openlatch.store.providers.rows import ReadingRow
from openlatch.store.record.rows import EventRow
from openlatch.store.telling.rows import NoticeRow

__all__ = ["Running", "Waiting", "all_jobs", "workers"]

# By the clock of the database, which is that of every worker's signs.
_WORKERS = text(
    "select count(*) filter (where last_heartbeat > now() - :alive), now() - max(last_heartbeat) "
    "from procrastinate_workers"
).bindparams(bindparam("alive", ALIVE, Interval()))
_JOBS = text(
    """
    select count(*) filter (where waits), max(now() - since) filter (where waits),
        count(*) filter (where job.status = 'failed' and ended > now() - interval '1 day')
    from procrastinate_jobs job,
    lateral (
        select job.status = 'todo' and coalesce(job.scheduled_at, now()) <= now() as waits,
            greatest(job.scheduled_at, (
                select max(at) from procrastinate_events event where event.job_id = job.id
                and event.type in ('deferred', 'deferred_for_retry')
            )) as since,
            (select max(at) from procrastinate_events event where event.job_id = job.id) as ended
    ) told
    where job.status in ('todo', 'failed') and (job.args->>'workspace_id' = :workspace or :workspace = '')
    """
)


@dataclass(frozen=True, slots=True)
class Waiting:
    """How much waits, since how long the oldest does, and how much was given up within a day."""

    number: int
    since: timedelta | None
    failed: int = 0


def workers(session: Session) -> tuple[int, timedelta | None]:
    """Return how many workers are at work, and how long ago one last gave a sign of life; None if never."""
    row = session.execute(_WORKERS).one()
    return row[0], row[1]


def all_jobs(session: Session) -> Waiting:
    """Return the jobs of all workspaces together that could begin, and those that failed."""
    return Waiting(*session.execute(_JOBS, {"workspace": ""}).one())


class Running(Noun):
    """Queries over what runs, as far as it is about this workspace."""

    def workers(self) -> tuple[int, timedelta | None]:
        """Return how many workers are at work, and how long ago one last gave a sign of life."""
        return workers(self._session)

    def jobs(self) -> Waiting:
        """Return the jobs of this workspace that could begin, and those that failed."""
        return Waiting(*self._session.execute(_JOBS, {"workspace": str(self._workspace_id)}).one())

    def unsealed(self) -> tuple[int, datetime | None]:
        """Return how many events wait to be sealed, and when the oldest happened."""
        query = select(func.count(), func.min(EventRow.at)).where(EventRow.number.is_(None))
        row = self._session.execute(query).one()
        return row[0], row[1]

    def letters(self) -> tuple[int, str]:
        """Return how many letters could not be sent so far, and what was said of the last that was tried."""
        waits = (NoticeRow.sent_at.is_(None), NoticeRow.due_at.is_not(None), NoticeRow.attempts > 0)
        last = select(NoticeRow.trouble).where(*waits).order_by(NoticeRow.due_at.desc()).limit(1).scalar_subquery()
        row = self._session.execute(select(func.count(NoticeRow.address.distinct()), last).where(*waits)).one()
        return row[0], row[1] or ""

    def key_made_at(self) -> datetime | None:
        """Return when the key was made with which secrets are encrypted now."""
        return self._session.scalar(select(func.max(DataKeyRow.made_at)))

    def last_reading(self) -> datetime | None:
        """Return when a reading ended last, of whatever provider."""
        return self._session.scalar(select(func.max(ReadingRow.finished_at)))

    def database_bytes(self) -> int:
        """Return how much room all of the database takes."""
        return int(self._session.scalar(text("select pg_database_size(current_database())")) or 0)
