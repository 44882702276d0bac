"""Single sign-on: services at which people of the workspace sign in, and the way there and back."""

from __future__ import annotations

from dataclasses import replace

from openlatch.core.model import Person
from openlatch.core.people.sign_on import SignOn
from openlatch.errors import Conflict, NotFound
from openlatch.operations.call import Call
from openlatch.operations.people import sign_ins, sign_on
from openlatch.store.noun import missing
from openlatch.web.api import Answer, Routes, backend, network
from openlatch.web.filled import filled
from openlatch.web.people.session import count_asked, nobody, signed_in, wrong_code
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/session/sign-on", query=wire.SignOnQuery, returns=wire.SignOnNames, public=True)
def list_sign_on_names(query: wire.SignOnQuery) -> wire.SignOnNames:
    """The single sign-ons of a workspace; of one that is not here, none."""
    try:
        with backend().store.transaction(query.workspace) as tx:
            return wire.SignOnNames(items=[filled(wire.SignOnName, known) for known in sign_on.names(nobody(tx))])
    except NotFound:
        return wire.SignOnNames(items=[])


@routes.route(
    "POST",
    "/session/sign-on/asked",
    body=wire.SignOnLeave,
    returns=wire.SignOnLeaving,
    status=201,
    public=True,
    kept=False,
    calls=True,
)
def leave_for_sign_on(body: wire.SignOnLeave) -> wire.SignOnLeaving:
    """Where someone goes to sign in; what their browser keeps until they come back is shown only now."""
    at = backend()
    back = sign_on.back(at.services)
    count_asked(body.workspace)
    try:
        with at.store.transaction(body.workspace) as tx:
            service, secret = sign_on.asked(nobody(tx), str(body.sign_on))
    except NotFound as error:
        # The same for a workspace that is not here.
        raise missing("single sign-on", body.sign_on) from error
    # Outside any transaction: another service may take its time.
    question = sign_on.new_question(fresh=body.fresh)
    url = sign_on.provider(at.services, service, secret).address(question, back)
    with at.store.transaction(body.workspace) as tx:
        return filled(wire.SignOnLeaving, sign_on.leave(nobody(tx), service, question, url))


@routes.route("POST", "/session/sign-on", body=wire.SignOnSignIn, returns=wire.Me, status=201, public=True, calls=True)
def sign_in_by_sign_on(body: wire.SignOnSignIn) -> Answer:
    """Sign in to the console with what one came back with from a single sign-on; the answer sets a cookie."""
    at, answer = backend(), sign_on.Answer(**body.model_dump(exclude={"workspace", "factor"}))
    try:
        with at.store.transaction(body.workspace) as tx:
            begun, service, secret, question = sign_on.take(nobody(tx), answer)
    except NotFound as error:
        raise sign_on.away_too_long() from error
    if begun.person_id is None:
        told = sign_on.said(at.services, service, secret, question, answer)
    with at.store.transaction(body.workspace) as tx:
        call = nobody(tx)
        person = tx.people.get(begun.person_id) if begun.person_id else sign_on.welcome(call, service, told)
        needed = not service.second_factor and sign_ins.has_factor(call, person)
        if needed:
            sign_on.keep(call, begun, person)
    if needed:
        _prove(body, answer, person, service)
    with at.store.transaction(body.workspace) as tx:
        return signed_in(tx, person, service.name, strong=service.second_factor)


def _prove(body: wire.SignOnSignIn, answer: sign_on.Answer, person: Person, service: SignOn) -> None:
    """Have someone give a second factor besides; each attempt is counted, whatever comes of it."""
    at = backend()
    so_far = f"{service.name} says who you are"
    with at.store.transaction(body.workspace) as tx:
        call = nobody(tx)
        if not body.factor:
            sign_ins.second_factor(call, person, "", so_far)
        made = replace(sign_ins.attempt(call, person.address, network()), person=person)
    with at.store.transaction(body.workspace) as tx:
        call = nobody(tx)
        if sign_ins.second_factor(call, person, body.factor or "", so_far):
            sign_on.take(call, answer)
            return
        sign_ins.failed(call, made)
    raise wrong_code()


@routes.route("GET", "/sign-ons", returns=wire.SignOnList)
def list_sign_ons(call: Call) -> wire.SignOnList:
    """Every single sign-on of the workspace."""
    every = [filled(wire.SignOn, service) for service in sign_on.browse(call)]
    try:
        return wire.SignOnList(items=every, back=sign_on.back(call.services))
    except Conflict:
        return wire.SignOnList(items=every, back="")


@routes.route("POST", "/sign-ons", body=wire.SignOnWish, returns=wire.SignOn, status=201, calls=True)
def add_sign_on(call: Call, body: wire.SignOnWish) -> wire.SignOn:
    """Let people sign in at a service (OpenID Connect), once what it says of itself can be read."""
    return filled(wire.SignOn, sign_on.add(call, _wish(body), body.secret or ""))


@routes.route("PUT", "/sign-ons/<sign_on_ref>", body=wire.SignOnWish, returns=wire.SignOn, calls=True)
def change_sign_on(call: Call, sign_on_ref: str, body: wire.SignOnWish) -> wire.SignOn:
    """Set a single sign-on up in another way, once what it says of itself can be read."""
    return filled(wire.SignOn, sign_on.change(call, sign_on_ref, _wish(body), body.secret))


@routes.route("DELETE", "/sign-ons/<sign_on_ref>")
def remove_sign_on(call: Call, sign_on_ref: str) -> None:
    """Let nobody sign in there any more; sessions that are open stay until they end."""
    sign_on.remove(call, sign_on_ref)


def _wish(body: wire.SignOnWish) -> sign_on.Wish:
    return sign_on.Wish(**body.model_dump(exclude={"secret"}))
