"""Archiving: the oldest events of a log are written to a file, looked at there, and only then cleared here.

What stays is the whole tree of their hashes, so that every head ever kept, every proof and every receipt goes on
holding. Clearing takes the login that owns the tables: the service cannot do it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import timedelta

import orjson

from openlatch.core.record import tree
from openlatch.core.record.heads import Head, Start, checked
from openlatch.core.record.ledger import Sealed
from openlatch.errors import Conflict, Invalid
from openlatch.operations.call import Call

__all__ = ["archived", "begins", "clear", "due", "events_in", "lines"]

AT_ONCE = 20_000
"""So many events are cleared in one transaction."""


def due(call: Call) -> tuple[int, int]:
    """Return which events are to be archived by now, as the first and last number; the last is smaller if none are.

    They are those that the holder need not keep at hand, without any that a webhook is still to be sent.
    """
    there, days = call.tx.events.head(), call.tx.workspace.keep_events_days
    if not days:
        return there.archived + 1, there.archived
    old = call.tx.events.before(call.now - timedelta(days=days))
    sent = (webhook.seen for webhook in call.tx.webhooks.all() if not webhook.paused)
    return there.archived + 1, min(old, there.grown, *sent)


def begins(call: Call) -> Start:
    """Return where what is at hand of the log begins."""
    head = call.tx.events.head()
    return Start(head.archived, head.archived_link, tuple(map(bytes.fromhex, head.archived_wholes)))


def lines(call: Call, through: int) -> Iterator[str]:
    """Return what is at hand of the log up to a number, as a file has it."""
    return call.tx.events.copy(through)


def events_in(file: Iterable[bytes | str]) -> Iterator[Sealed]:
    """Read events from the lines of a file; raises Invalid for the first that is none."""
    for number, line in enumerate(file, 1):
        try:
            said = orjson.loads(line)
            yield Sealed(said["number"], said["content"], said["link"])
        except (ValueError, KeyError, TypeError) as error:
            raise Invalid(f"Line {number} is no event of a log.") from error


def archived(call: Call, file: Iterable[bytes], name: str, through: int) -> None:
    """Note that the events up to a number are in a file, having looked at every one of them there.

    Raises Conflict if the file is not what the log has.
    """
    start = begins(call)
    root = tree.root(call.tx.events.nodes(), through).hex()
    if why := _unlike(file, Head(through, root), start):
        raise Conflict(
            f"The file {name} does not hold what the log has: {why}. Nothing was removed from the database.",
            next_step="Keep that file for whoever looks into it, and archive into another folder.",
        )
    call.tx.events.archive(through)
    call.log(
        "log.archived",
        "log",
        call.tx.workspace.id,
        events=through - start.size,
        first=start.size + 1,
        through=through,
        root=root,
        file=name,
    )


def _unlike(file: Iterable[bytes], head: Head, start: Start) -> str:
    """What is wrong with a file that is to lead from a start to a head, and no further; nothing if it does."""
    try:
        found = checked(events_in(file), [head], start=start)
    except Invalid as error:
        return str(error).lower().rstrip(".")
    if found.broken is not None:
        return found.broken.why
    return "" if found.held == head.size else f"it goes on to event {found.held}"


def clear(call: Call, after: int) -> int:
    """Clear some of the archived events that come after a number; returns up to which, and that number if none do."""
    return call.tx.events.clear(after, AT_ONCE)
