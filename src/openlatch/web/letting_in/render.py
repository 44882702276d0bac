"""Offers, their terms, and links in letters as messages of the API."""

from __future__ import annotations

from openlatch.core import model
from openlatch.core.ids import ref_of
from openlatch.core.letting_in.offers import MOVES, Part
from openlatch.core.orders.orders import Order
from openlatch.core.rules.tasks import Fit
from openlatch.operations.letting_in.consent import Question
from openlatch.operations.letting_in.offers import OfferSight
from openlatch.operations.letting_in.terms import PartSight, Terms
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["fit_of", "offer_of", "question_of", "terms_of"]


def fit_of(account: model.Account, provider: model.Provider, found: Fit) -> wire.Fit:
    return filled(wire.Fit, found, account=account, provider=provider.name)


def terms_of(terms: Terms) -> wire.OfferTerms:
    return filled(
        wire.OfferTerms,
        terms,
        near=terms.near.known if terms.near else None,
        near_how=terms.near.how if terms.near else None,
        known=terms.party,
        parts=[_terms(part) for part in terms.parts],
    )


def _terms(sight: PartSight) -> wire.TermsPart:
    fit = fit_of(sight.account, sight.provider, sight.fit) if sight.fit is not None else None
    return filled(wire.TermsPart, sight, sight.part, provider=sight.provider.name, fit=fit, hours=_hours(sight.part))


def _hours(part: Part) -> str | None:
    return str(part.hours) if part.hours is not None else None


def offer_of(sight: OfferSight, outside: bool) -> wire.Offer:
    offer = sight.offer
    return filled(
        wire.Offer,
        sight,
        offer,
        outside=outside,
        parts=[_part(*part) for part in sight.parts],
        made_by=offer.made_by.name,
        made_by_id=offer.made_by.id,
        moves=MOVES.of(offer.state),
    )


def _part(part: Part, account: model.Account, provider: model.Provider, order: Order | None) -> wire.OfferPart:
    return filled(
        wire.OfferPart,
        part,
        account=account,
        provider=provider.name,
        hours=_hours(part),
        written_hours=part.hours.written() if part.hours is not None else "",
        entry=part.entry_id,
        live=part.live_id,
        order=ref_of(part.order_id) if part.order_id else None,
        order_state=order.state if order is not None else None,
        why=order.why if order is not None else "",
    )


def question_of(asked: Question, workspace: model.Workspace) -> wire.Question:
    offer = asked.offer
    return filled(
        wire.Question,
        asked,
        zone=workspace.zone,
        workspace=workspace.slug,
        offer=offer_of(offer, not workspace.circle.holds(offer.party)) if offer is not None else None,
    )
