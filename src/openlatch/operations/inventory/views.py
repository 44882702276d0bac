"""Views of lists that people saved for themselves."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from difflib import get_close_matches
from typing import Any
from urllib.parse import parse_qsl
from uuid import UUID

from pydantic import BaseModel, ValidationError

from openlatch.errors import Invalid, NotSignedIn
from openlatch.operations.call import Call, operation
from openlatch.operations.inventory import accounts, parties
from openlatch.operations.inventory.entries import selection
from openlatch.store.inventory.views import View
from openlatch.store.noun import missing
from openlatch.wire.base import mistakes
from openlatch.wire.inventory.entries import EntryQuery
from openlatch.wire.inventory.parties import AccountQuery, PartyQuery
from openlatch.wire.providers.providers import ProviderFilter
from openlatch.words import Listable

__all__ = ["browse", "remove", "save"]

MOST = 100


@operation("views.browse")
def browse(call: Call) -> tuple[View, ...]:
    """The views of whoever is signed in, by name."""
    return call.tx.views.of(_person(call))


@operation("views.save")
def save(call: Call, of: Listable, name: str, query: str) -> View:
    """Save a view of a list under a name; one of that list that had the name is replaced."""
    _checked(call, of, query)
    there = {(view.of, view.name): view for view in browse(call)}
    if (of, name) not in there and len(there) >= MOST:
        raise Invalid(
            f"You have {MOST} views already. Nothing was saved.", next_step="Delete one that you no longer need."
        )
    former = there.get((of, name))
    view = View(former.id if former is not None else call.services.new_id(), of, name, query)
    call.tx.views.save(_person(call), view)
    return view


def _checked(call: Call, of: Listable, query: str) -> None:
    """Refuse (Invalid) what the list could not be asked: it would show everything."""
    said = dict(parse_qsl(query, keep_blank_values=True))
    said.pop("columns", None)
    asked_as, try_out = _LISTS[of]
    known = asked_as.model_fields
    unknown = [name for name in said if name not in known]
    if unknown:
        near = get_close_matches(unknown[0], known, 1, 0.4)
        raise Invalid(
            f"“{unknown[0]}” is not a filter of {of}. Nothing was saved.",
            next_step=f"Did you mean “{near[0]}”?" if near else f"Filters are: {', '.join(known)}.",
            errors=[{"at": "query", "problem": f"“{unknown[0]}” is not known"}],
        )
    try:
        asked = asked_as.model_validate(said)
    except ValidationError as error:
        first = mistakes(error)[0]
        raise Invalid(
            f"“{first['at']}” of the view: {first['problem']}. Nothing was saved.",
            next_step="Correct it, then save the view.",
            errors=[{"at": "query", "problem": first["problem"]}],
        ) from error
    try_out(call, asked)


_LISTS: Mapping[Listable, tuple[type[BaseModel], Callable[[Call, Any], object]]] = {
    Listable.ENTRIES: (EntryQuery, selection),
    Listable.ACCOUNTS: (AccountQuery, lambda call, asked: accounts.browse(call, asked, 1, None)),
    Listable.PARTIES: (PartyQuery, lambda call, asked: parties.browse(call, asked, 1, None)),
    Listable.APPS: (PartyQuery, lambda call, asked: parties.browse_apps(call, asked, 1, None)),
    # Whatever its fields take can be answered.
    Listable.PROVIDERS: (ProviderFilter, lambda *_: None),
}
"""How each list is asked, and how to find out whether what was asked can be answered."""


@operation("views.remove")
def remove(call: Call, view_id: UUID) -> None:
    """Delete a view of one's own."""
    if not call.tx.views.remove(_person(call), view_id):
        raise missing("view", view_id)


def _person(call: Call) -> UUID:
    if call.actor.person is None:
        raise NotSignedIn("Nobody is signed in.", next_step="Sign in first.")
    return call.actor.person.id
