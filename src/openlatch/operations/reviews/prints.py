"""Reports as they are printed: asked for, made by a job, and fetched. The file is kept for a day."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from uuid import UUID

from openlatch.errors import Conflict
from openlatch.operations.call import Call, operation
from openlatch.operations.reviews import reports
from openlatch.operations.reviews.reports import Signed
from openlatch.store.reviews.prints import Print
from openlatch.words import JobState

__all__ = ["TASK", "begin", "failed", "file", "finished", "show", "start"]

TASK = "openlatch.print"
KEPT = timedelta(days=1)


@operation("prints.start")
def start(call: Call, kind: str, text: str) -> Print:
    """Have the report of a round, or of a batch, printed; that takes seconds, and is done by a job."""
    ref = call.tx.reviews.find(text).ref if kind == "round" else call.tx.batches.find(text).ref
    call.tx.prints.forget_before(call.now - KEPT)
    a_print = Print(call.services.new_id(), kind, ref, call.actor.name, call.now)
    call.tx.prints.add(a_print)
    call.tx.enqueue(TASK, lock=f"print:{a_print.id}", print_id=str(a_print.id))
    return a_print


@operation("prints.show")
def show(call: Call, text: str) -> Print:
    """How far a printed report is."""
    return call.tx.prints.find(text)


@operation("prints.file")
def file(call: Call, text: str) -> tuple[Print, bytes]:
    """The file of a printed report; refuses (Conflict) one that is not done."""
    a_print = call.tx.prints.find(text)
    if a_print.state != JobState.DONE:
        raise Conflict(
            f"The report is {a_print.state}, and there is no file yet."
            if a_print.finished_at is None
            else f"The report could not be printed: {a_print.trouble}",
            next_step="Ask again in a moment." if a_print.finished_at is None else "Have it printed again.",
            printed=a_print.ref,
        )
    return a_print, call.tx.prints.content(a_print.id)


def begin(call: Call, print_id: UUID) -> Signed | None:
    """Return what is to be printed; None if that is over already, which a job that is repeated finds."""
    a_print = call.tx.prints.find(str(print_id))
    if a_print.finished_at is not None:
        return None
    call.tx.prints.save(replace(a_print, state=JobState.RUNNING))
    return reports.signed_report(call, a_print.kind, a_print.subject)


def finished(call: Call, print_id: UUID, name: str, content: bytes) -> None:
    """Keep the file of a printed report."""
    a_print = call.tx.prints.find(str(print_id))
    call.tx.prints.save(replace(a_print, state=JobState.DONE, name=name, finished_at=call.now), content)


def failed(call: Call, print_id: UUID, why: str) -> None:
    """Keep that a report could not be printed, and why."""
    a_print = call.tx.prints.find(str(print_id))
    call.tx.prints.save(replace(a_print, state=JobState.FAILED, trouble=why, finished_at=call.now))
