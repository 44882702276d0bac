"""How access is taken back, made less or given back: the plan of an act, found from what the provider can do.

A plan is a value: it is shown, confirmed, recorded and carried out from the same object. Its digest tells whether what
is about to be carried out is still what the person saw.
"""

from __future__ import annotations

from datetime import datetime

from openlatch.core.orders.acts import ACTS
from openlatch.core.orders.impact import Situation
from openlatch.core.orders.steps import Ask, Extent, Plan
from openlatch.words import Action, EndReason, Kind

__all__ = ["make_plan", "why_ended"]


def make_plan(s: Situation, ask: Ask, now: datetime, held: Extent | None = None) -> Plan:
    """Plan what is asked of an entry; `held` is how far it went before the order by which it ended began.

    Refuses (Conflict) what is not possible as things stand, and (Invalid) what makes no sense, such as a level that
    gives more, or a last day before the first.
    """
    return ACTS[ask.action].plan(s, ask, now, held)


def why_ended(action: Action, kind: Kind) -> EndReason:
    """Return why an entry ended that an order made end."""
    if kind is Kind.OFFER:
        return EndReason.DECLINED if action is Action.GIVE_UP else EndReason.WITHDRAWN
    return ACTS[action].why_ended
