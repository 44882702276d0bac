"""Views of the inventory that people saved for themselves."""

from __future__ import annotations

from uuid import UUID

from openlatch.errors import Invalid, NotSignedIn
from openlatch.operations.gate import Call, operation
from openlatch.store.noun import missing
from openlatch.store.views import View

__all__ = ["browse", "remove", "save"]

MOST = 100


@operation("views.browse")
def browse(call: Call) -> tuple[View, ...]:
    """The views of whoever is signed in, by name."""
    return call.tx.views.of(_person(call))


@operation("views.save")
def save(call: Call, name: str, query: str) -> View:
    """Save a view under a name; one that had the name is replaced."""
    there = {view.name: view for view in browse(call)}
    if name not in there and len(there) >= MOST:
        raise Invalid(
            f"You have {MOST} views already. Nothing was saved.", next_step="Delete one that you no longer need."
        )
    view = View(there[name].id if name in there else call.services.new_id(), name, query)
    call.tx.views.save(_person(call), view)
    return view


@operation("views.remove")
def remove(call: Call, view_id: UUID) -> None:
    """Delete a view of one's own."""
    if not call.tx.views.remove(_person(call), view_id):
        raise missing("view", view_id)


def _person(call: Call) -> UUID:
    if call.actor.person is None:
        raise NotSignedIn("Nobody is signed in.", next_step="Sign in first.")
    return call.actor.person.id
