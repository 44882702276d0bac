"""Adding to a team and removing from one: planned about a membership, and not about an entry."""

from __future__ import annotations

from datetime import datetime

from openlatch.core.orders.acts.act import Act, none
from openlatch.core.orders.impact import Situation
from openlatch.core.orders.steps import Ask, Extent, Plan
from openlatch.errors import Conflict
from openlatch.words import Action

__all__ = ["ADD_MEMBER", "REMOVE_MEMBER"]


def _refused(s: Situation, ask: Ask, now: datetime, held: Extent | None) -> Plan:
    raise Conflict(
        f"An entry is not a membership, which is what “{ask.action}” is about. Nothing was changed.",
        next_step="Name the team and its member: openlatch team remove TEAM MEMBER",
        entry=s.entry.ref,
    )


ADD_MEMBER = Act(Action.ADD_MEMBER, lambda entry, around: None, _refused, none)
REMOVE_MEMBER = Act(Action.REMOVE_MEMBER, lambda entry, around: None, _refused, none)
