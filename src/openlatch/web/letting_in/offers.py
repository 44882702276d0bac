"""Offers: terms before they are sent, making them, and answering those to oneself."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.inventory.entries import words
from openlatch.operations.letting_in import offers, terms
from openlatch.operations.providers import choices
from openlatch.operations.providers.lookups import Findings, Lookup
from openlatch.web.api import Routes
from openlatch.web.filled import filled
from openlatch.web.letting_in.render import fit_of, offer_of, terms_of
from openlatch.wire import messages as wire
from openlatch.words import Power

__all__ = ["routes"]

routes = Routes()


def _about(call: Call, body: wire.OfferWish) -> list[Lookup]:
    return terms.lookups(call, body)


def _about_offer(call: Call, body: wire.OfferWish, offer: str) -> list[Lookup]:
    return terms.lookups(call, body)


def _about_answer(call: Call, body: wire.OfferAnswer, offer: str) -> list[Lookup]:
    return offers.addressed_to(call, offer) if body.answer == "take-up" else []


@routes.route("GET", "/tasks", returns=wire.TaskList)
def list_tasks(call: Call) -> wire.TaskList:
    """What people are let in for: the holder's own tasks first, then the built-in ones."""
    return wire.TaskList(items=[filled(wire.Task, task) for task in choices.tasks(call)])


@routes.route("GET", "/accounts/<account>/fit", query=wire.FitQuery, returns=wire.Fit)
def fit_task(call: Call, account: str, query: wire.FitQuery) -> wire.Fit:
    """The narrowest that an account's provider has for a task, and what broader choices hand over beyond it."""
    return fit_of(*choices.fitting(call, account, query.task, words(Power, query.needs, "needs")))


@routes.route("GET", "/accounts/<account>/choices", query=wire.ChoicesQuery, returns=wire.AccountChoices)
def list_choices(call: Call, account: str, query: wire.ChoicesQuery) -> wire.AccountChoices:
    """What can be given on an account: the levels of its provider with their powers, and its parts."""
    found = choices.choosable(call, account, query.part, query.limit)
    levels = [wire.LevelPowers(level=level, powers=list(powers)) for level, powers in found.levels.items()]
    return filled(wire.AccountChoices, found, levels=levels)


@routes.route("POST", "/offers/check", body=wire.OfferWish, returns=wire.OfferTerms, asks=_about)
def check_offer(call: Call, body: wire.OfferWish, findings: Findings) -> wire.OfferTerms:
    """The exact terms of an offer, and what is worth knowing before it is made; changes nothing."""
    return terms_of(offers.check(call, body, findings))


@routes.route("POST", "/offers/<offer>/check", body=wire.OfferWish, returns=wire.OfferTerms, asks=_about_offer)
def check_correction(call: Call, offer: str, body: wire.OfferWish, findings: Findings) -> wire.OfferTerms:
    """The same for terms that are to take the place of those of an offer that waits."""
    return terms_of(offers.check(call, body, findings, offer))


@routes.route("POST", "/offers", body=wire.NewOffer, returns=wire.Offer, status=201, asks=_about)
def make_offer(call: Call, body: wire.NewOffer, findings: Findings) -> wire.Offer:
    """Make an offer by the terms that were shown; a link goes to the address."""
    return _sent(call, offers.create(call, body, findings, body.digest))


@routes.route("GET", "/offers", query=wire.OfferQuery, returns=wire.OfferList)
def list_offers(call: Call, query: wire.OfferQuery) -> wire.OfferList:
    """Offers, the latest first."""
    page = offers.browse(call, query.state, query.limit, query.cursor)
    return wire.OfferList(items=[_sent(call, item) for item in page.items], next=page.next)


@routes.route("GET", "/offers/<offer>", returns=wire.Offer)
def get_offer(call: Call, offer: str) -> wire.Offer:
    """One offer, by id or short form; a member reaches those to their own address."""
    return _sent(call, offers.show(call, offer))


@routes.route("PUT", "/offers/<offer>", body=wire.OfferCorrection, returns=wire.Offer, asks=_about_offer)
def correct_offer(call: Call, offer: str, body: wire.OfferCorrection, findings: Findings) -> wire.Offer:
    """Put other terms in the place of those of an offer that waits, and send a new link."""
    return _sent(call, offers.correct(call, offer, body, findings, body.digest, body.version))


@routes.route("POST", "/offers/<offer>/send", returns=wire.Offer)
def send_offer_again(call: Call, offer: str) -> wire.Offer:
    """Send the link of an offer once more; the former one is good for nothing any more."""
    return _sent(call, offers.send_again(call, offer))


@routes.route("POST", "/offers/<offer>/withdraw", body=wire.WithdrawWish, returns=wire.Offer)
def withdraw_offer(call: Call, offer: str, body: wire.WithdrawWish) -> wire.Offer:
    """Take an offer back that nobody has answered."""
    return _sent(call, offers.withdraw(call, offer, body.reason))


@routes.route("GET", "/me/offers", returns=wire.OfferList)
def list_my_offers(call: Call) -> wire.OfferList:
    """The latest offers to whoever is signed in, whatever has become of them."""
    return wire.OfferList(items=[_sent(call, sight) for sight in offers.mine(call)])


@routes.route("POST", "/offers/<offer>/answer", body=wire.OfferAnswer, returns=wire.Offer, asks=_about_answer)
def answer_offer(call: Call, offer: str, body: wire.OfferAnswer, findings: Findings) -> wire.Offer:
    """Take up an offer to oneself, decline it, or leave it for later."""
    if body.answer == "take-up":
        return _sent(call, offers.take_up(call, offer, findings))
    if body.answer == "decline":
        return _sent(call, offers.decline(call, offer, body.reason))
    return _sent(call, offers.leave(call, offer))


def _sent(call: Call, sight: offers.OfferSight) -> wire.Offer:
    return offer_of(sight, not call.tx.workspace.circle.holds(sight.party))
