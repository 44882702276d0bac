"""What is asked of whoever owns an account before it goes to someone else, by a link in a letter to them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from openlatch.core.model import Entry, Person
from openlatch.core.orders.orders import Move, Order
from openlatch.core.telling.notices import Notice
from openlatch.errors import Conflict, NotSignedIn
from openlatch.operations.call import Call
from openlatch.operations.letting_in.offers import OfferSight
from openlatch.operations.order_jobs import queue
from openlatch.operations.telling import links, notices
from openlatch.words import OrderState

__all__ = ["LASTS", "Question", "answer", "ask", "look"]

LASTS = timedelta(days=7)
PURPOSE = "hand-over"


@dataclass(frozen=True, slots=True)
class Question:
    """What a link asks, by whom, until when; `trouble` says why it cannot be answered any more.

    `offer` is what is offered, if it is an offer; `needs` then says what whoever answers has to do first.
    """

    purpose: str
    holder: str
    title: str
    text: tuple[str, ...]
    asked_by: str
    lapses_at: datetime
    trouble: str
    offer: OfferSight | None = None
    needs: str = ""


def ask(call: Call, order: Order) -> str:
    """Send whoever owns the account the link; returns why that is not possible, if it is not."""
    listed = call.tx.entries.find(str(order.entry_id))
    address = notices.reachable_at(call, listed.party)
    if not address:
        return f"{listed.party.name} has no address that is confirmed, and cannot be asked."
    path = links.make(call, PURPOSE, order.id, address, LASTS)
    to = receiver(call, order, listed.entry)
    title = f"Do you agree to hand {listed.account.name} at {listed.provider.name} over to {to}?"
    text = f"{order.ordered_by} asks you to. Nothing changes unless you agree with this link, within a week."
    notices.tell_address(
        call, address, listed.party.name, Notice(f"order:{order.id}:{order.version}", title, text, path)
    )
    return ""


def look(call: Call, text: str) -> Question:
    """What a link asks; whoever has it may look."""
    found = links.opened(call, text)
    order = call.tx.orders.find(str(found.link.subject_id))
    listed = call.tx.entries.find(str(order.entry_id))
    trouble = found.trouble or ("" if _waits(order) else f"The order is {order.state}, and asks nothing any more.")
    to = receiver(call, order, listed.entry)
    signs_in = call.tx.people.by_address(found.link.address) is not None
    return Question(
        purpose=PURPOSE,
        holder=call.tx.workspace.name,
        title=f"Hand {listed.account.name} at {listed.provider.name} over to {to}?",
        text=tuple(value["text"] for value in order.plan["consequences"]),
        asked_by=order.ordered_by.name,
        lapses_at=found.link.lapses_at,
        trouble=trouble,
        needs="sign-in" if signs_in else "",
    )


def receiver(call: Call, order: Order, entry: Entry) -> str:
    """Return to whom an account is handed over, by name and address."""
    key = next((step.entry for step in order.steps if step.change is not None and step.change.wider), "")
    entries = call.tx.entries.standing(entry.provider_id, [key])
    party = call.tx.entries.find(str(entries[0].id)).party if entries else None
    if party is None:
        return "someone who has no access to it any more"
    address = next((f" ({address})" for address in party.addresses), "")
    return f"{party.name}{address}"


def answer(call: Call, text: str, visitor: Person | None, *, agrees: bool) -> Question:
    """Answer a link, once: the order goes on, or is cancelled.

    Whoever can sign in here agrees signed in; having the letter is not enough then. Anyone who has it may decline.
    """
    link = links.answerable(call, text)
    owner = call.tx.people.by_address(link.address)
    if agrees and owner is not None and (visitor is None or visitor.id != owner[0].id):
        other = f"You are signed in as {visitor.name}, and this" if visitor is not None else "This"
        raise NotSignedIn(
            f"{other} is for {owner[0].name} to agree to, signed in. Nothing was changed.",
            next_step="Sign in as whoever it was sent to, then open the link again.",
        )
    order = call.tx.orders.find(str(link.subject_id), lock=True)
    if not _waits(order):
        raise Conflict(
            f"The order is {order.state}, and asks nothing any more. Nothing was changed.", next_step="Leave it."
        )
    call.tx.links.used(link.id, "agreed" if agrees else "declined", call.now)
    said = "they agreed, by the link" if agrees else "they declined, by the link"
    order = replace(order, steps=order.step_done(order.place, call.now, said))
    if agrees:
        order = order.moved(Move.RESUME, attempts=0, why="", again_at=None)
        call.tx.orders.save(order)
        queue(call, order)
    else:
        order = order.moved(Move.CANCEL, finished_at=call.now, why=said, again_at=None)
        call.tx.orders.save(order)
    listed = call.tx.entries.find(str(order.entry_id))
    call.log("order.agreed" if agrees else "order.declined", "order", order.id, by=listed.party.name)
    verb = "agreed to" if agrees else "declined"
    title = f"{listed.party.name} has {verb} handing {listed.account.name} over"
    notices.tell(
        call, notices.managers(call), Notice(f"order:{order.id}:answer", title, "", f"/orders?order={order.ref}")
    )
    return look(call, text)


def _waits(order: Order) -> bool:
    return (
        order.state is OrderState.WAITING
        and order.place < len(order.steps)
        and order.steps[order.place].call == "consent"
    )
