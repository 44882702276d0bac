"""Batches as messages of the API."""

from __future__ import annotations

from typing import Any

from openlatch.core.model import Entry
from openlatch.core.taking_back.leaver import Phase
from openlatch.operations.taking_back.batches import BatchSight
from openlatch.operations.taking_back.leavers import LeaverPlan
from openlatch.operations.taking_back.together import Foresight, Named
from openlatch.store.inventory.entries import Listed
from openlatch.store.taking_back.batches import BatchItem
from openlatch.web import render
from openlatch.wire import messages as wire
from openlatch.words import Action

__all__ = ["batch", "leaver_plan", "plan"]

MOST_NAMED = 50
"""So many entries are named for each kind of consequence; more are counted."""


def batch(sight: BatchSight) -> wire.Batch:
    b = sight.batch
    facts: dict[str, Any] = {"kind": b.kind, "action": Action(b.action).value}
    return wire.Batch(
        id=b.id,
        ref=b.ref,
        wanted=dict(b.wanted),
        party=wire.Ref(id=sight.party.id, ref=sight.party.ref, name=sight.party.name) if sight.party else None,
        reason=b.reason,
        ordered_by=b.ordered_by.name,
        ordered_by_id=b.ordered_by.id,
        ordered_at=b.ordered_at,
        begins_at=b.begins_at,
        cancelled_at=b.cancelled_at,
        count=sight.count,
        outcomes=dict(sight.outcomes),
        over=sight.over,
        rests=sight.rests,
        remains=list(sight.remains),
        items=[_item(b.kind, *one) for one in sight.items],
        **facts,
    )


def _item(kind: str, item: BatchItem, listed: Listed | None, order: str) -> wire.BatchItem:
    return wire.BatchItem(
        place=item.place,
        phase=Phase(item.phase).says if kind == "leaver" else "",
        action=item.action,
        text=item.text,
        outcome=item.outcome.value,
        entry=_entry(listed.entry, f"{listed.party.name} on {listed.account.name}") if listed else None,
        provider=listed.provider.name if listed else "",
        order=order,
        who=item.who,
        trouble=item.trouble,
        done_at=item.done_at,
        done_by=item.done_by,
        left_open=render.left_open(item.left_open),
    )


def plan(made: Foresight) -> wire.BatchPlan:
    return wire.BatchPlan(
        count=made.count,
        looked_at=made.looked_at,
        ready=made.ready,
        refused=[wire.RefusedEntry(entry=_named(one), why=one.text) for one in made.refused],
        consequences=_consequences(made),
    )


def _consequences(made: Foresight) -> list[wire.CommonConsequence]:
    return [
        wire.CommonConsequence(
            kind=kind,
            severity=severity.value,
            text=entries[0].text,
            times=len(entries),
            entries=[wire.NamedEntry(entry=_named(one), text=one.text) for one in entries[:MOST_NAMED]],
        )
        for kind, severity, entries in made.consequences
    ]


def _named(one: Named) -> wire.Ref:
    return wire.Ref(id=one.id, ref=one.ref, name=one.name)


def leaver_plan(made: LeaverPlan) -> wire.LeaverPlan:
    return wire.LeaverPlan(
        party=render.party(made.party, made.outside),
        items=[
            wire.LeaverItem(
                phase=item.phase.says,
                action=item.action,
                text=item.text,
                entry=_entry(listed.entry, f"{listed.party.name} on {listed.account.name}") if listed else None,
                provider=listed.provider.name if listed else "",
            )
            for item, listed in made.items
        ],
        consequences=_consequences(made.foresight),
    )


def _entry(entry: Entry, name: str) -> wire.Ref:
    return wire.Ref(id=entry.id, ref=entry.ref, name=name)
