"""What somebody sees and changes of themselves."""

from __future__ import annotations

from uuid import UUID

from openlatch.operations.call import Call
from openlatch.operations.people import me
from openlatch.web.api import Routes, bearer
from openlatch.web.people.render import person_of, session_of
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes("me")


@routes.route("PUT", "/me", body=wire.MeWish, returns=wire.Person)
def change_me(call: Call, body: wire.MeWish) -> wire.Person:
    """Change one's own name, or the zone and the language in which one sees days."""
    return person_of(me.change(call, body.name, body.zone, body.dates).person)


@routes.route("PUT", "/me/password", body=wire.PasswordWish, returns=wire.Ended)
def change_password(call: Call, body: wire.PasswordWish) -> wire.Ended:
    """Choose another password; every session but the present one ends."""
    return wire.Ended(sessions=me.change_password(call, body.password, bearer()[0].id))


@routes.route("POST", "/me/address", body=wire.AddressWish, returns=wire.Sending, status=202)
def change_address(call: Call, body: wire.AddressWish) -> wire.Sending:
    """Have a link go to another address of one's own; once it is used, one signs in with that."""
    return wire.Sending(address=me.change_address(call, body.address))


@routes.route("GET", "/me/sessions", returns=wire.SessionList)
def list_sessions(call: Call) -> wire.SessionList:
    """Where one is signed in to the console."""
    return wire.SessionList(items=[session_of(one, bearer()[0].id) for one in me.sessions(call)])


@routes.route("DELETE", "/me/sessions/<uuid:session_id>")
def end_session(call: Call, session_id: UUID) -> None:
    """End one of one's own sessions."""
    me.end_session(call, session_id)


@routes.route("DELETE", "/me/sessions", returns=wire.Ended)
def end_other_sessions(call: Call) -> wire.Ended:
    """End every session of one's own but the present one."""
    return wire.Ended(sessions=me.end_other_sessions(call, bearer()[0].id))
