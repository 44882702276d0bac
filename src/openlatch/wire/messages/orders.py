"""Plans and orders."""

from datetime import date, datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field, StringConstraints

from openlatch.wire.messages.base import (
    Page,
    PageQuery,
    Ref,
    Search,
    Sent,
    Taken,
    Text,
)
from openlatch.wire.messages.parties import Party
from openlatch.words import Action, OrderState, Severity

__all__ = [
    "Consequence",
    "DoneByHand",
    "NewOrder",
    "Order",
    "OrderList",
    "OrderQuery",
    "Plan",
    "PlanQuery",
    "Receipt",
    "ReceiptKeys",
    "SignedReceipt",
    "Step",
    "WayOut",
    "Wish",
]


class Wish(Taken):
    """What is wanted of an entry; `until` is the last day, `successor` the entry of whoever is to follow.

    `hours` of the week are as people write them; to extend an access, with the limits that it `lifts` altogether.
    """

    action: Action = Action.END
    level: Search = ""
    until: date | None = None
    successor: Search = ""
    hours: Search = ""


class PlanQuery(Wish):
    """What is to be planned; resources and lifts separated by commas."""

    resources: Search = ""
    lifts: Search = ""


class Consequence(Sent):
    """One thing that happens when a plan is carried out."""

    kind: str
    severity: Severity
    text: str


class Step(Sent):
    """One step of a plan or an order; `at` and `said` are filled once it was done."""

    call: Literal[
        "change", "end", "give", "add-member", "remove-member", "ask", "consent", "withdraw", "wait", "read", "receipt"
    ]
    text: str
    until: datetime | None = None
    at: datetime | None = None
    said: str = ""


class WayOut(Sent):
    """Somebody who could be made an administrator first, by their entry."""

    entry: str
    name: str
    level: str


class Plan(Sent):
    """What an order would do, gravest first, and how; `digest` names exactly this plan.

    With a `stop` it is not carried out unless one of `ways_out` is named as successor. `levels` would give less,
    and `wider` more, the least first; `parts` of the account are those that are known. `subject` is the party as its
    provider names it.
    """

    action: Action
    entry: Ref
    party: Party
    subject: str = ""
    account: str
    provider: str
    consequences: list[Consequence]
    steps: list[Step]
    stop: str
    ways_out: list[WayOut]
    levels: list[str]
    wider: list[str]
    parts: list[str]
    digest: str


class NewOrder(Wish):
    """An order; with `digest`, only if the plan is still the one shown."""

    entry: Text
    resources: list[Text] | None = None
    lifts: list[Literal["end", "hours", "parts"]] = Field(default=[])
    reason: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""
    digest: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")] | None = None


class DoneByHand(Taken):
    """That what an order asks a person to do is done, in that person's words."""

    said: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""


class Receipt(Sent):
    """The proof that an order took effect: what a fresh reading of the provider showed, and when; `signed` is a JWS.

    Of what was ended, `remains` are the ways in to the account that the party has still, by which chain. An order about
    a member of a team has a `team`, with the provider's key of it, and neither entry nor account.
    """

    order: str
    did: Action = Action.END
    entry: str
    party: str
    subject: str = ""
    account: str
    provider: str
    ordered_by: str
    ordered_by_id: str = ""
    told_at: datetime | None
    read_at: datetime
    showed: str
    remains: list[str] = Field(default=[])
    team: str = ""
    team_key: str = ""
    signed: str = ""


class SignedReceipt(Sent):
    """A receipt as a compact JSON Web Signature (RFC 7515) with Ed25519 (RFC 8037)."""

    signed: str


class ReceiptKeys(Sent):
    """The public keys that receipts can be checked with, as a JSON Web Key set (RFC 7517)."""

    keys: list[dict[str, str]]


class Order(Sent):
    """A commanded change and what became of it; `moves` are what a person can do with it now.

    It is about an `entry`, or where there is none, about the party in a `team`; `about` says it in a few words.

    It `rests` once it is over, or while it waits for a person, a day or a device of theirs.
    """

    id: UUID
    ref: str
    about: str = ""
    entry: Ref | None
    team: Ref | None = None
    party: str
    subject: str = ""
    account: str
    provider: str
    action: Action
    state: OrderState
    steps: list[Step]
    consequences: list[Consequence]
    reason: str
    ordered_by: str
    ordered_by_id: UUID | None
    ordered_at: datetime
    attempts: int
    why: str
    again_at: datetime | None
    finished_at: datetime | None
    receipt: Receipt | None
    moves: list[str]
    rests: bool
    already: bool = False


class OrderQuery(PageQuery):
    """Which orders are wanted; states separated by commas, and those of one batch."""

    state: Search = ""
    batch: Search = ""


class OrderList(Page[Order]):
    """Orders, the latest first."""
