"""Plans and orders."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import StringConstraints

from openlatch.wire.messages.base import (
    ActionWord,
    OrderStateWord,
    Page,
    PageQuery,
    Ref,
    Search,
    Sent,
    SeverityWord,
    Taken,
    Text,
)
from openlatch.wire.messages.parties import Party

__all__ = [
    "Consequence",
    "NewOrder",
    "Order",
    "OrderList",
    "OrderQuery",
    "Plan",
    "PlanQuery",
    "Receipt",
    "Step",
]


class PlanQuery(Taken):
    """What is to be planned: the end of an entry, or giving up one's own."""

    action: ActionWord = "end"


class Consequence(Sent):
    """One thing that happens when a plan is carried out."""

    kind: str
    severity: SeverityWord
    text: str


class Step(Sent):
    """One step of a plan or an order; `at` and `said` are filled once it was done."""

    call: Literal["end", "read", "receipt"]
    text: str
    at: datetime | None = None
    said: str = ""


class Plan(Sent):
    """What ending an entry would do, gravest first, and how; `digest` names exactly this plan."""

    action: ActionWord
    entry: Ref
    party: Party
    account: str
    provider: str
    consequences: list[Consequence]
    steps: list[Step]
    digest: str


class NewOrder(Taken):
    """An order to end an entry, or to give up one's own; with `digest`, only if the plan is still the one shown."""

    entry: Text
    action: ActionWord = "end"
    reason: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""
    digest: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")] | None = None


class Receipt(Sent):
    """The proof that an order took effect: what a fresh reading of the provider showed, and when."""

    order: str
    entry: str
    party: str
    account: str
    provider: str
    ordered_by: str
    told_at: datetime | None
    read_at: datetime
    showed: str


class Order(Sent):
    """A commanded change and what became of it; `moves` are what a person can do with it now."""

    id: UUID
    ref: str
    entry: Ref
    party: str
    account: str
    provider: str
    action: ActionWord
    state: OrderStateWord
    steps: list[Step]
    consequences: list[Consequence]
    reason: str
    ordered_by: str
    ordered_at: datetime
    attempts: int
    why: str
    again_at: datetime | None
    finished_at: datetime | None
    receipt: Receipt | None
    moves: list[str]
    already: bool = False


class OrderQuery(PageQuery):
    """Which orders are wanted; states separated by commas."""

    state: Search = ""


class OrderList(Page[Order]):
    """Orders, the latest first."""
