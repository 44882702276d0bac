"""Giving what was offered and taken up: planned by the offer, and by no order of its own."""

from __future__ import annotations

from datetime import datetime

from openlatch.core.orders.acts.act import Act
from openlatch.core.orders.impact import Situation
from openlatch.core.orders.steps import Ask, Extent, Plan
from openlatch.errors import Conflict
from openlatch.words import Action

__all__ = ["LET_IN"]


def _refused(s: Situation, ask: Ask, now: datetime, held: Extent | None) -> Plan:
    raise Conflict(
        "Nobody is let in by an order of its own. Nothing was changed.",
        next_step="Make an offer: openlatch offer make ADDRESS --account ACCOUNT",
    )


LET_IN = Act(
    Action.LET_IN,
    lambda entry, around: None,
    _refused,
    lambda h: f"You have access to {h.where} now: “{h.level}”",
)
