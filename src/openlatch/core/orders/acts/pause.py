"""Putting access to rest, and letting it live again."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from openlatch.core.model import Entry
from openlatch.core.orders.acts.act import ACCESS, Act, Around, Made, able, lessened, named_there, proof, unchanged
from openlatch.core.orders.impact import Consequence, Situation
from openlatch.core.orders.steps import Ask, changed
from openlatch.core.powers import in_order
from openlatch.core.providers.ports import Change
from openlatch.errors import Conflict
from openlatch.words import Action, Severity, State

__all__ = ["PAUSE", "RESUME"]


def _in(state: State) -> Callable[[Entry, Around], bool | None]:
    def possible(entry: Entry, around: Around) -> bool | None:
        able = not entry.by_hand and entry.kind in ACCESS and entry.kind in around.abilities.pauses
        return True if able and entry.state is state else None

    return possible


def _pause(s: Situation, ask: Ask, now: datetime) -> Made:
    if s.entry.state is not State.LIVE:
        raise Conflict(
            f"This access is {s.entry.state}, and only what is live can be paused. Nothing was changed.",
            next_step="Look at it again.",
            entry=s.entry.ref,
        )
    otherwise = "Narrow it, or end it; you can see beforehand what either would do."
    able(s, s.entry.kind, s.abilities.pauses, "be paused", otherwise)
    text = f"Ask {s.provider} to pause {named_there(s, s.entry)}."
    return (changed(s, s.entry, Change(paused=True), text), *proof(s)), in_order(s.entry.powers)


def _resume(s: Situation, ask: Ask, now: datetime) -> Made:
    if s.entry.state is not State.PAUSED:
        raise Conflict(
            f"This access is {s.entry.state}, and not paused. Nothing was changed.",
            next_step="Look at it again.",
            entry=s.entry.ref,
        )
    able(s, s.entry.kind, s.abilities.pauses, "be resumed from here", f"Resume it at {s.provider} itself.")
    return (
        changed(s, s.entry, Change(paused=False), f"Ask {s.provider} to resume {named_there(s, s.entry)}."),
        *proof(s),
    ), ()


PAUSE = Act(
    Action.PAUSE,
    _in(State.LIVE),
    lessened(_pause, undo=lambda s, ask: "you can resume it at any time"),
    lambda h: f"Your access to {h.where} is paused",
)
RESUME = Act(
    Action.RESUME,
    _in(State.PAUSED),
    unchanged(_resume, lambda s: Consequence("effect", Severity.LOW, f"{s.party.name} can use it again as before.")),
    lambda h: f"Your access to {h.where} is there again",
)
