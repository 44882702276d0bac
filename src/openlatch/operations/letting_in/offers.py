"""Offers: held out, corrected, sent again, withdrawn; and answered by whoever they are for."""

from __future__ import annotations

from dataclasses import dataclass, replace
from uuid import UUID

from openlatch.core.hours import day_in
from openlatch.core.inventory.reconcile import Identifier
from openlatch.core.letting_in.arrival import let_in
from openlatch.core.letting_in.offers import Offer, OfferMove, Part, said_of, why_ended
from openlatch.core.letting_in.requests import Request
from openlatch.core.limits import Taken
from openlatch.core.model import OFFERED, Account, Entry, Party, Provider, normal_address
from openlatch.core.orders.orders import Order
from openlatch.core.telling.notices import Notice
from openlatch.errors import Changed, Conflict, NotAllowed
from openlatch.operations.call import Call, operation, require
from openlatch.operations.inventory.entries import words
from openlatch.operations.letting_in import requests
from openlatch.operations.letting_in.terms import Terms, compared, completed, refused, terms
from openlatch.operations.orders import orders
from openlatch.operations.providers import choices
from openlatch.operations.providers.lookups import Findings, Lookup
from openlatch.operations.rules import flags
from openlatch.operations.telling import links, notices
from openlatch.store.pages import Page
from openlatch.wire.letting_in.offers import OfferWish
from openlatch.words import EndReason, Kind, OfferState, PartyKind, PartyStatus, Role, State

__all__ = [
    "PURPOSE",
    "OfferSight",
    "accept",
    "addressed_to",
    "asked_about",
    "browse",
    "check",
    "close",
    "correct",
    "create",
    "decline",
    "leave",
    "mine",
    "send_again",
    "show",
    "sight",
    "take_up",
    "tell_lapsed",
    "withdraw",
]

PURPOSE = "offer"


@dataclass(frozen=True, slots=True)
class OfferSight:
    """An offer with what each part of it is about, and the order that gives it, once it is taken up."""

    offer: Offer
    party: Party
    parts: tuple[tuple[Part, Account, Provider, Order | None], ...]


# What the holder does


@operation("offers.check")
def check(call: Call, wish: OfferWish, findings: Findings, but: str = "") -> Terms:
    """The exact terms of an offer, with what is worth knowing before it is made; changes nothing."""
    return terms(call, wish, findings, but=call.tx.offers.find(but).id if but else None)


@operation("offers.create")
def create(call: Call, wish: OfferWish, findings: Findings, digest: str) -> OfferSight:
    """Hold an offer out: it is in the inventory from then on, and a link goes to the address.

    `digest` is that of the terms that were shown and confirmed; refuses (Changed) if they are others now.
    """
    the_terms = _agreed(call, wish, findings, digest)
    party = _met(call, the_terms)
    offer = Offer(
        id=call.services.new_id(),
        address=the_terms.address,
        name=the_terms.name,
        party_id=party.id,
        parts=tuple(part.part for part in the_terms.parts),
        basis=the_terms.basis,
        starts_at=the_terms.starts_at,
        made_by=call.actor.author,
        made_at=call.now,
        lapses_at=the_terms.lapses_at,
        confirmed=the_terms.sentences,
        replaces=the_terms.replaces,
        request_id=the_terms.request_id,
    )
    offer = _shown(call, offer, the_terms, party)
    call.tx.offers.add(offer)
    call.log("offer.made", "offer", offer.id, **_facts(offer))
    requests.answered_by_offer(call, offer, wish.answer)
    _send(call, offer)
    return sight(call, offer)


@operation("offers.correct")
def correct(call: Call, text: str, wish: OfferWish, findings: Findings, digest: str, version: int | None) -> OfferSight:
    """Put other terms in the place of an offer that waits; the former link is good for nothing any more."""
    offer = _waiting(call, text, version)
    the_terms = _agreed(call, wish, findings, digest, but=offer)
    party = _met(call, the_terms)
    _end_entries(call, offer, EndReason.REPLACED)
    corrected = replace(
        offer.moved(OfferMove.CORRECT, call.now),
        address=the_terms.address,
        name=the_terms.name,
        party_id=party.id,
        parts=tuple(part.part for part in the_terms.parts),
        basis=the_terms.basis,
        starts_at=the_terms.starts_at,
        lapses_at=the_terms.lapses_at,
        confirmed=the_terms.sentences,
        left_at=None,
        replaces=the_terms.replaces,
    )
    corrected = _shown(call, corrected, the_terms, party)
    call.tx.offers.save(corrected)
    call.log("offer.corrected", "offer", offer.id, **_facts(corrected))
    requests.answered_by_offer(call, corrected, wish.answer)
    if offer.address != corrected.address:
        _tell(call, offer, "withdrawn", f"The offer of access to {_places(call, offer)} was withdrawn")
    _send(call, corrected)
    return sight(call, corrected)


@operation("offers.send_again")
def send_again(call: Call, text: str) -> OfferSight:
    """Send the link of an offer once more, with as long to answer it as there was at first."""
    offer = _waiting(call, text)
    lasts = offer.lapses_at - offer.made_at
    until = min((part.ends_at for part in offer.parts if part.ends_at is not None), default=None)
    lapses_at = call.now + lasts if until is None else min(call.now + lasts, until)
    offer = replace(offer.moved(OfferMove.SEND_AGAIN, call.now), lapses_at=lapses_at)
    call.tx.offers.save(offer)
    call.log("offer.sent-again", "offer", offer.id, lapses=offer.lapses_at.isoformat())
    _send(call, offer)
    return sight(call, offer)


@operation("offers.withdraw")
def withdraw(call: Call, text: str, reason: str) -> OfferSight:
    """Take an offer back that nobody has answered."""
    offer = close(call, call.tx.offers.find(text, lock=True), OfferMove.WITHDRAW, reason)
    title = f"{call.actor.name} has withdrawn the offer of access to {_places(call, offer)}"
    _tell(call, offer, "withdrawn", title, f"Why: {reason.strip()}" if reason.strip() else "")
    return sight(call, offer)


@operation("offers.browse")
def browse(call: Call, state: str, limit: int, cursor: str | None) -> Page[OfferSight]:
    """Offers, the latest first."""
    page = call.tx.offers.browse(words(OfferState, state, "state"), limit, cursor)
    return Page(tuple(sight(call, offer) for offer in page.items), page.next)


@operation("offers.show")
def show(call: Call, text: str) -> OfferSight:
    """One offer, by id or short form; a member sees those to their own address."""
    offer = call.tx.offers.find(text)
    if call.actor.person is not None and call.actor.person.role is Role.MEMBER:
        _own(call, offer)
    return sight(call, offer)


# What the other side does


@operation("offers.mine")
def mine(call: Call) -> tuple[OfferSight, ...]:
    """The latest offers to whoever acts, whatever has become of them."""
    address = call.actor.person.address if call.actor.person else ""
    return tuple(sight(call, offer) for offer in call.tx.offers.browse((), 100, None, address).items)


@operation("offers.take_up")
def take_up(call: Call, text: str, findings: Findings) -> OfferSight:
    """Take an offer up that is one's own; it is carried out at the providers as orders."""
    return accept(call, _own(call, call.tx.offers.find(text, lock=True)), findings)


@operation("offers.decline")
def decline(call: Call, text: str, reason: str) -> OfferSight:
    """Decline an offer that is one's own."""
    return answered_no(call, _own(call, call.tx.offers.find(text, lock=True)), reason)


@operation("offers.leave")
def leave(call: Call, text: str) -> OfferSight:
    """Leave an offer that is one's own for later; it still lapses when it was to."""
    return left(call, _own(call, call.tx.offers.find(text, lock=True)))


def _own(call: Call, offer: Offer) -> Offer:
    person = call.actor.person
    if person is None or normal_address(person.address) != offer.address:
        raise NotAllowed(
            f"Offer {offer.ref} is to someone else. Nothing was changed.",
            next_step="Sign in as whoever it was made to; an offer cannot be passed on.",
            offer=offer.ref,
        )
    return offer


def asked_about(call: Call, offer: Offer) -> list[Lookup]:
    """Return whom to ask about at which provider, before an offer is taken up."""
    lookups = {}
    for part in offer.parts:
        provider = call.tx.providers.get(call.tx.accounts.get(part.account_id).provider_id)
        if provider.abilities.gives and not provider.by_hand:
            lookups[provider.id, part.key] = Lookup(provider.id, call.connect(provider), part.key)
    return list(lookups.values())


def addressed_to(call: Call, text: str) -> list[Lookup]:
    """Return what has to be asked before an offer is taken up by whoever it is to."""
    require(call, "offers.take_up")
    return asked_about(call, _own(call, call.tx.offers.find(text)))


def accept(call: Call, offer: Offer, findings: Findings) -> OfferSight:
    """Take an offer up, for whoever has shown that it is theirs: limits and hindrances are looked at once more."""
    _not_over(call, offer)
    offer = offer.moved(OfferMove.TAKE_UP, call.now)
    call.tx.facts.take_turns()
    accounts = call.tx.accounts.some({part.account_id for part in offer.parts})
    call.tx.accounts.lock(accounts)
    party = call.tx.parties.some([offer.party_id])[offer.party_id]
    providers = {account.provider_id: call.tx.providers.get(account.provider_id) for account in accounts.values()}
    for part in offer.parts:
        _still_possible(call, offer, part, party, providers[accounts[part.account_id].provider_id], findings)
    entries = call.tx.entries.some([part.entry_id for part in offer.parts if part.entry_id], lock=True)
    situations = orders.situations(call, list(entries.values()))
    parts, given = [], []
    for part in offer.parts:
        assert part.entry_id is not None  # noqa: S101 - every offer that was made has its entries
        entry = entries[part.entry_id]
        _known_there(call, party, entry.provider_id, part.key)
        plan = let_in(situations[entry.id][0], part, offer.starts_at, call.now, call.tx.workspace.zone)
        order = orders.drafted(call, plan, entry, offer.basis, ordered_by=offer.made_by)
        given.append((order, entry))
        parts.append(replace(part, order_id=order.id))
    offer = replace(offer, parts=tuple(parts))
    call.tx.offers.save(offer)
    call.tx.links.withdraw(offer.id, call.now)
    if not party.verified and offer.address in {normal_address(address) for address in party.addresses}:
        # Whoever answers came by a link to that very address, or signs in with it.
        call.tx.parties.save_all([replace(party, verified=True, version=party.version + 1)])
    call.log("offer.taken-up", "offer", offer.id, by=offer.name, address=offer.address)
    orders.given_all(call, given)
    title = f"{offer.name} has accepted the offer of access to {_places(call, offer)}"
    text = "It is being carried out now." if offer.starts_at is None else "It is carried out on the day it begins."
    _tell_holder(call, offer, "taken-up", title, text)
    return sight(call, offer)


def _known_there(call: Call, party: Party, provider_id: UUID, key: str) -> None:
    """Whoever the provider found by the offer's address is the party of the offer: what it gives, it gives to them."""
    if not key:
        return
    identifier = Identifier(str(provider_id), key)
    known = call.tx.parties.keys_of([party.id], provider_id)[party.id] != str(party.id)
    if not known and not call.tx.parties.known([identifier]):
        call.tx.parties.add([], [(identifier, party.id)])


def answered_no(call: Call, offer: Offer, reason: str) -> OfferSight:
    """Decline an offer, for whoever has shown that it is theirs."""
    _not_over(call, offer)
    offer = close(call, offer, OfferMove.DECLINE, reason)
    title = f"{offer.name} has declined the offer of access to {_places(call, offer)}"
    _tell_holder(call, offer, "declined", title, reason)
    return sight(call, offer)


def left(call: Call, offer: Offer) -> OfferSight:
    """Leave an offer for later, for whoever has shown that it is theirs."""
    _not_over(call, offer)
    offer = offer.moved(OfferMove.LEAVE, call.now)
    call.tx.offers.save(offer)
    call.log("offer.left", "offer", offer.id, by=offer.name)
    return sight(call, offer)


def _not_over(call: Call, offer: Offer) -> None:
    if offer.state is OfferState.WAITING and offer.lapses_at <= call.now:
        day = day_in(offer.lapses_at, call.tx.workspace.zone)
        raise Conflict(
            f"This offer lapsed on {day}. Nothing was changed.",
            next_step="Ask whoever made it for a new one.",
            offer=offer.ref,
        )


def _still_possible(call: Call, offer: Offer, part: Part, party: Party, provider: Provider, findings: Findings) -> None:
    account = call.tx.accounts.get(part.account_id)
    if part.ends_at is not None and part.ends_at <= call.now:
        raise Conflict(
            f"What was offered on {account.name} has ended already. Nothing was changed.",
            next_step="Ask for a new offer.",
        )
    who = Taken(str(party.id), offer.name, not call.tx.workspace.circle.holds(party))
    over = choices.passed(call, account, provider, who, part, offer.starts_at)
    if over:
        raise Conflict(
            f"{over[0].text} Nothing was changed; the offer is still open.",
            next_step="Whoever made the offer has to see to it first.",
            offer=offer.ref,
        )
    finding = findings.get((provider.id, part.key))
    if finding is not None and finding.found.hindrances:
        first = finding.found.hindrances[0]
        raise Conflict(
            f"{provider.name} cannot let you in yet. {first.text} Nothing was changed; the offer is still open.",
            next_step="Do that first, then come back to this offer.",
            hindrance=first.kind,
        )


# What both share


def close(call: Call, offer: Offer, how: OfferMove, reason: str = "") -> Offer:
    """Bring an offer to an end that is not taken up, with its entries and its link."""
    offer = offer.moved(how, call.now)
    call.tx.offers.save(offer)
    call.tx.links.withdraw(offer.id, call.now)
    _end_entries(call, offer, why_ended(offer.state))
    call.log(f"offer.{offer.state}", "offer", offer.id, reason=reason)
    return offer


def sight(call: Call, offer: Offer) -> OfferSight:
    """Return an offer with what it is about."""
    accounts = call.tx.accounts.some({part.account_id for part in offer.parts})
    providers = {
        provider_id: call.tx.providers.get(provider_id)
        for provider_id in {account.provider_id for account in accounts.values()}
    }
    given = {order.id: order for order in call.tx.orders.some([part.order_id for part in offer.parts if part.order_id])}
    parts = tuple(
        (
            part,
            accounts[part.account_id],
            providers[accounts[part.account_id].provider_id],
            given.get(part.order_id) if part.order_id else None,
        )
        for part in offer.parts
    )
    return OfferSight(offer, call.tx.parties.some([offer.party_id])[offer.party_id], parts)


def _agreed(call: Call, wish: OfferWish, findings: Findings, digest: str, but: Offer | None = None) -> Terms:
    """The terms of a wish, held so that nobody passes the same limit meanwhile; refuses others than were shown."""
    wish = completed(call, wish)
    call.tx.facts.take_turns()
    call.tx.accounts.lock(call.tx.accounts.find(part.account).id for part in wish.parts)
    the_terms = terms(call, wish, findings, but=but.id if but else None)
    stopped = refused(the_terms)
    if stopped is not None:
        raise stopped
    if the_terms.digest != digest:
        raise Changed(
            "What would be offered is not what was shown any more. Nothing was offered.",
            next_step="Look at it again, then decide.",
            sentences=list(the_terms.sentences),
        )
    return the_terms


def _met(call: Call, the_terms: Terms) -> Party:
    """The party that an offer is to, known from then on if it was not."""
    if the_terms.party is not None:
        return the_terms.party
    party = Party(call.services.new_id(), PartyKind.PERSON, the_terms.name, (the_terms.address,), PartyStatus.UNKNOWN)
    call.tx.parties.add([party], [(Identifier("address", the_terms.address), party.id)])
    return party


def _shown(call: Call, offer: Offer, the_terms: Terms, party: Party) -> Offer:
    """Have each part of an offer in the inventory, as an entry that is offered."""
    parts, entries = [], []
    for part_sight in the_terms.parts:
        part = part_sight.part
        entry = Entry(
            id=call.services.new_id(),
            provider_id=part_sight.provider.id,
            account_id=part_sight.account.id,
            party_id=party.id,
            key=f"{OFFERED}{part.id}",
            kind=Kind.OFFER,
            level=part.level,
            powers=part.powers,
            state=State.OFFERED,
            permissions=part.permissions,
            stated=part.powers,
            resources=part.resources,
            given_at=call.now,
            given_by=offer.made_by.name,
            given_by_id=offer.made_by.id,
            ends_at=part.ends_at,
            hours=part.hours,
            basis=offer.basis,
            first_seen=call.now,
            last_seen=call.now,
            by_hand=True,
            vouched_at=call.now,
            vouched_by=offer.made_by.name,
        )
        entries.append(entry)
        parts.append(replace(part, entry_id=entry.id))
    call.tx.entries.add(entries)
    events = [
        call.event(
            "entry.offered", "entry", entry.id, level=entry.level, powers=list(entry.powers), offer=str(offer.id)
        )
        for entry in entries
    ]
    call.log_all(events)
    flags.evaluate(
        call, [entry.id for entry in entries], {entry.account_id for entry in entries}, [party.id], [party.id]
    )
    return replace(offer, parts=tuple(parts))


def _end_entries(call: Call, offer: Offer, why: EndReason) -> None:
    ended = []
    for entry in call.tx.entries.some([part.entry_id for part in offer.parts if part.entry_id], lock=True).values():
        if entry.stands:
            after = entry.ended(why, call.now)
            ended.append(after)
            call.log("entry.ended", "entry", entry.id, reason=str(why), offer=str(offer.id))
    call.tx.entries.save_all(ended)
    flags.evaluate(call, ended)


def _waiting(call: Call, text: str, version: int | None = None) -> Offer:
    offer = call.tx.offers.find(text, lock=True)
    if version is not None and offer.version != version:
        raise Changed(
            f"Offer {offer.ref} has changed since you looked at it. Nothing was changed by this.",
            next_step="Look at it again, then decide.",
            offer=offer.ref,
        )
    if offer.state is not OfferState.WAITING:
        raise Conflict(
            f"This offer {said_of(offer.state)}. Nothing was changed.",
            next_step="Make a new offer, if it is still wanted.",
            offer=offer.ref,
        )
    return offer


def _send(call: Call, offer: Offer) -> None:
    """Send the link of an offer to its address; former ones are good for nothing any more."""
    path = links.make(call, PURPOSE, offer.id, offer.address, offer.lapses_at - call.now)
    day = day_in(offer.lapses_at, call.tx.workspace.zone)
    title = f"{offer.made_by} offers you access to {_places(call, offer)}"
    text = f"What it is for: {offer.basis}\n" if offer.basis else ""
    if offer.request_id is not None:
        request = call.tx.requests.find(str(offer.request_id))
        title = f"{offer.made_by} answers your request for access to {request.account} with an offer"
        text += _answered(call, offer, request)
    text += (
        f"Open this link to see exactly what is offered, and to accept or decline it. It is valid until {day}. "
        "Nothing is given unless you accept; if you did not expect this letter, ignore it."
    )
    key = f"offer:{offer.id}:{offer.version}"
    notices.tell_address(call, offer.address, offer.name, Notice(key, title, text, path))


def _answered(call: Call, offer: Offer, request: Request) -> str:
    """What whoever asked is told of how an offer answers that: what is less, and why."""
    less = compared(call, request, offer.parts, offer.starts_at).less_than("you")
    why = f"Why: {request.answer}" if less and request.answer else ""
    asked = f"You asked for this on {day_in(request.asked_at, call.tx.workspace.zone)}."
    return "".join(f"{line}\n" for line in (asked, less, why) if line)


def _tell(call: Call, offer: Offer, what: str, title: str, text: str = "") -> None:
    news = Notice(f"offer:{offer.id}:{offer.version}:{what}", title, text)
    notices.tell_address(call, offer.address, offer.name, news)


def _tell_holder(call: Call, offer: Offer, what: str, title: str, text: str = "") -> None:
    """Tell whoever made an offer, or else whoever looks after the workspace."""
    news = Notice(f"offer:{offer.id}:{what}", title, text, f"/offers?offer={offer.ref}")
    notices.tell(call, notices.manager(call, offer.made_by.id), news)


def tell_lapsed(call: Call, offer: Offer) -> None:
    """Tell both sides of an offer that nobody answered in time."""
    places = _places(call, offer)
    _tell(call, offer, "lapsed", f"The offer of access to {places} has lapsed")
    _tell_holder(
        call, offer, f"lapsed:{offer.version}", f"{offer.name} has not answered the offer of access to {places} in time"
    )


def _places(call: Call, offer: Offer) -> str:
    names = list(call.tx.accounts.names({part.account_id for part in offer.parts}).values())
    *first, last = sorted(names)
    return f"{', '.join(first)} and {last}" if first else last


def _facts(offer: Offer) -> dict[str, object]:
    return {
        "to": offer.address,
        "confirmed": list(offer.confirmed),
        "basis": offer.basis,
        "lapses": offer.lapses_at.isoformat(),
    }
