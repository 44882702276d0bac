"""Links in letters: what they ask, and answering them. Whoever has a link needs no sign-in to look, and gets none."""

from __future__ import annotations

from openlatch.errors import NotSignedIn
from openlatch.operations.call import SERVICE, Actor, Call
from openlatch.operations.letting_in import answers
from openlatch.operations.people import sign_ins
from openlatch.operations.providers import lookups
from openlatch.operations.telling import links
from openlatch.web.api import Answer, Routes, backend, bearer, network
from openlatch.web.letting_in.render import question_of
from openlatch.web.people.session import device
from openlatch.wire import messages as wire
from openlatch.words import Scope

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/answers/<link>", returns=wire.Question, public=True)
def look_at_link(link: str) -> wire.Question:
    """What a link asks; looking changes nothing."""
    at = backend()
    with at.store.transaction(links.workspace_in(link)) as tx:
        call = Call(tx, at.services, SERVICE, at.services.clock())
        return question_of(answers.look(call, link), tx.workspace)


@routes.route("POST", "/answers/<link>", body=wire.AnswerWish, returns=wire.Question, public=True)
def answer_link(link: str, body: wire.AnswerWish) -> Answer:
    """Answer a link, once; whoever registers with it is signed in from then on."""
    at, workspace = backend(), links.workspace_in(link)
    with at.store.transaction(workspace) as tx:
        asked = answers.lookups(Call(tx, at.services, SERVICE, at.services.clock()), link, body)
    findings = lookups.ask(asked)
    with at.store.transaction(workspace) as tx:
        call = Call(tx, at.services, SERVICE, at.services.clock())
        visitor = _visitor(call)
        call = Call(tx, at.services, visitor or SERVICE, call.now)
        question, registered = answers.answer(call, link, body, findings, visitor.person if visitor else None)
        cookie = str(sign_ins.open_session(call, registered, device(), network())) if registered is not None else None
        return Answer(question_of(question, tx.workspace), cookie=cookie)


def _visitor(call: Call) -> Actor | None:
    """Whoever is signed in to the workspace of the link, if anyone is; a token that may only read answers nothing."""
    try:
        who, by_cookie = bearer()
        if who.workspace_id != call.tx.workspace.id:
            return None
        actor = sign_ins.by_session(call, who) if by_cookie else sign_ins.by_token(call, who)
    except NotSignedIn:
        return None
    return actor if actor.scope is Scope.CHANGE else None
