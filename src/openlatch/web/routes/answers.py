"""Links in letters: what they ask, and answering them. Whoever has a link needs no sign-in, and gets none."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict

from openlatch.operations import consent, links
from openlatch.operations.consent import Question
from openlatch.operations.gate import SERVICE, Call
from openlatch.web.api import Routes, backend
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes("answers")


@routes.route("GET", "/answers/<link>", returns=wire.Question, public=True)
def look_at_link(link: str) -> wire.Question:
    """What a link asks; looking changes nothing."""
    return _done(link, lambda call: consent.look(call, link))


@routes.route("POST", "/answers/<link>", body=wire.AnswerWish, returns=wire.Question, public=True)
def answer_link(link: str, body: wire.AnswerWish) -> wire.Question:
    """Answer a link, once."""
    return _done(link, lambda call: consent.answer(call, link, agrees=body.agrees))


def _done(link: str, act: Callable[[Call], Question]) -> wire.Question:
    at = backend()
    with at.store.transaction(links.workspace_in(link)) as tx:
        found = act(Call(tx, at.services, SERVICE, at.services.clock()))
    return wire.Question.model_validate(asdict(found))
