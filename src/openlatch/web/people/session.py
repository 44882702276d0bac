"""Signing in and out, and who is signed in."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace
from uuid import UUID

from flask import request

from openlatch.core.model import Person
from openlatch.core.people.devices import device_of
from openlatch.errors import Busy, NotConfirmed, NotFound, NotSignedIn
from openlatch.operations.call import Actor, Call, reachable
from openlatch.operations.credentials import Bearer
from openlatch.operations.people import factors, founding, letters, me, passkeys, sign_ins, sign_on
from openlatch.operations.people.sign_ins import Attempt
from openlatch.operations.reviews import waiting
from openlatch.operations.telling import links
from openlatch.store import Transaction
from openlatch.web.api import Answer, Routes, backend, bearer, beside, network
from openlatch.web.people.render import asked_of, holder_of, person_of, sign_in_link_of, token_of, workspace_of
from openlatch.wire import messages as wire
from openlatch.words import LinkPurpose, Scope

__all__ = ["count_asked", "device", "nobody", "routes", "signed_in", "wrong_code"]

routes = Routes()
MOST_BESIDE = 20
"""sessions in other holders' names that one browser keeps"""


def _refused() -> NotSignedIn:
    return NotSignedIn(
        "The workspace, the address or the password is not right.", next_step="Check all three and try again."
    )


def device() -> str:
    """Return what a request is made with, as someone would know it again."""
    return device_of(request.headers.get("User-Agent", ""))


def _person(body: wire.SignIn) -> Person:
    """Return whose password this is. The attempt is counted before that is worked out, outside any transaction."""
    at = backend()
    try:
        with at.store.transaction(body.workspace) as tx:
            made = sign_ins.attempt(nobody(tx), body.address, network())
    except NotFound as error:
        with at.store.strangers() as strangers:
            sign_ins.attempt_nowhere(strangers, at.services, body.workspace, body.address, network())
        at.services.passwords.fits(None, body.password)
        raise _refused() from error
    if not _fits(made, body.workspace, body.password) or made.person is None:
        with at.store.transaction(body.workspace) as tx:
            sign_ins.failed(nobody(tx), made)
        raise _refused()
    with at.store.transaction(body.workspace) as tx:
        call = nobody(tx)
        if sign_ins.second_factor(call, made.person, body.code or ""):
            return made.person
        sign_ins.failed(call, made)
    raise wrong_code()


def _fits(made: Attempt, workspace: str | UUID, password: str) -> bool:
    """Whether a password is right; whoever is told to come again has tried nothing."""
    at = backend()
    try:
        return at.services.passwords.fits(made.stored, password)
    except Busy:
        with at.store.transaction(workspace) as tx:
            sign_ins.not_looked_at(nobody(tx), made)
        raise


def wrong_code() -> NotSignedIn:
    """What is said to whoever has proved who they are, and then gives a code that is not theirs."""
    return NotSignedIn(
        "That code is not right, or was used before.",
        next_step="Type the code that your app shows now, or a recovery code that you have not used.",
    )


def count_asked(workspace: str) -> None:
    """Count what someone asks of a workspace who has not signed in, whatever comes of it."""
    at = backend()
    with at.store.strangers() as strangers:
        sign_ins.count_asked(strangers, at.services, workspace, network())


def nobody(tx: Transaction) -> Call:
    """Return a call in which nobody acts whom the service knows yet."""
    at = backend()
    return Call(tx, at.services, Actor("nobody"), at.services.clock())


@routes.route("GET", "/session/hint", returns=wire.SignInHint, public=True)
def sign_in_hint() -> wire.SignInHint:
    """What the sign-in page may know beforehand."""
    workspaces = backend().store.workspaces()
    only = workspaces[0] if len(workspaces) == 1 else None
    return wire.SignInHint(
        workspace=only.slug if only else None, name=only.name if only else None, founded=bool(workspaces)
    )


@routes.route("POST", "/session/founding", body=wire.FirstWorkspace, returns=wire.Me, status=201, public=True)
def found_first_workspace(body: wire.FirstWorkspace) -> Answer:
    """Create the first workspace of a service, with the code that it printed, and sign in as its owner."""
    at = backend()
    fields = body.model_dump(exclude={"code", "circle"})
    wish = founding.Founding(**fields, circle=tuple(body.circle))
    taken = founding.found_first(at.store, at.services, wish, body.code, network())
    with at.store.transaction(taken.workspace.id) as tx:
        return signed_in(tx, taken.person, "password")


@routes.route("POST", "/session", body=wire.SignIn, returns=wire.Me, status=201, public=True)
def sign_in(body: wire.SignIn) -> Answer:
    """Sign in to the console; the answer sets a cookie."""
    person = _person(body)
    with backend().store.transaction(body.workspace) as tx:
        return signed_in(tx, person, "password")


def signed_in(tx: Transaction, person: Person, how: str, *, strong: bool = False) -> Answer:
    """Open a session for someone who has proved who they are; `strong` as for sign_ins.open_session."""
    at = backend()
    call = Call(tx, at.services, Actor(person.name, person, Scope.CHANGE, strong=strong), at.services.clock())
    session = sign_ins.open_session(call, person, device(), network(), how, strong=strong)
    return Answer(_me(call, session.csrf), cookie=str(session), beside=_beside(session))


def _present() -> Bearer | None:
    try:
        who, by_cookie = bearer()
    except NotSignedIn:
        return None
    return who if by_cookie else None


def _beside(now: Bearer) -> str:
    """What is kept beside a session that becomes the present one: one session for each other holder."""
    former = _present()
    every = {
        each_bearer.workspace_id: each_bearer for each_bearer in (*beside(), *([former] if former is not None else []))
    }
    kept = [each_bearer for each_bearer in every.values() if each_bearer.workspace_id != now.workspace_id]
    return "|".join(str(each_bearer) for each_bearer in kept[-MOST_BESIDE:])


def _acting(who: Bearer) -> wire.Holder | None:
    """What waits in one holder's name, seen with that session's own right; None if it has ended."""
    at = backend()
    try:
        with at.store.transaction(who.workspace_id) as tx:
            call = nobody(tx)
            call = replace(call, actor=sign_ins.by_session(call, who))
            return holder_of(me.me(call), waiting.waiting(call))
    except (NotFound, NotSignedIn):
        return None


@routes.route("GET", "/me/waiting", returns=wire.Holder)
def what_waits(call: Call) -> wire.Holder:
    """What waits for whoever is signed in, in this holder's name."""
    return holder_of(me.me(call), waiting.waiting(call))


@routes.route("GET", "/session/holders", returns=wire.HolderList)
def list_holders(call: Call) -> wire.HolderList:
    """Every holder in whose name one is signed in with this browser, the present one first, and what waits there."""
    others = [holder for each_bearer in beside() if (holder := _acting(each_bearer)) is not None]
    return wire.HolderList(items=[what_waits(call), *others])


@routes.route("POST", "/session/switch", body=wire.SwitchWish, returns=wire.Me)
def switch_holder(call: Call, body: wire.SwitchWish) -> Answer:
    """Switch to another workspace, with the session that is kept for it."""
    at = backend()
    for each_bearer in beside():
        with at.store.transaction(each_bearer.workspace_id) as tx:
            if tx.workspace.slug != body.workspace:
                continue
            there = Call(tx, at.services, Actor("nobody"), call.now)
            there = replace(there, actor=sign_ins.by_session(there, each_bearer))
            return Answer(_me(there, each_bearer.csrf), cookie=str(each_bearer), beside=_beside(each_bearer))
    raise NotSignedIn(
        f"Nobody is signed in for “{body.workspace}” with this browser. Nothing was changed.",
        next_step="Sign in for that holder; the present sign-in is kept.",
    )


@routes.route("DELETE", "/session")
def sign_out(call: Call) -> Answer:
    """Sign out: of the console, in every holder's name; a program's token is refused from then on."""
    who, by_cookie = bearer()
    if not by_cookie:
        sign_ins.give_up_token(call, who)
        return Answer(None)
    sign_ins.close_session(call, who)
    at = backend()
    for each_bearer in beside():
        with suppress(NotFound), at.store.transaction(each_bearer.workspace_id) as tx:
            sign_ins.close_session(Call(tx, at.services, call.actor, call.now), each_bearer)
    return Answer(None, cookie="", beside="")


@routes.route("POST", "/session/passkey/asked", body=wire.PasskeyWish, returns=wire.PasskeyAsked, public=True)
def ask_for_passkey(body: wire.PasskeyWish) -> wire.PasskeyAsked:
    """What a passkey is asked to sign, to sign in with it or to confirm."""
    count_asked(body.workspace)
    try:
        with backend().store.transaction(body.workspace) as tx:
            return asked_of(passkeys.ask(nobody(tx)))
    except NotFound:
        return asked_of(passkeys.ask_in_vain(backend().services))


@routes.route("POST", "/session/passkey", body=wire.PasskeySignIn, returns=wire.Me, status=201, public=True)
def sign_in_with_passkey(body: wire.PasskeySignIn) -> Answer:
    """Sign in to the console with a passkey alone; the answer sets a cookie."""
    with backend().store.transaction(body.workspace) as tx:
        person, factor = passkeys.used(nobody(tx), body.asked, body.credential)
        return signed_in(tx, person, f"passkey {factor.name}")


@routes.route("POST", "/session/confirmation", body=wire.Confirmation, returns=wire.Me, calls=True, counted=True)
def confirm(call: Call, body: wire.Confirmation) -> wire.Me:
    """Prove again that it is oneself, which dangerous acts ask for: by password, code, passkey or single sign-on."""
    who, by_cookie = bearer()
    at = backend()
    # In a transaction of its own, so that the attempt is counted whatever comes of it.
    with at.store.transaction(who.workspace_id) as tx:
        made = sign_ins.attempt_again(Call(tx, at.services, call.actor, call.now), who, network())
    if body.password is not None and not _fits(made, who.workspace_id, body.password):
        raise NotConfirmed("That is not your password. Nothing was changed.", next_step="Try again.")
    if body.code is not None and not factors.code_fits(call, call.person, body.code):
        raise NotConfirmed("That code is not right, or was used before. Nothing was changed.", next_step="Try again.")
    if body.passkey is not None:
        person, _ = passkeys.used(call, body.passkey.asked, body.passkey.credential)
        if person.id != call.person.id:
            raise NotConfirmed("That is someone else's passkey. Nothing was changed.", next_step="Use one of yours.")
    if body.sign_on is not None:
        sign_on.prove_again(call, sign_on.Answer(**body.sign_on.model_dump()))
    sign_ins.confirm(call, who)
    return _me(call, who.csrf if by_cookie else None)


@routes.route("POST", "/session/forgotten", body=wire.Forgotten, status=202, public=True)
def forgot_password(body: wire.Forgotten) -> None:
    """Send a link to choose a new password to whoever signs in with an address."""
    count_asked(body.workspace)
    with suppress(NotFound), backend().store.transaction(body.workspace) as tx:
        letters.ask_for_password(nobody(tx), body.address)


@routes.route("POST", "/session/link", body=wire.LinkText, returns=wire.SignInLink, public=True)
def look_at_sign_in_link(body: wire.LinkText) -> wire.SignInLink:
    """What a link of a letter about signing in leads to; looking changes nothing."""
    with backend().store.transaction(links.workspace_in(body.link)) as tx:
        return sign_in_link_of(letters.look(nobody(tx), body.link))


@routes.route("POST", "/session/link/use", body=wire.LinkUse, returns=wire.SignInLink, public=True)
def use_sign_in_link(body: wire.LinkUse) -> Answer:
    """Use a link of a letter about signing in, once; whoever chooses a password by it is signed in from then on,
    unless they have a second factor.
    """
    with backend().store.transaction(links.workspace_in(body.link)) as tx:
        call = nobody(tx)
        link, person = letters.use(call, body.link, body.name or "", body.password or "")
        session = None
        # A letter is one factor: whoever has a second one signs in with both.
        if link.purpose is not LinkPurpose.ADDRESS and not sign_ins.has_factor(call, person):
            session = str(sign_ins.open_session(call, person, device(), network(), "a letter"))
        return Answer(sign_in_link_of(link, signed_in=session is not None), cookie=session)


@routes.route("GET", "/me", returns=wire.Me)
def get_me(call: Call) -> wire.Me:
    """Who is signed in, where, and what they may do."""
    who, by_cookie = bearer()
    return _me(call, who.csrf if by_cookie else None)


@routes.route("POST", "/me/tokens", body=wire.NewOwnToken, returns=wire.TokenSecret, status=201, kept=False)
def make_own_token(call: Call, body: wire.NewOwnToken) -> wire.TokenSecret:
    """Make a token for whoever is signed in, for a program; its secret is shown this once."""
    token, secret = sign_ins.make_own_token(call, body.name, body.scope, body.days)
    return wire.TokenSecret(**token_of(token).model_dump(), secret=str(secret))


@routes.route("POST", "/tokens", body=wire.NewToken, returns=wire.TokenSecret, status=201, public=True)
def make_token(body: wire.NewToken) -> wire.TokenSecret:
    """Make a token with one's password, for a program; its secret is shown this once."""
    person = _person(body)
    at = backend()
    with at.store.transaction(body.workspace) as tx:
        call = Call(tx, at.services, Actor(person.name, person, Scope.CHANGE), at.services.clock())
        token, secret = sign_ins.make_token(call, person, body.name, Scope(body.scope), body.days)
    return wire.TokenSecret(**token_of(token).model_dump(), secret=str(secret))


def _me(call: Call, csrf: str | None) -> wire.Me:
    signed_in = me.me(call)
    return wire.Me(
        person=person_of(signed_in.person),
        workspace=workspace_of(signed_in.workspace, sends_letters=backend().services.post is not None),
        may=list(reachable(call.actor)),
        lacks_factor=call.actor.lacks_factor,
        csrf=csrf,
    )
