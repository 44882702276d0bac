"""The workspace, its people, and one's own tokens."""

from __future__ import annotations

from uuid import UUID

from openlatch.operations.call import Call
from openlatch.operations.people import people, workspaces
from openlatch.web.api import Routes
from openlatch.web.people.render import person_of, token_of, workspace_of
from openlatch.wire import messages as wire
from openlatch.words import Role

__all__ = ["routes"]

routes = Routes("people")


@routes.route("GET", "/workspace", returns=wire.Workspace)
def get_workspace(call: Call) -> wire.Workspace:
    """The workspace that the token or session belongs to."""
    return workspace_of(people.me(call).workspace)


@routes.route("PUT", "/workspace", body=wire.WorkspaceWish, returns=wire.Workspace)
def change_workspace(call: Call, body: wire.WorkspaceWish) -> wire.Workspace:
    """Call the workspace something else, or have its days in another zone; what is left out stays."""
    return workspace_of(workspaces.change(call, body.name, body.zone))


@routes.route("GET", "/people", returns=wire.PersonList)
def list_people(call: Call) -> wire.PersonList:
    """Everyone who signs in to this workspace."""
    return wire.PersonList(items=[person_of(p) for p in people.browse(call)])


@routes.route("POST", "/people", body=wire.NewPerson, returns=wire.Person, status=201)
def add_person(call: Call, body: wire.NewPerson) -> wire.Person:
    """Let someone sign in to this workspace."""
    return person_of(people.add(call, body.name, body.address, Role(body.role), body.password))


@routes.route("GET", "/tokens", returns=wire.TokenList)
def list_tokens(call: Call) -> wire.TokenList:
    """One's own tokens, without their secrets."""
    return wire.TokenList(items=[token_of(t) for t in people.tokens(call)])


@routes.route("DELETE", "/tokens/<uuid:token_id>")
def revoke_token(call: Call, token_id: UUID) -> None:
    """Revoke a token; it is refused from then on."""
    people.revoke_token(call, token_id)
