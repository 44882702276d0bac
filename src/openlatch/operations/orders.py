"""Taking access back: the plan that is shown, the order that is given, and what the worker reports of it.

The worker calls `begin`, speaks to the provider outside any transaction, and reports with one of `told`,
`postponed`, `stuck` and `concluded`. Each report is one transaction, and a worker that dies between two of them
leaves an order that the next one takes up: provider calls carry the order's idempotency key.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import timedelta
from uuid import UUID

from openlatch.core.model import Account, Entry, Party, Provider, State
from openlatch.core.observation import Observation
from openlatch.core.orders import Action, Done, Move, Order, OrderState, Plan, again_after, plan_end, verify
from openlatch.core.ports import Answer, Connector
from openlatch.errors import Changed, NotAllowed, ProviderDown, ProviderTrouble
from openlatch.operations import flags, readings
from openlatch.operations.entries import own_party, within_sight, words
from openlatch.operations.gate import Call, operation
from openlatch.store.entries import Listed
from openlatch.store.pages import Page

__all__ = [
    "TASK",
    "OrderSight",
    "PlanSight",
    "Work",
    "begin",
    "browse",
    "cancel",
    "concluded",
    "create",
    "give_up",
    "plan",
    "postponed",
    "show",
    "stuck",
    "take_up_forgotten",
    "told",
    "try_again",
]

TASK = "openlatch.carry-out"
FORGOTTEN = timedelta(minutes=20)
"""Longer than any wait that an order sets itself."""


@dataclass(frozen=True, slots=True)
class PlanSight:
    """A plan with what it is about."""

    plan: Plan
    entry: Entry
    party: Party
    account: Account
    provider: Provider


@dataclass(frozen=True, slots=True)
class OrderSight:
    """An order with what it is about; `already` if it was there before this request for it."""

    order: Order
    entry: Entry
    party: Party
    account: Account
    provider: str
    already: bool = False


@dataclass(frozen=True, slots=True)
class Work:
    """What the worker needs to carry an order out; `party_key` is the party's name at the provider."""

    order: Order
    connector: Connector
    entry_key: str
    party_key: str

    @property
    def told(self) -> bool:
        """Whether the provider has said yes already, so that only looking again is left."""
        return self.order.state is OrderState.TOLD


@operation("orders.plan")
def plan(call: Call, text: str, action: Action) -> PlanSight:
    """What ending an entry would do, and how it would be done; changes nothing."""
    if action is Action.GIVE_UP:
        return _plan(call, _own_entry(call, text), action)
    return _plan(call, call.tx.entries.find(text, within_sight(call)).entry, action)


@operation("orders.browse")
def browse(call: Call, state: str, limit: int, cursor: str | None) -> Page[OrderSight]:
    """Orders, the latest first."""
    page = call.tx.orders.browse(states=words(OrderState, state, "state"), limit=limit, cursor=cursor)
    listed = call.tx.entries.about({order.entry_id for order in page.items})
    return Page(tuple(_seen(order, listed[order.entry_id]) for order in page.items), page.next)


@operation("orders.show")
def show(call: Call, text: str) -> OrderSight:
    """One order, by id or short form; a member sees those on their own access."""
    order = call.tx.orders.find(text)
    call.tx.entries.find(str(order.entry_id), within_sight(call))
    return _sight(call, order)


@operation("orders.create")
def create(call: Call, text: str, reason: str, digest: str | None) -> OrderSight:
    """Order the end of an entry. If it is being ended already, that order is returned: there is never a second.

    With `digest`, refuses (Changed) if the plan is no longer the one that was shown.
    """
    return _create(call, call.tx.entries.find(text).entry, reason, digest, Action.END)


@operation("orders.give_up")
def give_up(call: Call, text: str, reason: str, digest: str | None) -> OrderSight:
    """Order the end of one's own access; otherwise like `create`."""
    return _create(call, _own_entry(call, text), reason, digest, Action.GIVE_UP)


def _own_entry(call: Call, text: str) -> Entry:
    """An entry that belongs to whoever acts; anybody else's is refused, and a member cannot even see it."""
    entry = call.tx.entries.find(text, within_sight(call)).entry
    if entry.party_id != own_party(call):
        raise NotAllowed(
            f"Entry {entry.ref} is not your own access. Nothing was changed.",
            next_step="Give up only what is yours; to take somebody else's access back, end it.",
            entry=entry.ref,
        )
    return entry


def _create(call: Call, found: Entry, reason: str, digest: str | None, action: Action) -> OrderSight:
    entry = call.tx.entries.lock(found.id)
    there = call.tx.orders.open_for(entry.id)
    if there is not None:
        return replace(_sight(call, there), already=True)
    planned = _plan(call, entry, action)
    if digest is not None and digest != planned.plan.digest:
        raise Changed(
            f"What ending {planned.party.name}'s access to {planned.account.name} would do has changed since it was "
            "shown. Nothing was ordered.",
            next_step="Look at the plan again, then decide.",
            entry=entry.ref,
        )
    order_id = call.services.new_id()
    drafted = Order(
        id=order_id,
        entry_id=entry.id,
        action=planned.plan.action,
        state=OrderState.DRAFTED,
        plan=planned.plan.as_dict(),
        steps=tuple(Done(step.call, step.text) for step in planned.plan.steps),
        reason=reason,
        ordered_by=call.actor.name,
        ordered_at=call.now,
        idempotency_key=str(order_id),
        entry_state=entry.state,
    )
    order, new = call.tx.orders.open(drafted.moved(Move.CONFIRM))
    if new:
        call.tx.entries.save(replace(entry, state=State.ENDING, version=entry.version + 1))
        call.log("order.given", "order", order.id, entry=str(entry.id), reason=reason, plan=planned.plan.digest)
        call.log("entry.ending", "entry", entry.id, order=str(order.id))
        _queue(call, order)
    return replace(_sight(call, order), already=not new)


@operation("orders.cancel")
def cancel(call: Call, text: str) -> OrderSight:
    """Call an order off; the entry is again what it was."""
    order = call.tx.orders.find(text, lock=True)
    order = order.moved(Move.CANCEL, finished_at=call.now, why="", again_at=None)
    call.tx.orders.save(order)
    entry = call.tx.entries.lock(order.entry_id)
    if entry.stands:
        call.tx.entries.save(replace(entry, state=order.entry_state, version=entry.version + 1))
    call.log("order.cancelled", "order", order.id, entry=str(order.entry_id))
    return _sight(call, order)


@operation("orders.try_again")
def try_again(call: Call, text: str) -> OrderSight:
    """Try an order that is stuck once more."""
    order = call.tx.orders.find(text, lock=True)
    # A new key: under the former one the provider may only repeat its former answer.
    key = f"{order.id}.{order.version}"
    order = order.moved(Move.TRY_AGAIN, attempts=0, why="", again_at=None, idempotency_key=key)
    call.tx.orders.save(order)
    call.log("order.tried-again", "order", order.id, entry=str(order.entry_id))
    _queue(call, order)
    return _sight(call, order)


def begin(call: Call, order_id: UUID) -> Work | None:
    """Take an order up; None if there is nothing to do, which a job that is repeated finds."""
    order = call.tx.orders.find(str(order_id), lock=True)
    if order.state is OrderState.WAITING:
        order = order.moved(Move.RESUME)
        call.tx.orders.save(order)
    if order.state not in (OrderState.RUNNING, OrderState.TOLD):
        return None
    entry = call.tx.entries.find(str(order.entry_id)).entry
    provider = call.tx.providers.get(entry.provider_id)
    party_key = call.tx.parties.key_at(entry.party_id, provider.id)
    return Work(order, call.connect(provider), entry.key, party_key)


def told(call: Call, order_id: UUID, answer: Answer) -> None:
    """The provider said yes; what counts is what it shows from now on."""
    order = call.tx.orders.find(str(order_id), lock=True)
    if order.state is OrderState.RUNNING:
        steps = order.step_done("end", call.now, answer.said)
        call.tx.orders.save(order.moved(Move.TELL, steps=steps, attempts=0, why=""))
        call.log("order.told", "order", order.id, said=answer.said, already=answer.already)


def postponed(call: Call, order_id: UUID, error: ProviderDown) -> None:
    """The provider did not answer: try again later by itself, or after many times hand it to a person."""
    _again(call, call.tx.orders.find(str(order_id), lock=True), error.message, error.fields.get("retry_after"))


def stuck(call: Call, order_id: UUID, error: ProviderTrouble) -> None:
    """The provider will not: a person has to look at it."""
    order = call.tx.orders.find(str(order_id), lock=True)
    if order.state in (OrderState.RUNNING, OrderState.TOLD):
        _stick(call, order, str(error))


def concluded(call: Call, order_id: UUID, party_key: str, observation: Observation) -> None:
    """A fresh reading of the party is there: proved if the entry is gone from it, else it is looked at again."""
    order = call.tx.orders.find(str(order_id), lock=True)
    if order.state not in (OrderState.RUNNING, OrderState.TOLD):
        return
    call.tx.facts.take_turns()
    # The provider before the entry, as a reading does it: two that lock in another order wait for each other.
    call.tx.providers.lock(call.tx.entries.find(str(order.entry_id)).entry.provider_id)
    entry = call.tx.entries.lock(order.entry_id)
    verdict = verify(observation, entry)
    if not verdict.gone:
        _again(call, order, f"The provider said yes, but {verdict.evidence}.", None)
        return
    changes = readings.apply(call, entry.provider_id, observation, evidence=f"order {order.ref}", subject=party_key)
    readings.evaluate(call, changes)
    sight = _sight(call, order)
    ended = next(step.at for step in order.steps if step.call == "end")
    receipt = {
        "order": order.ref,
        "entry": entry.ref,
        "party": sight.party.name,
        "account": sight.account.name,
        "provider": sight.provider,
        "ordered_by": order.ordered_by,
        "told_at": ended.isoformat() if ended else None,
        "read_at": call.now.isoformat(),
        "showed": verdict.evidence,
    }
    seen = order.step_done("read", call.now, verdict.evidence)
    steps = replace(order, steps=seen).step_done("receipt", call.now, "in the log")
    proved = order.moved(Move.PROVE, steps=steps, receipt=receipt, finished_at=call.now, why="", again_at=None)
    call.tx.orders.save(proved)
    call.log("order.proved", "order", order.id, receipt=receipt)
    flags.evaluate(call, [call.tx.entries.find(str(entry.id)).entry])


def take_up_forgotten(call: Call) -> int:
    """Queue again the orders that should have moved long ago, for whatever lost their jobs; returns how many."""
    forgotten = call.tx.orders.unmoved_since(call.now - FORGOTTEN)
    return sum(
        call.tx.enqueue(TASK, lock=f"order:{order.id}", once=f"order:{order.id}", order_id=str(order.id))
        for order in forgotten
    )


def _again(call: Call, order: Order, why: str, retry_after: int | None) -> None:
    if order.state not in (OrderState.RUNNING, OrderState.TOLD):
        return
    attempts = order.attempts + 1
    delay = again_after(attempts)
    if delay is None:
        _stick(call, replace(order, attempts=attempts), f"{why} Tried {attempts} times.")
        return
    again_at = call.now + max(delay, timedelta(seconds=min(retry_after or 0, 600)))
    if order.state is OrderState.RUNNING:
        order = order.moved(Move.WAIT, attempts=attempts, why=why, again_at=again_at)
    else:
        order = replace(order, attempts=attempts, why=why, again_at=again_at, version=order.version + 1)
    call.tx.orders.save(order)
    call.log("order.waits", "order", order.id, why=why, attempts=attempts, again_at=again_at.isoformat())
    _queue(call, order)


def _stick(call: Call, order: Order, why: str) -> None:
    call.tx.orders.save(order.moved(Move.STICK, why=why, again_at=None))
    call.log("order.stuck", "order", order.id, why=why)


def _queue(call: Call, order: Order) -> None:
    call.tx.enqueue(TASK, lock=f"order:{order.id}", at=order.again_at, order_id=str(order.id))


def _plan(call: Call, entry: Entry, action: Action) -> PlanSight:
    tx = call.tx
    party, account = tx.parties.get(entry.party_id), tx.accounts.get(entry.account_id)
    provider = tx.providers.get(entry.provider_id)
    neighbours = tx.entries.neighbours(entry)
    made = plan_end(
        entry,
        party,
        account,
        provider=provider.name,
        abilities=provider.abilities,
        neighbours=neighbours,
        places=tx.accounts.names({n.account_id for n in neighbours}),
        action=action,
    )
    return PlanSight(made, entry, party, account, provider)


def _sight(call: Call, order: Order) -> OrderSight:
    return _seen(order, call.tx.entries.find(str(order.entry_id)))


def _seen(order: Order, listed: Listed) -> OrderSight:
    return OrderSight(order, listed.entry, listed.party, listed.account, listed.provider.name)
