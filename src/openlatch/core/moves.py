"""Tables of moves: from which state what can happen, and to which it leads; whatever is not in one is refused."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Generic, TypeVar

from openlatch.errors import Conflict

__all__ = ["Moves"]

State = TypeVar("State", bound=StrEnum)
Move = TypeVar("Move", bound=StrEnum)


@dataclass(frozen=True, slots=True)
class Moves(Generic[State, Move]):
    """Every move that is possible; `refusal` says of one that is not why, and what to do next."""

    table: Mapping[tuple[State, Move], State]
    refusal: Callable[[State, Move], tuple[str, str]]

    def after(self, state: State, how: Move) -> State:
        """Return the state that follows, or raise Conflict for a pair that is not in the table."""
        if (state, how) not in self.table:
            why, next_step = self.refusal(state, how)
            raise Conflict(f"{why} Nothing was changed.", next_step=next_step, state=str(state), move=str(how))
        return self.table[state, how]

    def of(self, state: State) -> tuple[Move, ...]:
        """Return what can happen in a state."""
        return tuple(how for before, how in self.table if before is state)
