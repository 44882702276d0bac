"""The log: reading it, and sealing what was added."""

from __future__ import annotations

from openlatch.core.record.ledger import link
from openlatch.operations.call import Call, operation
from openlatch.store.inventory.entries import Listed
from openlatch.store.pages import Page
from openlatch.store.record.events import Head, LoggedEvent
from openlatch.wire.record.log import LogQuery

__all__ = ["browse", "head", "seal"]


@operation("log.browse")
def browse(call: Call, wanted: LogQuery) -> Page[tuple[LoggedEvent, Listed | None]]:
    """Events of the log, each with the entry that it tells of."""
    page = call.tx.events.browse(
        subject_id=wanted.subject,
        account_id=call.tx.accounts.find(wanted.account)[0].id if wanted.account else None,
        party_id=call.tx.parties.find(wanted.party)[0].id if wanted.party else None,
        sealed_only=wanted.sealed,
        oldest_first=wanted.oldest,
        limit=wanted.limit,
        cursor=wanted.cursor,
    )
    about = call.tx.entries.about({event.subject_id for event in page.items})
    return Page(tuple((event, about.get(event.subject_id)) for event in page.items), page.next)


@operation("log.head")
def head(call: Call) -> Head:
    """The end of the sealed log, against which a copy of it is checked."""
    return call.tx.events.head()


def seal(call: Call) -> int:
    """Number and link the events that were committed since the last time; returns how many."""
    return call.tx.events.seal(link, call.now)
