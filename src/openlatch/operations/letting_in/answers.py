"""Answering a link in a letter: what it asks, and what the answer does, by what the link is for.

Whoever has a link may look, decline, or leave it for later. What gives access is taken up only by whoever signs in with
the very address that the link was sent to; who cannot yet sign in there can register with it, by the link alone.
"""

from __future__ import annotations

from collections.abc import Sequence

from openlatch.core.letting_in.offers import Offer, said_of
from openlatch.core.model import Person, normal_address
from openlatch.errors import NotSignedIn
from openlatch.operations.call import Call
from openlatch.operations.letting_in import consent, offers, requests
from openlatch.operations.letting_in.consent import Question
from openlatch.operations.people import people
from openlatch.operations.providers.lookups import Findings, Lookup
from openlatch.operations.telling import links
from openlatch.store.telling.links import Link
from openlatch.wire.letting_in.answers import AnswerWish, Registration
from openlatch.words import OfferState

__all__ = ["answer", "look", "lookups"]


def look(call: Call, text: str) -> Question:
    """What a link asks; whoever has it may look."""
    link = links.opened(call, text).link
    if link.purpose == requests.PURPOSE:
        return _requested(call, text)
    return _offered(call, text) if link.purpose == offers.PURPOSE else consent.look(call, text)


def lookups(call: Call, text: str, answer_: AnswerWish) -> Sequence[Lookup]:
    """Return what has to be asked of providers before an answer is taken."""
    link = links.answerable(call, text)
    if link.purpose != offers.PURPOSE or answer_.later or not answer_.agrees:
        return ()
    return offers.asked_about(call, call.tx.offers.find(str(link.subject_id)))


def answer(
    call: Call, text: str, answer_: AnswerWish, findings: Findings, visitor: Person | None
) -> tuple[Question, Person | None]:
    """Answer a link, once; returns what it asked, and whoever registered with it."""
    link = links.answerable(call, text)
    if link.purpose == requests.PURPOSE:
        call.tx.links.used(link.id, "agreed" if answer_.agrees else "declined", call.now)
        requests.confirm(call, call.tx.requests.find(str(link.subject_id), lock=True), it_was=answer_.agrees)
        return look(call, text), None
    if link.purpose != offers.PURPOSE:
        return consent.answer(call, text, visitor, agrees=answer_.agrees), None
    offer = call.tx.offers.find(str(link.subject_id), lock=True)
    registered = None
    if answer_.later:
        offers.left(call, offer)
    elif not answer_.agrees:
        call.tx.links.used(link.id, "declined", call.now)
        offers.answered_no(call, offer, answer_.reason)
    else:
        registered = _present(call, link, answer_.register_as, visitor)
        call.tx.links.used(link.id, "taken up", call.now)
        offers.accept(call, offer, findings)
    return look(call, text), registered


def _present(call: Call, link: Link, registration: Registration | None, visitor: Person | None) -> Person | None:
    """Make sure that whoever answers is whoever the link was sent to; returns them if they registered just now."""
    if visitor is not None and normal_address(visitor.address) == normal_address(link.address):
        return None
    known = call.tx.people.by_address(link.address)
    if known is not None:
        other = f"You are signed in as {visitor.name}, and this" if visitor is not None else "This"
        raise NotSignedIn(
            f"{other} is for {known[0].name}. Nothing was changed.",
            next_step="Sign in as whoever it was sent to, then open the link again.",
        )
    if registration is None:
        raise NotSignedIn(
            "Whoever takes this up signs in here, and nobody does with that address yet. Nothing was changed.",
            next_step="Choose a name and a password, and accept it with these.",
        )
    return people.register(call, registration.name, link.address, registration.password)


def _offered(call: Call, text: str) -> Question:
    found = links.opened(call, text)
    offer = call.tx.offers.find(str(found.link.subject_id))
    known = call.tx.people.by_address(found.link.address)
    return Question(
        purpose=offers.PURPOSE,
        holder=call.tx.workspace.name,
        title="Do you accept this offer?",
        text=offer.confirmed[: len(offer.parts)],
        asked_by=offer.made_by.name,
        lapses_at=found.link.lapses_at,
        trouble=_trouble(offer, found.trouble),
        offer=offers.sight(call, offer),
        needs="sign-in" if known is not None else "register",
    )


def _requested(call: Call, text: str) -> Question:
    found = links.opened(call, text)
    request = call.tx.requests.find(str(found.link.subject_id))
    what = f"Access to {request.account}: {request.level or ', '.join(request.needs)}. What it is for: {request.reason}"
    return Question(
        purpose=requests.PURPOSE,
        holder=call.tx.workspace.name,
        title="Did you ask for this?",
        text=(what,),
        asked_by=request.name,
        lapses_at=found.link.lapses_at,
        trouble=found.trouble,
    )


def _trouble(offer: Offer, trouble: str) -> str:
    if offer.state is not OfferState.WAITING:
        return f"This offer {said_of(offer.state)}."
    return trouble
