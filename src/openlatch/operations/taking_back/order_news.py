"""What becomes of orders is told to whom it concerns: both sides, and nobody else."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from openlatch.core.hours import last_day
from openlatch.core.model import Entry, Party
from openlatch.core.orders.acts import ACTS, Happened
from openlatch.core.orders.orders import Order
from openlatch.core.orders.steps import held_before
from openlatch.core.telling.notices import Notice
from openlatch.operations.call import Call
from openlatch.operations.orders import orders
from openlatch.operations.orders.orders import OrderSight
from openlatch.operations.telling import notices
from openlatch.operations.telling.alerts import administrators_added
from openlatch.words import Action, Kind, PartyKind, Power

__all__ = ["proved", "stuck"]


def proved(call: Call, done: Sequence[OrderSight]) -> None:
    """Tell the parties what orders have changed for them, and the holder what a party gave up."""
    told: list[tuple[Party, Notice]] = []
    for sight in done:
        if sight.entry is not None and sight.account is not None:
            told += _proved(call, sight, sight.entry, f"{sight.account.name} at {sight.provider}")
        elif sight.team is not None and sight.party.kind is PartyKind.PERSON:
            now = "are in" if sight.order.action == Action.ADD_MEMBER else "are no longer in"
            title = f"You {now} the team {sight.team.name} at {sight.provider}"
            told.append((sight.party, Notice(f"order:{sight.order.id}", title)))
    notices.tell_parties(call, told)


def _proved(call: Call, sight: OrderSight, entry: Entry, where: str) -> Iterator[tuple[Party, Notice]]:
    """Tell the holder what an order has changed; yields what parties are to be told of it."""
    order, action = sight.order, Action(sight.order.action)
    happened = _happened(call, sight, entry, where)
    if title := ACTS[action].holder(happened):
        notices.tell(call, notices.managers(call), Notice(f"order:{order.id}", title, "", f"/orders?order={order.ref}"))
    if action is Action.HAND_OVER:
        key = next(step.entry for step in order.steps if step.change is not None and step.change.wider)
        for owning in call.tx.entries.standing(entry.provider_id, [key]):
            to = call.tx.entries.find(str(owning.id))
            yield to.party, Notice(f"order:{order.id}:to", f"You own {where} now")
    if action is Action.EXTEND and _administers_now(order, entry):
        administrators_added(call, [entry])
    title = ACTS[action].party(happened)
    if title and sight.party.kind is PartyKind.PERSON and entry.kind not in (Kind.SESSION, Kind.SECRET):
        yield sight.party, Notice(f"order:{order.id}", title)


def _administers_now(order: Order, entry: Entry) -> bool:
    """Whether an order made someone an administrator who was none; what they had is kept with its steps."""
    before = held_before(order.steps, entry.key)
    if before is None or Power.ADMIT not in entry.powers:
        return False
    return before.level != entry.level if before.powers is None else Power.ADMIT not in before.powers


def _happened(call: Call, sight: OrderSight, entry: Entry, where: str) -> Happened:
    day = last_day(entry.ends_at, call.tx.workspace.zone) if entry.ends_at else ""
    offered = entry.kind is Kind.OFFER and sight.order.action != Action.LET_IN
    return Happened(sight.party.name, where, entry.level, day, offered)


def stuck(call: Call, order: Order, why: str) -> None:
    """Tell whoever ordered something, or else whoever looks after the workspace, that it needs a person."""
    about = orders.sight(call, order).about
    title = f"An order needs your attention: {order.action}, {about}"
    key = f"order:{order.id}:stuck:{order.version}"
    news = Notice(key, title, why, f"/orders?order={order.ref}")
    notices.tell(call, notices.manager(call, order.ordered_by.id), news)
