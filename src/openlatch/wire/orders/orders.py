"""Plans and orders."""

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field, StringConstraints

from openlatch.wire.base import Page, PageQuery, Ref, Search, Sent, Taken
from openlatch.wire.record.log import LogProof
from openlatch.words import Action, OrderState, Severity

__all__ = [
    "Consequence",
    "DoneByHand",
    "Order",
    "OrderList",
    "OrderQuery",
    "Receipt",
    "ReceiptKeys",
    "SignedReceipt",
    "Step",
]


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
    """A receipt as a compact JSON Web Signature (RFC 7515) with EdDSA (RFC 8037).

    `proof` shows that the log holds the event that the order was proved; null for the seconds until it is sealed.
    """

    signed: str
    proof: LogProof | None


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
