"""What becomes of orders and of access that ends is told to whom it concerns: both sides, and nobody else."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta

from openlatch.core.hours import last_day
from openlatch.core.model import Entry, Kind, Party, PartyKind
from openlatch.core.notices import Notice
from openlatch.core.orders import Order
from openlatch.core.plans import Action
from openlatch.core.powers import Power
from openlatch.core.steps import held_before
from openlatch.operations import notices, orders
from openlatch.operations.gate import Call
from openlatch.operations.orders import OrderSight
from openlatch.store.entries import Listed

__all__ = ["administrators_added", "ending", "proved", "stuck"]

BEFORE = (timedelta(days=7), timedelta(days=1))
"""So long before access ends, both sides are told."""
MOST = 2000


def proved(call: Call, done: Sequence[OrderSight]) -> None:
    """Tell the parties what orders have changed for them, and the holder what a party gave up."""
    for one in done:
        if one.entry is not None and one.account is not None:
            _proved(call, one, one.entry, f"{one.account.name} at {one.provider}")
        elif one.team is not None and one.party.kind is PartyKind.PERSON:
            now = "are in" if one.order.action == Action.ADD_MEMBER else "are no longer in"
            title = f"You {now} the team {one.team.name} at {one.provider}"
            _tell_party(call, one.party, Notice(f"order:{one.order.id}", title))


def _proved(call: Call, one: OrderSight, entry: Entry, where: str) -> None:
    order, action = one.order, Action(one.order.action)
    if action is Action.GIVE_UP:
        what = "declined the offer of access to" if entry.kind is Kind.OFFER else "given up their access to"
        title = f"{one.party.name} has {what} {where}"
        notices.tell(call, notices.managers(call), Notice(f"order:{order.id}", title, "", f"/orders?order={order.ref}"))
    if action is Action.HAND_OVER:
        key = next(step.entry for step in order.steps if step.change is not None and step.change.wider)
        for owning in call.tx.entries.standing(entry.provider_id, [key]):
            to = call.tx.entries.find(str(owning.id))
            _tell_party(call, to.party, Notice(f"order:{order.id}:to", f"You own {where} now"))
    if action is Action.EXTEND and _administers_now(order, entry):
        administrators_added(call, [entry])
    title = _changed(call, action, entry, where)
    if title and one.party.kind is PartyKind.PERSON and entry.kind not in (Kind.SESSION, Kind.SECRET):
        _tell_party(call, one.party, Notice(f"order:{order.id}", title))


def _administers_now(order: Order, entry: Entry) -> bool:
    """Whether an order made somebody an administrator who was none; what they had is kept with its steps."""
    before = held_before(order.steps, entry.key)
    if before is None or Power.ADMIT not in entry.powers:
        return False
    return before.level != entry.level if before.powers is None else Power.ADMIT not in before.powers


def _changed(call: Call, action: Action, entry: Entry, where: str) -> str:
    if entry.kind is Kind.OFFER and action is not Action.LET_IN:
        withdrawn = f"The offer of access to {where} was withdrawn"
        return {Action.END: withdrawn, Action.GIVE_UP: f"You declined the offer of access to {where}"}.get(action, "")
    day = last_day(entry.ends_at, call.tx.workspace.zone) if entry.ends_at else ""
    return {
        Action.END: f"Your access to {where} has ended",
        Action.GIVE_UP: f"Your access to {where} has ended, as you wished",
        Action.NARROW: f"Your access to {where} covers less now: “{entry.level}”",
        Action.EXTEND: f"Your access to {where} covers more now: “{entry.level}”{f', until {day}' if day else ''}",
        Action.PAUSE: f"Your access to {where} is paused",
        Action.RESUME: f"Your access to {where} is there again",
        Action.END_ON: f"Your access to {where} ends with {day}" if day else f"Your access to {where} has ended",
        Action.LET_IN: f"You have access to {where} now: “{entry.level}”",
        Action.GIVE_BACK: f"Your access to {where} is there again",
        Action.HAND_OVER: f"{where} has gone to somebody else, as you agreed",
    }.get(action, "")


def administrators_added(call: Call, entries: Sequence[Entry]) -> None:
    """Tell all other administrators of accounts on which somebody new can let others in, and the holder."""
    new = [one for one in entries if Power.ADMIT in one.powers and one.kind in (Kind.DELEGATE, Kind.GRANT)]
    if not new:
        return
    on = call.tx.entries.on({one.account_id for one in new})
    already = [one for one in on if Power.ADMIT in one.powers and one.kind in (Kind.DELEGATE, Kind.GRANT)]
    parties = call.tx.parties.some({one.party_id for one in already})
    for listed in call.tx.entries.about([one.id for one in new]).values():
        where = f"{listed.account.name} at {listed.provider.name}"
        title = f"{listed.party.name} can let others in and out of {where} now"
        news = Notice(f"administrator:{listed.entry.id}", title)
        looks = replace(news, link=f"/inventory?entry={listed.entry.ref}")
        notices.tell(call, notices.managers(call), looks)
        others = {one.party_id for one in already if one.account_id == listed.account.id} - {listed.party.id}
        for other in sorted(others):
            address = notices.reachable_at(call, parties[other])
            if address:
                notices.tell_address(call, address, parties[other].name, news)


def stuck(call: Call, order: Order, why: str) -> None:
    """Tell whoever ordered something, or else whoever looks after the workspace, that it needs a person."""
    about = orders.sight(call, order).about
    title = f"An order needs a person: {order.action}, {about}"
    key = f"order:{order.id}:stuck:{order.version}"
    news = Notice(key, title, why, f"/orders?order={order.ref}")
    notices.tell(call, notices.manager(call, order.ordered_by.id), news)


def ending(call: Call) -> int:
    """Tell both sides of access that ends soon, a week and a day before; returns how many pieces of news that made."""
    made = 0
    for before in BEFORE:
        ids = call.tx.entries.ending(call.now, call.now + before, limit=MOST)
        for listed in call.tx.entries.about(ids).values():
            entry = listed.entry
            since = entry.accepted_at or entry.given_at or entry.first_seen
            short = entry.ends_at is not None and since is not None and entry.ends_at - since <= before
            if entry.ends_at is not None and not short and entry.kind in (Kind.DELEGATE, Kind.GRANT, Kind.APP):
                made += _ends(call, listed, before)
    return made


def _ends(call: Call, listed: Listed, before: timedelta) -> int:
    entry = listed.entry
    assert entry.ends_at is not None  # noqa: S101 - it was asked for by its end
    day = last_day(entry.ends_at, call.tx.workspace.zone)
    key = f"ends:{entry.id}:{entry.ends_at:%Y%m%d}:{before.days}"
    where = f"{listed.account.name} at {listed.provider.name}"
    made = _tell_party(call, listed.party, Notice(key, f"Your access to {where} ends with {day}"))
    title = f"{listed.party.name}'s access to {where} ends with {day}"
    news = Notice(key + ":holder", title, f"“{entry.level}”", f"/inventory?entry={entry.ref}")
    return made + notices.tell(call, notices.manager(call, entry.given_by_id), news)


def _tell_party(call: Call, party: Party, notice: Notice) -> int:
    """Only at an address that is confirmed: what concerns one is not told to another."""
    address = notices.reachable_at(call, party)
    return notices.tell_address(call, address, party.name, notice) if address else 0
