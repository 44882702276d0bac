"""Requests: access that a party, or someone from outside, asks for; and what the holder answers."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta
from uuid import UUID

from openlatch.core.hours import end_of, last_day
from openlatch.core.letting_in.offers import Offer
from openlatch.core.letting_in.requests import Request, RequestMove
from openlatch.core.model import normal_address
from openlatch.core.powers import in_order
from openlatch.core.telling.notices import Notice
from openlatch.errors import Conflict, Invalid, NotAllowed, NotFound, TooManyRequests
from openlatch.operations.call import Call, operation
from openlatch.operations.inventory.entries import words
from openlatch.operations.people.doors import readable_address
from openlatch.operations.telling import links, notices
from openlatch.store.pages import Page
from openlatch.wire.letting_in.requests import RequestWish
from openlatch.words import RequestState, Role

__all__ = [
    "PURPOSE",
    "answered_by_offer",
    "ask",
    "ask_from_outside",
    "browse",
    "check_from_outside",
    "confirm",
    "lapse",
    "mine",
    "show",
    "turn_down",
    "withdraw",
]

PURPOSE = "request"
LASTS = timedelta(days=30)
CONFIRMED_WITHIN = timedelta(days=2)
MOST_OPEN = 10
LAST_ZONE = "Etc/GMT+12"
"""where a day is over last"""
MOST_UNSURE = 60
"""So many requests from outside are taken in an hour before anyone has said that they were theirs."""


@operation("requests.ask")
def ask(call: Call, wish: RequestWish) -> Request:
    """Ask for access to an account; it reaches whoever looks after the workspace."""
    person = call.actor.person
    assert person is not None  # noqa: S101 - the gate has seen to that
    request = _asked(call, normal_address(person.address), person.name, wish, RequestState.WAITING)
    _tell_holder(call, request)
    return request


def check_from_outside(wish: RequestWish, address: str, now: datetime) -> None:
    """Refuse (Invalid) what is wrong in what someone from outside asks for, wherever they ask for it."""
    readable_address(address, "address")
    _end_of_checked(wish, LAST_ZONE, now)


def ask_from_outside(call: Call, address: str, name: str, wish: RequestWish) -> None:
    """Take a request from someone who does not sign in here: it counts once whoever has the address says so.

    Tells nobody whether the account, or the address, is known.
    """
    if call.tx.requests.asked_since(call.now - timedelta(hours=1)) >= MOST_UNSURE:
        raise TooManyRequests(
            "Very many have asked for something within the last hour. Nothing was recorded.",
            next_step="Try again in an hour, or write to someone there.",
            retry_after=3600,
        )
    normal, _ = readable_address(address, "address")
    request = _asked(call, normal, name.strip(), wish, RequestState.UNCONFIRMED)
    path = links.make(call, PURPOSE, request.id, normal, CONFIRMED_WITHIN)
    # Nothing of what a stranger typed goes to an address that may be anyone's.
    title = f"Did you ask {call.tx.workspace.name} for access?"
    text = "If it was you, confirm it with this link within two days. If not, do nothing: it is then discarded."
    notices.tell_address(call, normal, "", Notice(f"request:{request.id}", title, text, path))


def confirm(call: Call, request: Request, *, it_was: bool) -> Request:
    """Whoever has the address of a request from outside says whether they made it."""
    how = RequestMove.CONFIRM if it_was else RequestMove.WITHDRAW
    request = request.moved(how, lapses_at=call.now + LASTS)
    call.tx.requests.save(request)
    call.log(f"request.{'confirmed' if it_was else 'withdrawn'}", "request", request.id, by=request.name)
    if it_was:
        _tell_holder(call, request)
    return request


@operation("requests.browse")
def browse(call: Call, state: str, limit: int, cursor: str | None) -> Page[Request]:
    """Requests, the latest first; what nobody has said yet to have asked has not reached anyone, unless named."""
    reached = tuple(state for state in RequestState if state is not RequestState.UNCONFIRMED)
    page = call.tx.requests.browse(words(RequestState, state, "state") or reached, limit, cursor)
    return replace(page, items=tuple(_with_account(call, item) for item in page.items))


@operation("requests.show")
def show(call: Call, text: str) -> Request:
    """One request, by id or short form; a member sees their own."""
    request = call.tx.requests.find(text)
    person = call.actor.person
    if person is not None and person.role is Role.MEMBER:
        return _own(call, request)
    return _with_account(call, request)


@operation("requests.mine")
def mine(call: Call) -> tuple[Request, ...]:
    """What whoever acts has asked for, the latest first."""
    address = normal_address(call.actor.person.address) if call.actor.person else ""
    return call.tx.requests.browse((), 100, None, address).items


@operation("requests.turn_down")
def turn_down(call: Call, text: str, reason: str) -> Request:
    """Turn a request down; whoever asked is told why."""
    if not reason.strip():
        raise Invalid(
            "Whoever asked is to know why. Nothing was changed.",
            next_step="Write it in a sentence.",
            errors=[{"at": "reason", "problem": "missing"}],
        )
    request = call.tx.requests.find(text, lock=True).moved(
        RequestMove.TURN_DOWN, answer=reason.strip(), answered_by=call.actor.name, answered_at=call.now
    )
    call.tx.requests.save(request)
    call.log("request.turned-down", "request", request.id, reason=request.answer)
    _tell_asker(call, request, f"{call.actor.name} has declined what you asked for on {request.account}", reason)
    return request


@operation("requests.withdraw")
def withdraw(call: Call, text: str) -> Request:
    """Take back what one has asked for oneself."""
    request = _own(call, call.tx.requests.find(text, lock=True)).moved(RequestMove.WITHDRAW, answered_at=call.now)
    call.tx.requests.save(request)
    call.log("request.withdrawn", "request", request.id, by=request.name)
    title = f"{request.name} has withdrawn the request for access to {request.account}"
    notices.tell(call, notices.managers(call), Notice(f"request:{request.id}:withdrawn", title))
    return request


def answered_by_offer(call: Call, offer: Offer, answer: str) -> None:
    """Keep that a request was answered by an offer, and what is said to it; the offer itself tells whoever asked."""
    if offer.request_id is None:
        return
    request = call.tx.requests.find(str(offer.request_id), lock=True)
    if request.state is RequestState.OFFERED:
        said = answer.strip() or request.answer
        call.tx.requests.save(replace(request, offer_id=offer.id, answer=said, version=request.version + 1))
        return
    request = request.moved(
        RequestMove.OFFER,
        answered_by=call.actor.name,
        answered_at=call.now,
        offer_id=offer.id,
        answer=answer.strip(),
        account_id=offer.parts[0].account_id,
    )
    call.tx.requests.save(request)
    call.log("request.offered", "request", request.id, offer=str(offer.id))


def lapse(call: Call) -> int:
    """Have requests lapse that nobody answered in time; returns how many."""
    late = call.tx.requests.lapsed(call.now)
    for each_request in late:
        request = each_request.moved(RequestMove.LAPSE)
        call.tx.requests.save(request)
        call.tx.links.withdraw(request.id, call.now)
        call.log("request.lapsed", "request", request.id)
        if each_request.state is RequestState.WAITING:
            _tell_asker(call, request, f"Nobody has answered what you asked for on {request.account}", "It has lapsed.")
    return len(late)


def _asked(call: Call, address: str, name: str, wish: RequestWish, state: RequestState) -> Request:
    needs = in_order(wish.needs)
    ends_at = _end_of_checked(wish, call.tx.workspace.zone, call.now)
    if call.tx.requests.open_of(address) >= MOST_OPEN:
        raise Conflict(
            f"{MOST_OPEN} requests of {address} wait for an answer. Nothing was recorded.",
            next_step="Withdraw one that is not needed any more.",
        )
    account_id = _account_called(call, wish.account)
    lasts = LASTS if state is RequestState.WAITING else CONFIRMED_WITHIN
    request = Request(
        id=call.services.new_id(),
        address=address,
        name=name or address,
        account=_called(call, wish.account.strip(), account_id if state is RequestState.WAITING else None),
        account_id=account_id,
        needs=needs,
        level=wish.level.strip(),
        reason=wish.reason.strip(),
        ends_at=ends_at,
        asked_at=call.now,
        lapses_at=call.now + lasts,
        state=state,
    )
    call.tx.requests.add(request)
    call.log(
        "request.made",
        "request",
        request.id,
        by=request.name,
        address=address,
        account=request.account,
        needs=list(needs),
        reason=request.reason,
    )
    return request


def _end_of_checked(wish: RequestWish, zone: str, now: datetime) -> datetime | None:
    """Return when what is asked for is to end; raises Invalid for what nobody could answer."""
    if not wish.needs and not wish.level.strip():
        raise _wrong("needs", "it is not said what is asked for", "Name powers, or a level.")
    if not wish.reason.strip():
        raise _wrong("reason", "it is not said what for", "Write it in a sentence: they decide by that.")
    if not wish.account.strip():
        raise _wrong("account", "no account is named", "Name one as you know it.")
    ends_at = end_of(wish.until, zone) if wish.until is not None else None
    if ends_at is not None and ends_at <= now:
        raise _wrong("until", f"{wish.until} is over already", "Give a later last day.")
    return ends_at


def _account_called(call: Call, text: str) -> UUID | None:
    """The account that a request means; None where whoever answers has to know."""
    try:
        return call.tx.accounts.find(text).id
    except (NotFound, Invalid):  # none of that name, or several: which ones there are is not for strangers
        return None


def _called(call: Call, text: str, account_id: UUID | None) -> str:
    """What a request calls its account: for whoever signs in by its name; others are not told what it is called."""
    return call.tx.accounts.get(account_id).name if account_id is not None else text


def _with_account(call: Call, request: Request) -> Request:
    """A request with its account, were it only read from the provider after someone had asked."""
    if request.account_id is not None or request.state is not RequestState.WAITING:
        return request
    return replace(request, account_id=_account_called(call, request.account))


def _wrong(at: str, problem: str, next_step: str) -> Invalid:
    return Invalid(
        f"{problem[:1].upper()}{problem[1:]}. Nothing was asked for.",
        next_step=next_step,
        errors=[{"at": at, "problem": problem}],
    )


def _own(call: Call, request: Request) -> Request:
    person = call.actor.person
    if person is None or normal_address(person.address) != request.address:
        raise NotAllowed(
            f"Request {request.ref} is someone else's. Nothing was changed.",
            next_step="Look at your own: openlatch request list --mine",
            request=request.ref,
        )
    return request


def _tell_holder(call: Call, request: Request) -> None:
    what = request.level or ", ".join(request.needs)
    if request.ends_at is not None:
        what += f" until {last_day(request.ends_at, call.tx.workspace.zone)}"
    title = f"{request.name} asks for access to {request.account}: {what}"
    link = f"/offers?request={request.ref}"
    news = Notice(f"request:{request.id}:made", title, f"They need it for: {request.reason}", link)
    notices.tell(call, notices.managers(call), news)


def _tell_asker(call: Call, request: Request, title: str, text: str) -> None:
    notices.tell_address(call, request.address, request.name, Notice(f"request:{request.id}:answer", title, text))
