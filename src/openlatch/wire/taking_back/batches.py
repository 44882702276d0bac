"""Batches: one action on many entries at once, or all access of someone who is leaving."""

from datetime import date, datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import Field, StringConstraints

from openlatch.wire.base import Page, PageQuery, Ref, Search, Sent, Taken, Text
from openlatch.wire.inventory.entries import EntryFilter
from openlatch.wire.inventory.parties import Party
from openlatch.wire.orders.orders import Consequence
from openlatch.words import Action, Outcome

__all__ = [
    "Batch",
    "BatchItem",
    "BatchList",
    "BatchPlan",
    "BatchPlanWish",
    "BatchQuery",
    "BatchView",
    "CommonConsequence",
    "LeaverItem",
    "LeaverPlan",
    "LeftOpen",
    "NamedEntry",
    "NewBatch",
    "NewLeaver",
    "RefusedEntry",
]

Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")]


class BatchPlanWish(Taken):
    """The same for many entries: those that a filter lets through; `until` is the last day."""

    where: EntryFilter
    action: Action = Action.END
    level: Search = ""
    until: date | None = None


class NewBatch(BatchPlanWish):
    """An order of the same for many entries; refused if they are not `count` by now."""

    count: Annotated[int, Field(ge=1)]
    reason: Words = ""


class NamedEntry(Sent):
    """An entry, with what happens to it by a plan."""

    entry: Ref
    text: str


class CommonConsequence(Consequence):
    """One kind of consequence: as it is said of one entry, for how many it comes, and of the first of them, each."""

    times: int
    entries: list[NamedEntry]


class RefusedEntry(Sent):
    """An entry for which there can be no order as things stand, and why."""

    entry: Ref
    why: str


class BatchPlan(Sent):
    """What `count` acts would do, all of them together; the first `looked_at` were planned for one by one."""

    count: int
    looked_at: int
    ready: int
    refused: list[RefusedEntry]
    consequences: list[CommonConsequence]


class LeftOpen(Sent):
    """Why something is left open, and who sees to it."""

    reason: str
    owner: str
    by: str
    at: datetime


class BatchItem(Sent):
    """One thing in a batch; `outcome` is the state of its order, or to come, refused, to do (by a person), done, gone.

    What a reading can see is `told` once someone says that it is done, and `proved` once a reading shows it. It can be
    left open, with a reason, by someone, for an owner who sees to it.
    """

    place: int
    phase: str
    action: str
    text: str
    outcome: Outcome
    entry: Ref | None
    provider: str
    order: str
    who: str
    trouble: str
    done_at: datetime | None
    done_by: str
    left_open: LeftOpen | None


class Batch(Sent):
    """Orders for several things; `outcomes` counts what came of each, `over` says that nothing is left.

    It `rests` while nothing in it goes on by itself, whatever people have to do. Of someone who goes, `remains` says
    the ways in that they have still; it is over once there are none but those that are left open.
    """

    id: UUID
    ref: str
    kind: Literal["bulk", "leaver", "proposal"]
    action: Action
    wanted: dict[str, Any]
    party: Ref | None
    reason: str
    ordered_by: str
    ordered_by_id: UUID | None
    ordered_at: datetime
    begins_at: datetime | None
    cancelled_at: datetime | None
    count: int
    outcomes: dict[str, int]
    over: bool
    rests: bool
    remains: list[str]
    items: list[BatchItem] = Field(default=[])


class BatchList(Page[Batch]):
    """Batches, the latest first."""


class BatchQuery(PageQuery):
    """Which batches are wanted."""

    kind: Literal["", "bulk", "leaver", "proposal"] = ""


class BatchView(Taken):
    """Which things in a batch are to be shown: those with one outcome, or all; the first `limit` of them."""

    outcome: Outcome | None = None
    limit: int = Field(1000, ge=0, le=1000)


class LeaverItem(Sent):
    """One thing that is to be done when someone goes."""

    phase: str
    action: str
    text: str
    entry: Ref | None
    provider: str


class LeaverPlan(Sent):
    """All that is to be done when someone goes, in order, and what happens by all of it together."""

    party: Party
    items: list[LeaverItem]
    consequences: list[CommonConsequence]


class NewLeaver(Taken):
    """Take back everything that a party holds, once `last_day` is over or at once; `who` does what only people can."""

    party: Text
    last_day: date | None = None
    who: Words = ""
    reason: Words = ""
    count: Annotated[int, Field(ge=1)]
