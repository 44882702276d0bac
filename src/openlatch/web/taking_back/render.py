"""Batches as messages of the API."""

from __future__ import annotations

from openlatch.core.taking_back.leaver import Phase
from openlatch.core.taking_back.settled import LeftOpen
from openlatch.operations.taking_back.batches import BatchSight
from openlatch.operations.taking_back.leavers import LeaverPlan
from openlatch.operations.taking_back.together import Foresight
from openlatch.store.inventory.entries import Listed
from openlatch.store.taking_back.batches import BatchItem
from openlatch.web.filled import filled
from openlatch.web.inventory.render import party_of
from openlatch.web.record.render import entry_ref
from openlatch.wire import messages as wire

__all__ = ["batch_of", "foreseen_of", "leaver_of", "left_open_of"]

MOST_NAMED = 50
"""So many entries are named for each kind of consequence; more are counted."""


def batch_of(sight: BatchSight) -> wire.Batch:
    batch = sight.batch
    return filled(
        wire.Batch,
        sight,
        batch,
        ordered_by=batch.ordered_by.name,
        ordered_by_id=batch.ordered_by.id,
        items=[_item(batch.kind, *item) for item in sight.items],
    )


def _item(kind: str, item: BatchItem, listed: Listed | None, order: str) -> wire.BatchItem:
    return filled(
        wire.BatchItem,
        item,
        phase=Phase(item.phase).says if kind == "leaver" else "",
        order=order,
        entry=entry_ref(listed) if listed else None,
        provider=listed.provider.name if listed else "",
        left_open=left_open_of(item.left_open),
    )


def left_open_of(left: LeftOpen | None) -> wire.LeftOpen | None:
    return None if left is None else filled(wire.LeftOpen, left, owner=left.owner.name, by=left.by.name)


def foreseen_of(made: Foresight) -> wire.BatchPlan:
    refused = [wire.RefusedEntry(entry=filled(wire.Ref, one), why=one.text) for one in made.refused]
    return filled(wire.BatchPlan, made, refused=refused, consequences=_consequences(made))


def _consequences(made: Foresight) -> list[wire.CommonConsequence]:
    return [
        wire.CommonConsequence(
            kind=kind,
            severity=severity,
            text=entries[0].text,
            times=len(entries),
            entries=[wire.NamedEntry(entry=filled(wire.Ref, entry), text=entry.text) for entry in entries[:MOST_NAMED]],
        )
        for kind, severity, entries in made.consequences
    ]


def leaver_of(made: LeaverPlan) -> wire.LeaverPlan:
    items = [
        filled(
            wire.LeaverItem,
            item,
            phase=item.phase.says,
            entry=entry_ref(listed) if listed else None,
            provider=listed.provider.name if listed else "",
        )
        for item, listed in made.items
    ]
    return wire.LeaverPlan(
        party=party_of(made.party, made.outside), items=items, consequences=_consequences(made.foresight)
    )
