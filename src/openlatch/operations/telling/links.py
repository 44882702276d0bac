"""Links in letters that are answered once: made here, and opened here; what an answer does is their purpose's matter.

A link is an id with a mark that only whoever holds the service's key can make, so that the database holds nothing with
which one could be answered. It signs nobody in.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from uuid import UUID

from openlatch.core.hours import day_in
from openlatch.errors import Conflict, NotFound
from openlatch.operations.call import Call
from openlatch.store.telling.links import Link

__all__ = ["PATH", "SIGN_IN_PATH", "Opened", "answerable", "make", "opened", "whole", "workspace_in"]

PATH = "/answer/"
SIGN_IN_PATH = "/link#"
"""of what signs someone in: behind the # it never reaches a server's log"""


@dataclass(frozen=True, slots=True)
class Opened:
    """A link that was opened; `trouble` says why it cannot be answered, if it cannot."""

    link: Link
    trouble: str = ""


def make(call: Call, purpose: str, subject_id: UUID, address: str, lasts: timedelta, path: str = PATH) -> str:
    """Make a link about something, sent to an address, and return its path; former ones are answered no more."""
    call.tx.links.withdraw(subject_id, call.now)
    link = Link(call.services.new_id(), purpose, subject_id, address, call.now, call.now + lasts)
    call.tx.links.add(link)
    return f"{path}{call.tx.workspace.id.hex}.{link.id.hex}"


def whole(call: Call, path: str) -> str:
    """Return a path as it goes into a letter to whom it was made for: one that is answered gets its mark."""
    leads = next((text for text in (PATH, SIGN_IN_PATH) if path.startswith(text)), None)
    return path if leads is None else f"{path}.{call.keyring().mark(path.removeprefix(leads))}"


def workspace_in(text: str) -> UUID:
    """Return the workspace that a link names."""
    try:
        return UUID(hex=text.partition(".")[0])
    except ValueError as error:
        raise _nothing() from error


def opened(call: Call, text: str, *, lock: bool = False) -> Opened:
    """Return the link that someone has; raises NotFound for one that was never made."""
    named, _, mark = text.rpartition(".")
    try:
        link_id = UUID(hex=named.partition(".")[2])
    except ValueError as error:
        raise _nothing() from error
    link = call.tx.links.find(link_id, lock=lock) if call.keyring().marked(named, mark) else None
    if link is None:
        raise _nothing()
    return Opened(link, _trouble(call, link))


def answerable(call: Call, text: str) -> Link:
    """Return a link that can be answered, held so that nobody else answers it meanwhile; else raises Conflict."""
    found = opened(call, text, lock=True)
    if found.trouble:
        raise Conflict(f"{found.trouble} Nothing was changed.", next_step="Ask whoever sent it to you for a new one.")
    return found.link


def _trouble(call: Call, link: Link) -> str:
    zone = call.tx.workspace.zone
    if link.used_at is not None:
        return f"This link was answered already, on {day_in(link.used_at, zone)}."
    if link.withdrawn_at is not None:
        return f"This link was withdrawn on {day_in(link.withdrawn_at, zone)}."
    if link.lapses_at <= call.now:
        return f"This link lapsed on {day_in(link.lapses_at, zone)}."
    return ""


def _nothing() -> NotFound:
    return NotFound("This link leads nowhere.", next_step="Check that it is complete, exactly as in the letter.")
