"""Carrying orders out, as the worker does it: what comes next, and what became of it.

The worker calls `begin`, speaks to the provider outside any transaction, and reports with one of `told`, `postponed`,
`stuck` and `looked`. Each report is one transaction, and a worker that dies between two of them leaves an order that
the next one takes up: every call to a provider carries a key of its own, under which it has its effect once.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from openlatch.core.model import EndReason, Entry, Kind, Provider, State
from openlatch.core.observation import Observation
from openlatch.core.orders import Move, Order, OrderState, again_after
from openlatch.core.plans import Action, Step, why_ended
from openlatch.core.ports import Answer, Connector
from openlatch.core.proof import verify
from openlatch.errors import ProviderDown, ProviderTrouble
from openlatch.operations import consent, flags, readings, telling
from openlatch.operations.advice import known_levels
from openlatch.operations.gate import Call
from openlatch.operations.orders import queue
from openlatch.operations.receipts import signed

__all__ = ["Work", "begin", "looked", "postponed", "stuck", "told"]

DEADLINE = timedelta(days=14)
"""So long an order waits for a person to do what only a person can."""
LONGEST_BREAK = 600
"""Seconds for which a provider that asks for it is left in peace."""


@dataclass(frozen=True, slots=True)
class Work:
    """The step of an order that comes next, and what the worker needs for it."""

    order: Order
    place: int
    step: Step
    connector: Connector

    @property
    def idempotency_key(self) -> str:
        return f"{self.order.idempotency_key}.{self.place}"


def begin(call: Call, order_id: UUID) -> Work | None:
    """Take an order up where it stands; None if nothing is to be done now, which a job that is repeated finds."""
    order = call.tx.orders.find(str(order_id), lock=True)
    if order.state not in (OrderState.RUNNING, OrderState.TOLD, OrderState.WAITING):
        return None
    if order.state is OrderState.WAITING and order.again_at is not None and order.again_at > call.now:
        _seen_meanwhile(call, order)
        return None
    entry = call.tx.entries.find(str(order.entry_id)).entry
    provider = call.tx.providers.get(entry.provider_id)
    while (step := order.steps[order.place]).call == "wait" and (step.until is None or step.until <= call.now):
        order = _went_on(call, order, "the day came")
    if step.call == "wait" and step.until is not None:
        _wait(call, order, step.text, step.until)
    elif step.call == "consent" and order.state is OrderState.WAITING:
        _stick(call, order, f"Nobody has agreed in time: {step.text}")
    elif step.call == "consent":
        trouble = consent.ask(call, order)
        if trouble:
            _stick(call, order, trouble)
        else:
            _wait(call, order, step.text, call.now + consent.LASTS)
    elif step.call == "ask" and order.state is OrderState.WAITING:
        _stick(call, order, f"Nobody has said so far that this is done: {step.text}")
    elif step.call == "ask":
        _wait(call, order, step.text, call.now + DEADLINE)
    elif step.call == "receipt":
        _prove(call, order, entry, provider, None)
    else:
        return _work(call, order, step, provider)
    return None


def _work(call: Call, order: Order, step: Step, provider: Provider) -> Work | None:
    down_until = call.tx.providers.down_until(provider.id)
    if down_until is not None and down_until > call.now:
        _put_off(call, order, f"{provider.name} is not asked at the moment: it did not answer.", down_until)
        return None
    if order.state is OrderState.WAITING:
        order = order.moved(Move.RESUME)
        call.tx.orders.save(order)
    return Work(order, order.place, step, call.connect(provider))


def _seen_meanwhile(call: Call, order: Order) -> None:
    """What somebody was asked to end has ended meanwhile: then nobody has to say so."""
    step = order.steps[order.place]
    entry = call.tx.entries.find(str(order.entry_id)).entry
    if step.call == "ask" and not entry.stands and step.change is None:
        order = replace(order, steps=order.step_done(order.place, call.now, "it has ended meanwhile"))
        order = order.moved(Move.RESUME, why="", again_at=None)
        call.tx.orders.save(order)
        queue(call, order)


def told(call: Call, order_id: UUID, place: int, answer: Answer) -> None:
    """The provider said yes to a step; what counts is what it shows from now on."""
    order = call.tx.orders.find(str(order_id), lock=True)
    if order.state is not OrderState.RUNNING or order.place != place:
        return
    step = order.steps[place]
    order = replace(order, steps=order.step_done(place, call.now, answer.said), attempts=0, why="")
    if order.steps[order.place].call == "read":
        order = order.moved(Move.TELL)
    else:
        order = replace(order, version=order.version + 1)
    call.tx.orders.save(order)
    if step.call == "end":
        _ending(call, order, step)
    call.log("order.told", "order", order.id, step=place + 1, said=answer.said, already=answer.already)


def _ending(call: Call, order: Order, step: Step) -> None:
    """Mark what the provider was asked to end, so that its end is known for what it is."""
    provider_id = call.tx.entries.find(str(order.entry_id)).entry.provider_id
    for one in call.tx.entries.standing(provider_id, [step.entry]):
        entry = call.tx.entries.lock(one.id)
        if entry.stands and entry.state is not State.ENDING:
            call.tx.entries.save(replace(entry, state=State.ENDING, version=entry.version + 1))


def postponed(call: Call, order_id: UUID, error: ProviderDown) -> None:
    """The provider did not answer: leave it in peace for a while, and try again; after many times ask a person."""
    order = call.tx.orders.find(str(order_id), lock=True)
    entry = call.tx.entries.find(str(order.entry_id)).entry
    asked_for = min(error.fields.get("retry_after") or 0, LONGEST_BREAK)
    wait = max(again_after(order.attempts + 1) or timedelta(), timedelta(seconds=asked_for))
    if wait:
        call.tx.providers.down(entry.provider_id, call.now + wait)
    _again(call, order, error.message, asked_for)


def stuck(call: Call, order_id: UUID, error: ProviderTrouble) -> None:
    """The provider will not: a person has to look at it."""
    order = call.tx.orders.find(str(order_id), lock=True)
    if order.state in (OrderState.RUNNING, OrderState.TOLD):
        _stick(call, order, str(error))


def looked(call: Call, order_id: UUID, place: int, observation: Observation) -> bool:
    """A fresh reading of a party is there; returns whether the order goes on at once.

    What is not yet as it was meant to be is looked at again later.
    """
    order = call.tx.orders.find(str(order_id), lock=True)
    if order.state not in (OrderState.RUNNING, OrderState.TOLD) or order.place != place:
        return False
    call.tx.facts.take_turns()
    # The provider before the entry, as a reading does it: two that lock in another order wait for each other.
    provider = call.tx.providers.get(call.tx.entries.find(str(order.entry_id)).entry.provider_id)
    call.tx.providers.lock(provider.id)
    entry = call.tx.entries.lock(order.entry_id)
    step = order.steps[place]
    verdict = verify(observation, order.steps[:place], step.party)
    if not verdict.reached:
        who = "It was said to be done" if order.steps[place - 1].call == "ask" else "The provider said yes"
        _again(call, order, f"{who}, but {verdict.evidence}.", 0)
        return False
    evidence = f"order {order.ref}"
    changes = readings.apply(call, provider.id, observation, evidence=evidence, subject=step.party)
    readings.evaluate(call, changes)
    order = replace(order, steps=order.step_done(place, call.now, verdict.evidence), attempts=0, why="")
    if order.steps[order.place].call == "receipt":
        _prove(call, order, entry, provider, verdict.evidence)
        return False
    _went_on_after(call, order)
    return True


def _went_on(call: Call, order: Order, said: str) -> Order:
    order = replace(order, steps=order.step_done(order.place, call.now, said))
    return _went_on_after(call, order)


def _went_on_after(call: Call, order: Order) -> Order:
    """Keep that a step is done, and that the next one can begin."""
    if order.state is OrderState.RUNNING:
        order = replace(order, why="", again_at=None, version=order.version + 1)
    else:
        order = order.moved(Move.RESUME, why="", again_at=None)
    call.tx.orders.save(order)
    return order


def _prove(call: Call, order: Order, entry: Entry, provider: Provider, shown: str | None) -> None:
    """Write the receipt: by what a fresh reading showed, or where none can see it, by what somebody said."""
    if shown is None:
        shown = next(step.said for step in reversed(order.steps) if step.said)
        shown += "; no reading can see it"
        _take_at_their_word(call, order, entry)
    told_at = next((step.at for step in order.steps if step.call in ("end", "change", "give", "ask")), None)
    listed = call.tx.entries.find(str(entry.id))
    receipt: dict[str, Any] = {
        "order": order.ref,
        "did": order.action,
        "entry": entry.ref,
        "party": listed.party.name,
        "account": listed.account.name,
        "provider": provider.name,
        "ordered_by": order.ordered_by,
        "told_at": told_at.isoformat() if told_at else None,
        "read_at": call.now.isoformat(),
        "showed": shown,
    }
    receipt["signed"] = signed(call, receipt)
    steps = order.step_done(order.place, call.now, "signed, and in the log")
    proved = order.moved(Move.PROVE, steps=steps, receipt=receipt, finished_at=call.now, why="", again_at=None)
    call.tx.orders.save(proved)
    call.log("order.proved", "order", order.id, receipt=receipt)
    telling.proved(call, proved, listed)


def _take_at_their_word(call: Call, order: Order, entry: Entry) -> None:
    """What no reading can see is as somebody says that it is."""
    call.tx.facts.take_turns()
    done = next(step for step in order.steps if step.call == "ask")
    if order.action == Action.CHANGE_SECRET:
        told = [one for one in call.tx.entries.on([entry.account_id]) if one.kind is Kind.SECRET]
        gone = [one for one in told if one.stands and one.level == entry.level]
        _end_by_word(call, gone, EndReason.REVOKED, done.said)
    elif done.change is not None:
        entry = call.tx.entries.lock(entry.id)
        change = done.change
        after = replace(
            entry,
            level=change.level or entry.level,
            resources=entry.resources if change.resources is None else change.resources,
            version=entry.version + 1,
        )
        levels = known_levels(call, call.tx.providers.get(entry.provider_id))
        call.tx.entries.save(replace(after, powers=levels.get(after.level, entry.powers)))
        call.log("entry.changed", "entry", entry.id, said=done.said, level=after.level, resources=list(after.resources))
        flags.evaluate(call, [entry.id])
    elif entry.stands:
        _end_by_word(call, [entry], why_ended(Action(order.action), entry.kind), done.said)


def _end_by_word(call: Call, gone: list[Entry], why: EndReason, said: str) -> None:
    ended = []
    for one in gone:
        entry = call.tx.entries.lock(one.id)
        ended.append(replace(entry, state=State.ENDED, end_reason=why, ended_at=call.now, version=entry.version + 1))
        call.tx.entries.save(ended[-1])
        call.log("entry.ended", "entry", entry.id, reason=str(why), said=said)
    flags.evaluate(call, ended)


def _again(call: Call, order: Order, why: str, retry_after: int) -> None:
    if order.state not in (OrderState.RUNNING, OrderState.TOLD):
        return
    attempts = order.attempts + 1
    delay = again_after(attempts)
    if delay is None:
        _stick(call, replace(order, attempts=attempts), f"{why} Tried {attempts} times.")
        return
    again_at = call.now + max(delay, timedelta(seconds=retry_after))
    _put_off(call, replace(order, attempts=attempts), why, again_at)


def _put_off(call: Call, order: Order, why: str, again_at: datetime) -> None:
    if order.state is OrderState.RUNNING:
        order = order.moved(Move.WAIT, why=why, again_at=again_at)
    else:
        order = replace(order, why=why, again_at=again_at, version=order.version + 1)
    call.tx.orders.save(order)
    call.log("order.waits", "order", order.id, why=why, attempts=order.attempts, again_at=again_at.isoformat())
    queue(call, order)


def _wait(call: Call, order: Order, why: str, until: datetime) -> None:
    """Wait for a day, or for a person; a job takes the order up when the time is over."""
    if order.state is not OrderState.WAITING:
        _put_off(call, order, why, until)
    elif order.again_at != until:
        call.tx.orders.save(replace(order, why=why, again_at=until, version=order.version + 1))
        queue(call, replace(order, again_at=until))


def _stick(call: Call, order: Order, why: str) -> None:
    order = order.moved(Move.STICK, why=why, again_at=None)
    call.tx.orders.save(order)
    telling.stuck(call, order, why)
    call.log("order.stuck", "order", order.id, why=why)
