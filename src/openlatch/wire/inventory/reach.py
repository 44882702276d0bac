"""What a party can do, and the smallest cut."""

from typing import Literal
from uuid import UUID

from openlatch.wire.base import Ref, Sent, Taken, Text
from openlatch.wire.inventory.entries import Entry
from openlatch.wire.inventory.parties import Party
from openlatch.words import Power

__all__ = [
    "Chain",
    "Cut",
    "CutPiece",
    "CutQuery",
    "Hurt",
    "Reach",
    "Via",
]


class Via(Sent):
    """One step of a chain: acting as this party, `how`: `member`, `app` or `open`."""

    id: UUID
    party: Ref
    how: str


class Chain(Sent):
    """One entry that a party comes to; `via` is empty where it holds the entry itself.

    `loses` are the powers of which the party would lose something if this entry alone ended; with `idle` there are
    none, since it has the same otherwise too. One step of `via` is `open` where the party is one of anyone, or of
    everyone at a domain.
    """

    entry: Entry
    via: list[Via]
    idle: bool
    loses: list[str]


class Reach(Sent):
    """Everything that a party can do, and through which chains, the shortest first."""

    party: Party
    chains: list[Chain]


class CutQuery(Taken):
    """From which account a party should lose which power."""

    account: Text
    power: Power


class CutPiece(Sent):
    """Something to end: an `entry`, or a `membership`, of which the `team` and the `member` are named."""

    kind: Literal["entry", "membership"]
    id: UUID
    ref: str
    text: str
    team: Ref | None = None
    member: Ref | None = None


class Hurt(Sent):
    """Someone else who would lose something."""

    party: Ref
    loses: list[str]


class Cut(Sent):
    """The smallest set to end so that a party loses a power; `hurts` is empty whenever that can be avoided."""

    pieces: list[CutPiece]
    hurts: list[Hurt]
