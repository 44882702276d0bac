"""The log."""

from __future__ import annotations

from openlatch.core.record import ledger
from openlatch.errors import NotAllowed, NotFound
from tests.operations.effects.world import World, of


@of("log.browse")
def _(w: World) -> None:
    acts = [event.content["act"] for event in w.auditor.events(w.owner.entry(w.things.entry).id, oldest=True)]
    assert acts[0] == "entry.found"
    with w.refused(NotFound, "no account"):
        list(w.auditor.events(account="Nowhere"))


@of("log.head")
def _(w: World) -> None:
    w.ridge.drain()
    head = w.auditor.log_head()
    events = [e for e in w.auditor.events(sealed=True, oldest=True) if e.number and e.number <= head.size]
    sealed = [ledger.Sealed(e.number or 0, e.content, e.link or "") for e in events]
    assert ledger.verify(sealed) == (head.size, head.link, None)
    with w.refused(NotAllowed, "log.head"):
        w.member.log_head()
