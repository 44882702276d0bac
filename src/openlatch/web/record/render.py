"""The log as messages of the API."""

from __future__ import annotations

from openlatch.core.record.events import more, sentence
from openlatch.operations.record.log import EventSight, Inclusion, SignedHead
from openlatch.store.inventory.entries import Listed
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["entry_ref", "event_of", "head_of", "proof_of"]


def entry_ref(listed: Listed) -> wire.Ref:
    return filled(wire.Ref, listed.entry, name=f"{listed.party.name} on {listed.account.name}")


def event_of(sight: EventSight, zone: str) -> wire.Event:
    act = str(sight.event.content["act"])
    return filled(
        wire.Event,
        sight.event,
        about=entry_ref(sight.entry) if sight.entry else None,
        says=sentence(act, sight.it, sight.facts, zone),
        detail=more(act, sight.facts, zone),
    )


def head_of(head: SignedHead) -> wire.LogHead:
    return filled(wire.LogHead, head.head, signed=head.signed)


def proof_of(inclusion: Inclusion) -> wire.LogProof:
    return filled(wire.LogProof, inclusion, head=head_of(inclusion.head))
