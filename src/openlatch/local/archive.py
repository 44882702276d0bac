"""Old events of the logs in files elsewhere: what their holders need not have at hand takes no room in the database."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from openlatch.core.model import Workspace
from openlatch.errors import Misconfigured
from openlatch.operations.call import as_service
from openlatch.operations.record import archive
from openlatch.wiring import Service, Settings, wire

__all__ = ["Archived", "put_away"]


@dataclass(frozen=True, slots=True)
class Archived:
    """What was done for a workspace: `events` are in `file` now, up to number `through`; None if there were none.

    `days` is how long its holder keeps events at hand, 0 for ever.
    """

    name: str
    days: int
    events: int
    through: int
    file: Path | None


def put_away(given: Settings, folder: Path) -> Iterator[Archived]:
    """Archive the old events of every workspace into files in a folder, one after the other.

    It can be stopped at any instant, and begun again: events are cleared only once a file of them lies there, whole.

    Raises:
        Misconfigured: the login may not, or the database is not there.
        OSError: a file cannot be written.
        Conflict: a file is not what the log has.
    """
    owner = given.model_copy(update={"database_url": given.owner_url or given.database_url})
    running = wire(owner)
    with closing(running.store) as store:
        trouble = store.ready()
        if trouble:
            raise Misconfigured(f"Nothing was archived: {trouble}.", next_step="See: openlatch service migrate")
        if not store.owns_tables():
            raise Misconfigured(
                "Nothing was archived: the service’s login may remove nothing from a log.",
                next_step="Set OPENLATCH_OWNER_URL to the login that owns the tables.",
            )
        folder.mkdir(parents=True, exist_ok=True)
        for workspace in store.workspaces():
            yield _of(running, workspace, folder)


def _of(running: Service, workspace: Workspace, folder: Path) -> Archived:
    with running.store.transaction(workspace.id) as tx:
        call = as_service(tx, running.services)
        first, last = archive.due(call)
        file = folder / f"{workspace.slug}-{first:010}-{last:010}.jsonl"
        if first <= last:
            _write(file, archive.lines(call, last))
    if first <= last:
        with running.store.transaction(workspace.id) as tx, file.open("rb") as lines:
            archive.archived(as_service(tx, running.services), lines, file.name, last)
    # Also what was archived when this was stopped.
    done, before = 0, -1
    while done != before:
        with running.store.transaction(workspace.id) as tx:
            before, done = done, archive.clear(as_service(tx, running.services), done)
    events = max(last - first + 1, 0)
    return Archived(workspace.name, workspace.keep_events_days, events, last, file if events else None)


def _write(file: Path, lines: Iterator[str]) -> None:
    """Write a file that is there as a whole or not at all, on the disk before its name is."""
    half = file.with_name(f".{file.name}.{os.getpid()}.new")
    try:
        with half.open("w", encoding="utf-8") as out:
            out.writelines(f"{line}\n" for line in lines)
            out.flush()
            os.fsync(out.fileno())
        half.rename(file)
    finally:
        half.unlink(missing_ok=True)
    descriptor = os.open(file.parent, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)
