"""What is asked of whoever owns an account before it goes to somebody else, by a link in a letter to them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from openlatch.core.model import Party, is_mailbox
from openlatch.core.notices import Notice
from openlatch.core.orders import Move, Order, OrderState
from openlatch.errors import Conflict
from openlatch.operations import links, notices
from openlatch.operations.gate import Call
from openlatch.operations.offers import OfferSight
from openlatch.operations.orders import queue

__all__ = ["LASTS", "Question", "answer", "ask", "look", "reachable_at"]

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


def reachable_at(call: Call, party: Party) -> str:
    """Return the address at which a party is told and asked things; empty if nobody can say that it is theirs.

    It is theirs if their provider has confirmed it, or if it is that of somebody who signs in here.
    """
    known = (one for one in party.addresses if is_mailbox(one))
    return next((one for one in known if party.verified or call.tx.people.by_address(one) is not None), "")


def ask(call: Call, order: Order) -> str:
    """Send whoever owns the account the link; returns why that is not possible, if it is not."""
    listed = call.tx.entries.find(str(order.entry_id))
    address = reachable_at(call, listed.party)
    if not address:
        return f"{listed.party.name} has no address that is confirmed, and cannot be asked."
    path = links.make(call, PURPOSE, order.id, address, LASTS)
    title = f"Do you agree that {listed.account.name} at {listed.provider.name} goes to somebody else?"
    text = f"{order.ordered_by} has ordered it. Nothing happens unless you say so, by this link, within a week."
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
    return Question(
        PURPOSE, call.tx.workspace.name, f"Hand over {listed.account.name}?",
        tuple(one["text"] for one in order.plan["consequences"]), order.ordered_by, found.link.lapses_at, trouble,
    )  # fmt: skip


def answer(call: Call, text: str, *, agrees: bool) -> Question:
    """Answer a link, once: the order goes on, or is called off."""
    link = links.answerable(call, text)
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
