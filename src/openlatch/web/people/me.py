"""What someone sees and changes of themselves."""

from __future__ import annotations

from uuid import UUID

from openlatch.operations.call import Call
from openlatch.operations.people import factors, me, passkeys
from openlatch.web.api import Routes, bearer
from openlatch.web.people.render import asked_of, codes_of, factors_of, person_of, session_of
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


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
    """Send a link to a new address of your own; once it is used, you sign in with that address."""
    return wire.Sending(address=me.change_address(call, body.address))


@routes.route("GET", "/me/sessions", returns=wire.SessionList)
def list_sessions(call: Call) -> wire.SessionList:
    """Where one is signed in to the console."""
    return wire.SessionList(items=[session_of(session, bearer()[0].id) for session in me.sessions(call)])


@routes.route("DELETE", "/me/sessions/<uuid:session_id>")
def end_session(call: Call, session_id: UUID) -> None:
    """End one of one's own sessions."""
    me.end_session(call, session_id)


@routes.route("DELETE", "/me/sessions", returns=wire.Ended)
def end_other_sessions(call: Call) -> wire.Ended:
    """End every session of one's own but the present one."""
    return wire.Ended(sessions=me.end_other_sessions(call, bearer()[0].id))


@routes.route("GET", "/me/factors", returns=wire.FactorList)
def list_factors(call: Call) -> wire.FactorList:
    """One's own second factors."""
    return factors_of(factors.browse(call))


@routes.route("POST", "/me/factors/codes", body=wire.NewFactor, returns=wire.CodesBegun, status=201, kept=False)
def begin_codes(call: Call, body: wire.NewFactor) -> wire.CodesBegun:
    """Begin with codes from an app: what it makes them of is shown this once."""
    return codes_of(factors.begin_codes(call, body.name))


@routes.route(
    "POST", "/me/factors/<uuid:factor_id>/proof", body=wire.FactorProof, returns=wire.RecoveryCodes, kept=False
)
def prove_codes(call: Call, factor_id: UUID, body: wire.FactorProof) -> wire.RecoveryCodes:
    """Prove by a first code that the app is set up; from then on a code is asked for beside one's password."""
    return wire.RecoveryCodes(codes=list(factors.prove(call, factor_id, body.code)))


@routes.route("POST", "/me/factors/passkey/asked", returns=wire.PasskeyAsked, kept=False)
def begin_passkey(call: Call) -> wire.PasskeyAsked:
    """What the browser has to have a new passkey made for."""
    return asked_of(passkeys.begin(call))


@routes.route("POST", "/me/factors/passkey", body=wire.NewPasskey, returns=wire.RecoveryCodes, status=201, kept=False)
def add_passkey(call: Call, body: wire.NewPasskey) -> wire.RecoveryCodes:
    """Add the passkey that was made; from then on one signs in with it, without a password."""
    return wire.RecoveryCodes(codes=list(passkeys.add(call, body.asked, body.credential, body.name)))


@routes.route("DELETE", "/me/factors/<uuid:factor_id>")
def remove_factor(call: Call, factor_id: UUID) -> None:
    """Remove a second factor of one's own."""
    factors.remove(call, factor_id)


@routes.route("POST", "/me/recovery-codes", returns=wire.RecoveryCodes, status=201, kept=False)
def make_recovery_codes(call: Call) -> wire.RecoveryCodes:
    """Make new recovery codes; the old ones stop working. They are shown only now."""
    return wire.RecoveryCodes(codes=list(factors.new_recovery_codes(call)))
