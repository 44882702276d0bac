"""What becomes of offers without anyone's doing: what was taken up arrives, some of it ends early, others lapse."""

from __future__ import annotations

from dataclasses import replace

from openlatch.core.hours import day_before
from openlatch.core.letting_in.offers import Offer, OfferMove, Part
from openlatch.core.model import Entry
from openlatch.core.orders.orders import Order
from openlatch.operations.call import Call
from openlatch.operations.letting_in import offers
from openlatch.operations.orders import orders
from openlatch.operations.rules import flags
from openlatch.operations.telling import alerts
from openlatch.words import Action, EndReason, State

__all__ = ["arrived", "closed_by_order", "go_on", "lapse"]


def arrived(call: Call, order: Order, offered: Entry) -> None:
    """What an order gave is there: the entry that is so carries what was agreed, and the offered one has ended."""
    offer = call.tx.offers.of_entry(offered.id, lock=True)
    if offer is None:
        return
    part = next(part for part in offer.parts if part.entry_id == offered.id)
    live = _by_hand(call, offered, part) if not _readable(order) else _seen(call, order, offered)
    if live is None:
        return
    told = replace(
        live,
        basis=offer.basis or live.basis,
        given_by=offer.made_by.name,
        given_by_id=offer.made_by.id,
        accepted_at=offer.answered_at,
        given_at=live.given_at or call.now,
        version=live.version + 1,
    )
    call.tx.entries.save(told)
    there = call.tx.entries.lock(offered.id)
    gone = there.ended(EndReason.REPLACED, call.now)
    call.tx.entries.save(gone)
    call.log("entry.ended", "entry", gone.id, reason=str(EndReason.REPLACED), by=str(live.id))
    parts = tuple(
        replace(each_part, live_id=live.id) if each_part.id == part.id else each_part for each_part in offer.parts
    )
    call.tx.offers.save(replace(offer, parts=parts, version=offer.version + 1))
    flags.evaluate(call, [told, gone])
    gift = next((step.gift for step in order.steps if step.gift is not None), None)
    if part.ends_at is not None and gift is not None and gift.ends_at is None:
        until = day_before(part.ends_at, call.tx.workspace.zone)
        _ordered(call, replace(told, ends_at=None), orders.Wish(Action.END_ON, until=until), offer)
    if offer.replaces is not None and all(part.live_id is not None for part in parts):
        _secret_is_needless(call, offer)
    alerts.administrators_added(call, [told])


def _readable(order: Order) -> bool:
    return any(step.call == "read" for step in order.steps)


def _seen(call: Call, order: Order, offered: Entry) -> Entry | None:
    """The entry by which a reading has just shown what was given."""
    keys = [key for step in order.steps for key in step.found]
    return next(iter(call.tx.entries.standing(offered.provider_id, keys)), None)


def _by_hand(call: Call, offered: Entry, part: Part) -> Entry:
    """An entry kept by hand, where no reading shows any; whoever said that it was done vouches for it."""
    kept = replace(
        offered,
        id=call.services.new_id(),
        key=f"kept:{part.id}",
        kind=part.kind,
        state=State.LIVE,
        given_at=call.now,
        version=1,
    )
    call.tx.entries.add([kept])
    call.log("entry.found", "entry", kept.id, key=kept.key, level=kept.level, powers=list(kept.powers))
    return kept


def _ordered(call: Call, entry: Entry, wish: orders.Wish, offer: Offer) -> None:
    """Order something about an entry, unless an order is in progress on it."""
    if call.tx.orders.open_for(entry.id) is not None:
        return
    made = orders.planned(call, entry, wish).plan
    orders.given(call, orders.drafted(call, made, entry, f"as offered ({offer.ref})", ordered_by=offer.made_by), entry)


def _secret_is_needless(call: Call, offer: Offer) -> None:
    """Have the secret changed that someone was told instead of being let in."""
    entry = call.tx.entries.some([offer.replaces] if offer.replaces else [])
    for each_entry in entry.values():
        if each_entry.stands:
            _ordered(call, each_entry, orders.Wish(Action.CHANGE_SECRET), offer)


def closed_by_order(call: Call, offered: Entry, action: Action) -> None:
    """Withdraw, or decline, the offer that an entry shows, because an order ends it."""
    offer = call.tx.offers.of_entry(offered.id, lock=True)
    if offer is not None and offered.stands:
        offers.close(call, offer, OfferMove.DECLINE if action is Action.GIVE_UP else OfferMove.WITHDRAW, "by an order")


def lapse(call: Call) -> int:
    """Have offers lapse that nobody answered in time, and tell both sides; returns how many."""
    late = call.tx.offers.lapsed(call.now)
    for offer in late:
        closed = offers.close(call, offer, OfferMove.LAPSE)
        offers.tell_lapsed(call, closed)
    return len(late)


def go_on(call: Call) -> int:
    """Narrow what was given with powers that end before the rest does; returns how many orders that made."""
    made = 0
    for offer in call.tx.offers.due(call.now):
        parts = []
        for part in offer.parts:
            stage = part.later[0] if part.later and part.later[0].since <= call.now else None
            entry = call.tx.entries.some([part.live_id]).get(part.live_id) if stage and part.live_id else None
            if stage is not None and entry is not None:
                if entry.stands and entry.level != stage.level:
                    _ordered(call, entry, orders.Wish(Action.NARROW, level=stage.level), offer)
                    made += 1
                parts.append(replace(part, later=part.later[1:]))
            else:
                parts.append(part)
        call.tx.offers.save(replace(offer, parts=tuple(parts), version=offer.version + 1))
    return made
