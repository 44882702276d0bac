"""Every act that can be ordered, one file an act: what it needs, its steps, and what each side is told.

An action without an act is found at once, when this is imported, and not when someone orders it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from openlatch.core.model import Entry
from openlatch.core.orders.acts.act import Act, Around, Happened
from openlatch.core.orders.acts.change_secret import CHANGE_SECRET
from openlatch.core.orders.acts.close_sessions import CLOSE_SESSIONS
from openlatch.core.orders.acts.end import END, GIVE_UP
from openlatch.core.orders.acts.end_on import END_ON
from openlatch.core.orders.acts.extend import EXTEND, LIFTS
from openlatch.core.orders.acts.give_back import GIVE_BACK
from openlatch.core.orders.acts.hand_over import HAND_OVER
from openlatch.core.orders.acts.let_in import LET_IN
from openlatch.core.orders.acts.membership import ADD_MEMBER, REMOVE_MEMBER
from openlatch.core.orders.acts.narrow import NARROW
from openlatch.core.orders.acts.pause import PAUSE, RESUME
from openlatch.words import Action

__all__ = ["ACTS", "LIFTS", "Act", "Around", "Happened", "Possible", "possible"]

_IN_ORDER = (
    CHANGE_SECRET,
    END,
    END_ON,
    NARROW,
    EXTEND,
    PAUSE,
    RESUME,
    CLOSE_SESSIONS,
    HAND_OVER,
    GIVE_BACK,
    GIVE_UP,
    LET_IN,
    ADD_MEMBER,
    REMOVE_MEMBER,
)
"""The usual first."""
_BY_ACTION = {act.action: act for act in _IN_ORDER}
ACTS: Mapping[Action, Act] = {action: _BY_ACTION[action] for action in Action}


@dataclass(frozen=True, slots=True)
class Possible:
    """An act that can be ordered; `here` if its provider is asked for it, and not a person who sees to it there."""

    action: Action
    here: bool


def possible(entry: Entry, around: Around) -> tuple[Possible, ...]:
    """Return what can be ordered about an entry, the usual first.

    A plan can still be stopped, such as by the last administrator who would go, or refuse what it is asked for in
    particular; but what is not among these is refused whatever is asked for.
    """
    found = ((act.action, act.possible(entry, around)) for act in _IN_ORDER)
    return tuple(Possible(action, here) for action, here in found if here is not None)
