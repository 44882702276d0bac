"""How the service stands: for whoever owns a workspace in it, and for whoever asks whether anybody works."""

from __future__ import annotations

from dataclasses import dataclass

from openlatch.core.running.state import State, Trouble, overdue, troubles
from openlatch.operations.call import Call, operation

__all__ = ["Standing", "show"]


@dataclass(frozen=True, slots=True)
class Standing:
    """The state of the service, and what somebody has to see to."""

    state: State
    troubles: tuple[Trouble, ...]


@operation("service.show")
def show(call: Call) -> Standing:
    """Whether all of the service runs: workers, jobs that wait, readings, letters, keys, and how large it is."""
    running, now = call.tx.running, call.now
    workers, quiet = running.workers()
    jobs = running.jobs()
    unsealed, unsealed_since = running.unsealed()
    letters, trouble = running.letters()
    state = State(
        at=now,
        workers=workers,
        last_sign=None if quiet is None else now - quiet,
        waiting=jobs.number,
        waiting_since=None if jobs.since is None else now - jobs.since,
        failed=jobs.failed,
        unsealed=unsealed,
        unsealed_since=unsealed_since,
        last_reading=running.last_reading(),
        behind=overdue(call.tx.providers.all(), now),
        sends_letters=call.services.post is not None,
        letters=letters,
        mail_trouble=trouble,
        key_made_at=running.key_made_at(),
        database_bytes=running.database_bytes(),
    )
    return Standing(state, troubles(state, call.tx.workspace.zone))
