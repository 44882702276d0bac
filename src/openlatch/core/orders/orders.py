"""Orders: the states they go through, in one table, and how often a provider is asked before a person has to look."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from enum import StrEnum
from types import MappingProxyType
from typing import Any
from uuid import UUID

from openlatch.core.ids import ref_of
from openlatch.core.model import Author
from openlatch.core.moves import Moves
from openlatch.core.orders.steps import Step
from openlatch.core.orders.teams import Belonging
from openlatch.core.waits import doubling
from openlatch.words import OrderState, State

__all__ = [
    "ATTEMPTS",
    "FINAL",
    "MOVES",
    "PATIENCE",
    "TABLE",
    "Move",
    "Order",
    "again_after",
    "look_again",
]

ATTEMPTS = 8
"""How often a provider is asked before an order is handed to a person."""
PATIENCE = timedelta(days=30)
"""So long a device may take to connect, before an order is handed to a person."""
_OFTEN, _SELDOM = timedelta(seconds=30), timedelta(hours=6)


class Move(StrEnum):
    """What can happen to an order."""

    CONFIRM = "confirm"
    WAIT = "wait"
    RESUME = "resume"
    TELL = "tell"
    PROVE = "prove"
    STICK = "stick"
    TRY_AGAIN = "try-again"
    CANCEL = "cancel"


TABLE: MappingProxyType[tuple[OrderState, Move], OrderState] = MappingProxyType(
    {
        (OrderState.DRAFTED, Move.CONFIRM): OrderState.RUNNING,
        (OrderState.DRAFTED, Move.CANCEL): OrderState.CANCELLED,
        (OrderState.WAITING, Move.RESUME): OrderState.RUNNING,
        (OrderState.WAITING, Move.PROVE): OrderState.PROVED,
        (OrderState.WAITING, Move.STICK): OrderState.STUCK,
        (OrderState.WAITING, Move.CANCEL): OrderState.CANCELLED,
        (OrderState.RUNNING, Move.WAIT): OrderState.WAITING,
        (OrderState.RUNNING, Move.TELL): OrderState.TOLD,
        (OrderState.RUNNING, Move.PROVE): OrderState.PROVED,
        (OrderState.RUNNING, Move.STICK): OrderState.STUCK,
        (OrderState.TOLD, Move.RESUME): OrderState.RUNNING,
        (OrderState.TOLD, Move.PROVE): OrderState.PROVED,
        (OrderState.TOLD, Move.STICK): OrderState.STUCK,
        (OrderState.STUCK, Move.TRY_AGAIN): OrderState.RUNNING,
        (OrderState.STUCK, Move.PROVE): OrderState.PROVED,
        (OrderState.STUCK, Move.CANCEL): OrderState.CANCELLED,
    }
)
"""Every move that is possible; whatever is not in here is refused."""


def _refusal(state: OrderState, how: Move) -> tuple[str, str]:
    possible = ", ".join(MOVES.of(state)) or "nothing more"
    return f"An order that is {state} cannot {how}.", f"Possible now: {possible}."


MOVES = Moves(TABLE, _refusal)
FINAL = frozenset({OrderState.PROVED, OrderState.CANCELLED})


@dataclass(frozen=True, slots=True)
class Order:
    """A commanded change at a provider, with what became of it: about an entry, or about who is in a team.

    `why` says why it waits or is stuck; `again_at` when it will be tried again automatically. `receipt` is there once
    it is proved: what a fresh reading showed, and when. `batch_id` is that of the batch that it was given with.
    """

    id: UUID
    about: UUID | Belonging
    """the entry, by its id, or the member and the team"""
    action: str
    state: OrderState
    plan: Mapping[str, Any]
    steps: tuple[Step, ...]
    reason: str
    ordered_by: Author
    ordered_at: datetime
    idempotency_key: str
    entry_state: State = State.LIVE
    attempts: int = 0
    why: str = ""
    again_at: datetime | None = None
    finished_at: datetime | None = None
    receipt: Mapping[str, Any] | None = None
    batch_id: UUID | None = None
    version: int = 1

    @property
    def ref(self) -> str:
        return ref_of(self.id)

    @property
    def entry_id(self) -> UUID | None:
        """The entry that it is about; None where it is about who is in a team."""
        return self.about if isinstance(self.about, UUID) else None

    @property
    def place(self) -> int:
        """The place of the step that comes next; the number of steps once all are done."""
        return next((n for n, step in enumerate(self.steps) if step.at is None), len(self.steps))

    @property
    def patient(self) -> bool:
        """Whether the provider said yes, and what it said yes to is so once a device connects."""
        return self.state is OrderState.TOLD and self.place < len(self.steps) and self.steps[self.place].patient

    @property
    def rests(self) -> bool:
        """Whether an order does not go on by itself soon: it is over, or waits for a person, a day or a device."""
        waits = self.state is OrderState.WAITING and self.steps[self.place].call in ("ask", "consent", "wait")
        looked = self.patient and self.again_at is not None
        return waits or looked or self.state in (*FINAL, OrderState.STUCK)

    def moved(self, how: Move, **changes: Any) -> Order:
        """Return the order after a move, one version on; refuses what the table does not have."""
        return replace(self, state=MOVES.after(self.state, how), version=self.version + 1, **changes)

    def step_done(self, place: int, now: datetime, said: str) -> tuple[Step, ...]:
        """Return the steps with one of them marked as done."""
        return tuple(replace(s, at=now, said=said) if n == place else s for n, s in enumerate(self.steps))

    def asked_again(self) -> tuple[Step, ...]:
        """Return the steps as they are when the order is tried again.

        Where a reading did not show what the steps before it asked for, these are to be done anew.
        """
        place = self.place
        if place == len(self.steps) or self.steps[place].call != "read":
            return self.steps
        first = place
        while first > 0 and self.steps[first - 1].asks:
            first -= 1
        return tuple(replace(s, at=None, said="") if first <= n < place else s for n, s in enumerate(self.steps))


def again_after(attempts: int) -> timedelta | None:
    """Return how long to wait after that many failed attempts, or None when a person has to look."""
    return None if attempts >= ATTEMPTS else doubling(attempts, timedelta(seconds=1), timedelta(minutes=5))


def look_again(told_at: datetime, now: datetime) -> timedelta | None:
    """Return how long to wait for a device before a provider is read again; None when a person has to look.

    The longer it takes, the less often.
    """
    return None if now - told_at >= PATIENCE else min(max(_OFTEN, (now - told_at) / 4), _SELDOM)
