"""The log as messages of the API."""

from __future__ import annotations

from openlatch.core.record.events import SAID, detail
from openlatch.operations.record.log import Inclusion, SignedHead
from openlatch.store.inventory.entries import Listed
from openlatch.store.record.events import LoggedEvent
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["entry_ref", "event_of", "head_of", "proof_of"]


def entry_ref(listed: Listed) -> wire.Ref:
    return filled(wire.Ref, listed.entry, name=f"{listed.party.name} on {listed.account.name}")


def event_of(event: LoggedEvent, about: Listed | None, zone: str) -> wire.Event:
    act = str(event.content["act"])
    return filled(
        wire.Event,
        event,
        about=entry_ref(about) if about else None,
        says=SAID.get(act, act),
        detail=detail(event.content["facts"], zone),
    )


def head_of(head: SignedHead) -> wire.LogHead:
    return filled(wire.LogHead, head.head, signed=head.signed)


def proof_of(inclusion: Inclusion) -> wire.LogProof:
    return filled(wire.LogProof, inclusion, head=head_of(inclusion.head))
