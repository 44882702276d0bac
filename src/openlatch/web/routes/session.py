"""Signing in and out, and who is signed in."""

from __future__ import annotations

from openlatch.core.model import Person
from openlatch.core.roles import Scope
from openlatch.errors import NotConfirmed, NotFound, NotSignedIn
from openlatch.operations import people
from openlatch.operations.gate import Actor, Call, reachable
from openlatch.web import render
from openlatch.web.api import Answer, Routes, backend, bearer
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes("session")


def _refused() -> NotSignedIn:
    return NotSignedIn(
        "The workspace, the address or the password is not right.", next_step="Check all three and try again."
    )


def _person(body: wire.SignIn) -> Person:
    """Return whose password this is. In a transaction of its own, so that a failure is counted."""
    at = backend()
    try:
        with at.store.transaction(body.workspace) as tx:
            call = Call(tx, at.services, Actor("nobody"), at.services.clock())
            person = people.check_password(call, body.address, body.password)
    except NotFound as error:
        raise _refused() from error
    if person is None:
        raise _refused()
    return person


@routes.route("GET", "/session/hint", returns=wire.SignInHint, public=True)
def sign_in_hint() -> wire.SignInHint:
    """What the sign-in page may know beforehand."""
    workspaces = backend().store.workspaces()
    only = workspaces[0] if len(workspaces) == 1 else None
    return wire.SignInHint(workspace=only.slug if only else None, name=only.name if only else None)


@routes.route("POST", "/session", body=wire.SignIn, returns=wire.Me, status=201, public=True)
def sign_in(body: wire.SignIn) -> Answer:
    """Sign in to the console; the answer sets a cookie."""
    person = _person(body)
    at = backend()
    with at.store.transaction(body.workspace) as tx:
        call = Call(tx, at.services, Actor(person.name, person, Scope.CHANGE), at.services.clock())
        session = people.open_session(call, person)
        return Answer(_me(call, session.csrf), cookie=str(session))


@routes.route("DELETE", "/session")
def sign_out(call: Call) -> Answer:
    """Sign out of the console."""
    who, by_cookie = bearer()
    if by_cookie:
        people.close_session(call, who)
    return Answer(None, cookie="")


@routes.route("POST", "/session/confirmation", body=wire.Confirmation, returns=wire.Me)
def confirm(call: Call, body: wire.Confirmation) -> wire.Me:
    """Give one's password again, which dangerous acts ask for; for a session as for a token."""
    who, by_cookie = bearer()
    address = people.me(call).person.address
    at = backend()
    # In a transaction of its own, so that a failure is counted.
    with at.store.transaction(who.workspace_id) as tx:
        person = people.check_password(Call(tx, at.services, call.actor, call.now), address, body.password)
    if person is None:
        raise NotConfirmed("That is not your password. Nothing was changed.", next_step="Try again.")
    people.confirm(call, who)
    return _me(call, who.csrf if by_cookie else None)


@routes.route("GET", "/me", returns=wire.Me)
def get_me(call: Call) -> wire.Me:
    """Who is signed in, where, and what they may do."""
    who, by_cookie = bearer()
    return _me(call, who.csrf if by_cookie else None)


@routes.route("POST", "/tokens", body=wire.NewToken, returns=wire.TokenSecret, status=201, public=True)
def make_token(body: wire.NewToken) -> wire.TokenSecret:
    """Make a token with one's password, for a program; its secret is shown this once."""
    person = _person(body)
    at = backend()
    with at.store.transaction(body.workspace) as tx:
        call = Call(tx, at.services, Actor(person.name, person, Scope.CHANGE), at.services.clock())
        token, secret = people.make_token(call, person, body.name, Scope(body.scope), body.days)
    return wire.TokenSecret(**render.token(token).model_dump(), secret=str(secret))


def _me(call: Call, csrf: str | None) -> wire.Me:
    signed_in = people.me(call)
    return wire.Me(
        person=render.person(signed_in.person),
        workspace=render.workspace(signed_in.workspace),
        may=list(reachable(call.actor)),
        csrf=csrf,
    )
