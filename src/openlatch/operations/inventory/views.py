"""Views of the inventory that people saved for themselves."""

from __future__ import annotations

from difflib import get_close_matches
from urllib.parse import parse_qsl
from uuid import UUID

from pydantic import ValidationError

from openlatch.errors import Invalid, NotSignedIn
from openlatch.operations.call import Call, operation
from openlatch.operations.inventory.entries import selection
from openlatch.store.inventory.views import View
from openlatch.store.noun import missing
from openlatch.wire.base import mistakes
from openlatch.wire.inventory.entries import EntryQuery

__all__ = ["browse", "remove", "save"]

MOST = 100


@operation("views.browse")
def browse(call: Call) -> tuple[View, ...]:
    """The views of whoever is signed in, by name."""
    return call.tx.views.of(_person(call))


@operation("views.save")
def save(call: Call, name: str, query: str) -> View:
    """Save a view under a name; one that had the name is replaced."""
    _checked(call, query)
    there = {view.name: view for view in browse(call)}
    if name not in there and len(there) >= MOST:
        raise Invalid(
            f"You have {MOST} views already. Nothing was saved.", next_step="Delete one that you no longer need."
        )
    view = View(there[name].id if name in there else call.services.new_id(), name, query)
    call.tx.views.save(_person(call), view)
    return view


def _checked(call: Call, query: str) -> None:
    """Refuse (Invalid) what the inventory could not be asked: it would show everything."""
    said = dict(parse_qsl(query, keep_blank_values=True))
    said.pop("columns", None)
    known = EntryQuery.model_fields
    unknown = [name for name in said if name not in known]
    if unknown:
        near = get_close_matches(unknown[0], known, 1, 0.4)
        raise Invalid(
            f"“{unknown[0]}” is not a filter of the inventory. Nothing was saved.",
            next_step=f"Did you mean “{near[0]}”?" if near else f"Filters are: {', '.join(known)}.",
            errors=[{"at": "query", "problem": f"“{unknown[0]}” is not known"}],
        )
    try:
        asked = EntryQuery.model_validate(said)
    except ValidationError as error:
        first = mistakes(error)[0]
        raise Invalid(
            f"“{first['at']}” of the view: {first['problem']}. Nothing was saved.",
            next_step="Correct it, then save the view.",
            errors=[{"at": "query", "problem": first["problem"]}],
        ) from error
    selection(call, asked)


@operation("views.remove")
def remove(call: Call, view_id: UUID) -> None:
    """Delete a view of one's own."""
    if not call.tx.views.remove(_person(call), view_id):
        raise missing("view", view_id)


def _person(call: Call) -> UUID:
    if call.actor.person is None:
        raise NotSignedIn("Nobody is signed in.", next_step="Sign in first.")
    return call.actor.person.id
