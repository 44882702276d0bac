"""The workspace, its people, and one's own tokens."""

from __future__ import annotations

from uuid import UUID

from openlatch.operations.call import Call
from openlatch.operations.people import factors, me, people, sign_ins, workspaces
from openlatch.web.api import Routes
from openlatch.web.people.render import person_of, token_of, workspace_of
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/workspace", returns=wire.Workspace)
def get_workspace(call: Call) -> wire.Workspace:
    """The workspace that the token or session belongs to."""
    return workspace_of(me.me(call).workspace, sends_letters=call.services.post is not None)


@routes.route("PUT", "/workspace", body=wire.WorkspaceWish, returns=wire.Workspace)
def change_workspace(call: Call, body: wire.WorkspaceWish) -> wire.Workspace:
    """Set the workspace’s name and zone, the roles that need a second factor, and how long it keeps what happened."""
    changed = workspaces.change(call, body)
    return workspace_of(changed, sends_letters=call.services.post is not None)


@routes.route("GET", "/people", returns=wire.PersonList)
def list_people(call: Call) -> wire.PersonList:
    """Everyone who signs in to this workspace."""
    everyone = people.browse(call)
    return wire.PersonList(
        items=[person_of(person) for person in everyone.people], second_factor=sorted(everyone.with_factor)
    )


@routes.route("POST", "/people", body=wire.Invitation, returns=wire.Person, status=201)
def invite_person(call: Call, body: wire.Invitation) -> wire.Person:
    """Invite someone by letter to sign in to this workspace."""
    return person_of(people.invite(call, body.name or "", body.address, body.role))


@routes.route("GET", "/people/<person>", returns=wire.Person)
def get_person(call: Call, person: str) -> wire.Person:
    """Someone of the workspace, by id or address."""
    return person_of(people.show(call, person))


@routes.route("DELETE", "/people/<person>")
def remove_person(call: Call, person: str) -> None:
    """Remove someone: their sessions, tokens and links end at once; what they did keeps their name."""
    people.remove(call, person)


@routes.route("POST", "/people/<person>/invitation", returns=wire.Person)
def invite_person_again(call: Call, person: str) -> wire.Person:
    """Send an invitation once more; the former link leads nowhere from then on."""
    return person_of(people.invite_again(call, person))


@routes.route("PUT", "/people/<person>/role", body=wire.RoleWish, returns=wire.Person)
def change_role(call: Call, person: str, body: wire.RoleWish) -> wire.Person:
    """Give someone another role."""
    return person_of(people.change_role(call, person, body.role))


@routes.route("POST", "/people/<person>/disable", returns=wire.Person)
def disable_person(call: Call, person: str) -> wire.Person:
    """Take back someone's sign-in: their sessions, tokens and links end at once."""
    return person_of(people.disable(call, person))


@routes.route("DELETE", "/people/<person>/factors", returns=wire.Person)
def reset_factors(call: Call, person: str) -> wire.Person:
    """Take away all second factors of someone who has lost theirs: their sessions and tokens end."""
    return person_of(factors.reset(call, person))


@routes.route("POST", "/people/<person>/enable", returns=wire.Person)
def enable_person(call: Call, person: str) -> wire.Person:
    """Let someone sign in again who was disabled."""
    return person_of(people.enable(call, person))


@routes.route("GET", "/tokens", returns=wire.TokenList)
def list_tokens(call: Call) -> wire.TokenList:
    """One's own tokens, without their secrets."""
    return wire.TokenList(items=[token_of(t) for t in sign_ins.tokens(call)])


@routes.route("DELETE", "/tokens/<uuid:token_id>")
def revoke_token(call: Call, token_id: UUID) -> None:
    """Revoke a token; it is refused from then on."""
    sign_ins.revoke_token(call, token_id)
