"""Queueing a job in the very transaction that needs it, so that both land or neither does."""

from __future__ import annotations

from datetime import datetime
from functools import cache
from typing import TYPE_CHECKING, Any

from sqlalchemy.orm import Session
from structlog.contextvars import get_contextvars

from openlatch.deferred import deferred

if TYPE_CHECKING:
    import procrastinate
else:
    procrastinate = deferred("procrastinate")

__all__ = ["REQUEST", "enqueue"]

REQUEST = "request"
"""Under this name the id of a request is in the service's own messages, and among a job's arguments."""


@cache
def _app() -> procrastinate.App:
    return procrastinate.App(connector=procrastinate.SyncPsycopgConnector())


def enqueue(
    session: Session,
    task: str,
    *,
    lock: str | None = None,
    once: str | None = None,
    at: datetime | None = None,
    **arguments: Any,
) -> bool:
    """Queue a job; returns False if one with the same `once` is waiting already.

    Jobs with the same `lock` run one after the other; `at` puts the start off to an instant. A job carries the id of
    the request that it comes of, so that what is written about both can be put together.
    """
    request = get_contextvars().get(REQUEST)
    if request:
        arguments[REQUEST] = request
    try:
        with session.begin_nested():
            # Asked for in here: the session opens the savepoint only for a connection that is used within it.
            connection: Any = session.connection().connection.driver_connection
            _app().configure_task(task, lock=lock, queueing_lock=once, schedule_at=at, connection=connection).defer(
                **arguments
            )
    except procrastinate.exceptions.AlreadyEnqueued:
        return False
    return True
