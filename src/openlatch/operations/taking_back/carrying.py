"""Carrying orders out, as the worker does it: what comes next, and what became of it.

The worker calls `begin`, speaks to the provider outside any transaction, and reports with one of `told`, `postponed`,
`stuck` and `looked`. Each report is one transaction, and a worker that dies between two of them leaves an order that
the next one takes up: every call to a provider carries a key of its own, under which it has its effect once.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from openlatch.core.inventory.reconcile import Changes
from openlatch.core.model import Entry, EntryMove, Provider
from openlatch.core.orders.orders import PATIENCE, Move, Order, again_after, look_again
from openlatch.core.orders.plans import why_ended
from openlatch.core.orders.steps import Extent, Step
from openlatch.core.orders.teams import Belonging
from openlatch.core.providers.observation import Observation, merged
from openlatch.core.providers.ports import Answer
from openlatch.core.record.ledger import Event
from openlatch.core.taking_back.proof import Verdict, already_there, noted, verify
from openlatch.errors import ProviderDown, ProviderTrouble
from openlatch.operations.call import Call
from openlatch.operations.inventory.parties import remaining
from openlatch.operations.letting_in import consent, fulfil
from openlatch.operations.order_jobs import queue
from openlatch.operations.orders import orders, teams
from openlatch.operations.orders.orders import OrderSight
from openlatch.operations.providers import readings
from openlatch.operations.record.signing import signer
from openlatch.operations.rules import flags
from openlatch.operations.rules.advice import known_levels
from openlatch.operations.taking_back import order_news
from openlatch.words import Action, EndReason, Kind, OrderState, State

__all__ = ["Work", "begin", "looked", "postponed", "stuck", "told"]

DEADLINE = timedelta(days=14)
"""So long an order waits for a person to do what only a person can."""
LONGEST_BREAK = 600
"""Seconds for which a provider that asks for it is left in peace."""


@dataclass(frozen=True, slots=True)
class _Matter:
    """What an order is about: an entry, or where there is none, a member of a team."""

    provider_id: UUID
    party_id: UUID
    entry: Entry | None = None


def _matters(call: Call, orders: Sequence[Order]) -> dict[UUID, _Matter]:
    """What orders are about, by the orders' ids."""
    entries = call.tx.entries.some({order.entry_id for order in orders if order.entry_id is not None})
    matters = {}
    for order in orders:
        if isinstance(order.about, UUID):
            entry = entries[order.about]
            matters[order.id] = _Matter(entry.provider_id, entry.party_id, entry)
        else:
            matters[order.id] = _Matter(order.about.provider_id, order.about.member_id)
    return matters


@dataclass(frozen=True, slots=True)
class Work:
    """The step of an order that comes next, and the provider at which it is."""

    order: Order
    place: int
    step: Step
    provider: Provider

    @property
    def idempotency_key(self) -> str:
        return f"{self.order.idempotency_key}.{self.place}"


def begin(call: Call, order_ids: Iterable[UUID]) -> list[Work]:
    """Take orders up where they stand; without those of which nothing is to be done now, as a repeated job finds."""
    goes_on = (OrderState.RUNNING, OrderState.TOLD, OrderState.WAITING)
    orders = [order for order in call.tx.orders.some(order_ids, lock=True) if order.state in goes_on]
    matters = _matters(call, orders)
    ids = {matter.provider_id for matter in matters.values()}
    places = {each_id: _Place(call.tx.providers.get(each_id), call.tx.providers.down_until(each_id)) for each_id in ids}
    works: list[Work] = []
    resumed: list[Order] = []
    shown: list[tuple[Order, Entry | None]] = []
    for order in orders:
        matter = matters[order.id]
        if _read_last(order) is not None:
            shown.append((order, matter.entry))
            continue
        work = _begin(call, order, matter, places[matter.provider_id])
        if work is None:
            continue
        if work.order.state is OrderState.WAITING:
            work = replace(work, order=work.order.moved(Move.RESUME))
            resumed.append(work.order)
        works.append(work)
    call.tx.orders.save_all(resumed)
    _prove(call, shown)
    return works


def _read_last(order: Order) -> Step | None:
    """The reading that has shown what an order did, if only the receipt is left to be written."""
    done, left = order.steps[: order.place], order.steps[order.place :]
    return done[-1] if done and done[-1].call == "read" and left and left[0].call == "receipt" else None


@dataclass(frozen=True, slots=True)
class _Place:
    """A provider, and until when nobody is to ask it, since it did not answer someone else."""

    provider: Provider
    down_until: datetime | None


def _begin(call: Call, order: Order, matter: _Matter, at: _Place) -> Work | None:
    if order.again_at is not None and order.again_at > call.now:
        # What the provider has said yes to waits for its next look as well: it is not looked at time and again at once.
        if order.state is OrderState.WAITING:
            _seen_meanwhile(call, order)
        return None
    while (step := order.steps[order.place]).call == "wait" and (step.until is None or step.until <= call.now):
        order = _went_on(call, order, "the day came")
    if step.call == "withdraw" and matter.entry is not None:
        fulfil.closed_by_order(call, matter.entry, Action(order.action))
        order = _went_on(call, order, "withdrawn")
        step = order.steps[order.place]
    if step.call == "wait" and step.until is not None:
        _wait(call, order, step.text, step.until)
    elif step.call in ("consent", "ask"):
        _ask_somebody(call, order, step)
    elif step.call == "receipt":
        _prove(call, [(order, matter.entry)])
    else:
        return _work(call, order, step, at)
    return None


def _ask_somebody(call: Call, order: Order, step: Step) -> None:
    """A person has to say something: they are asked, or if they were, they have not said it in time."""
    if order.state is OrderState.WAITING:
        why = "Nobody has agreed in time" if step.call == "consent" else "Nobody has said so far that this is done"
        _stick(call, order, f"{why}: {step.text}")
        return
    trouble = consent.ask(call, order) if step.call == "consent" else ""
    if trouble:
        _stick(call, order, trouble)
    else:
        _wait(call, order, step.text, call.now + (consent.LASTS if step.call == "consent" else DEADLINE))


def _work(call: Call, order: Order, step: Step, at: _Place) -> Work | None:
    if at.down_until is not None and at.down_until > call.now:
        _put_off(call, order, f"{at.provider.name} is not asked at the moment: it did not answer.", at.down_until)
        return None
    return Work(order, order.place, step, at.provider)


def _seen_meanwhile(call: Call, order: Order) -> None:
    """What someone was asked to end has ended: then nobody has to say so."""
    step = order.steps[order.place]
    if step.call == "ask" and step.change is None and _gone_meanwhile(call, order):
        order = replace(order, steps=order.step_done(order.place, call.now, "it has ended"))
        order = order.moved(Move.RESUME, why="", again_at=None)
        call.tx.orders.save(order)
        queue(call, order)


def _gone_meanwhile(call: Call, order: Order) -> bool:
    """Whether what an order is to end is not there any more."""
    if isinstance(order.about, UUID):
        return not call.tx.entries.find(str(order.about)).entry.stands
    return teams.standing(call, order.about) is None


def told(call: Call, answers: Mapping[UUID, tuple[int, Answer]]) -> None:
    """The provider said yes to a step of each of these orders; what counts is what it shows from now on."""
    after: list[Order] = []
    ended: dict[UUID, list[Step]] = {}
    events: list[Event] = []
    for order in call.tx.orders.some(answers, lock=True):
        place, answer = answers[order.id]
        if order.state is not OrderState.RUNNING or order.place != place:
            continue
        step = order.steps[place]
        moved = replace(order, steps=order.step_done(place, call.now, answer.said), attempts=0, why="")
        tells = moved.steps[moved.place].call == "read"
        if answer.later and tells:
            moved = replace(moved, steps=_patiently(moved))
        after.append(moved.moved(Move.TELL) if tells else replace(moved, version=moved.version + 1))
        if step.call == "end" and order.entry_id is not None:
            ended.setdefault(order.entry_id, []).append(step)
        said = {"step": place + 1, "said": answer.said, "already": answer.already}
        events.append(call.event("order.told", "order", order.id, on_behalf_of=order.ordered_by, **said))
    call.tx.orders.save_all(after)
    _ending(call, ended)
    call.log_all(events)


def _patiently(order: Order) -> tuple[Step, ...]:
    """The steps of an order of which the provider said that the last one takes a while: what is read next has time."""
    return tuple(replace(s, patient=True) if n == order.place else s for n, s in enumerate(order.steps))


def _ending(call: Call, ended: Mapping[UUID, list[Step]]) -> None:
    """Mark what providers were asked to end, so that its end is known for what it is."""
    keys: dict[UUID, list[str]] = {}
    for entry_id, entry in call.tx.entries.some(ended).items():
        keys.setdefault(entry.provider_id, []).extend(step.entry for step in ended[entry_id])
    for provider_id, theirs in keys.items():
        for each_entry in call.tx.entries.standing(provider_id, theirs):
            if each_entry.state is not State.ENDING:
                entry = call.tx.entries.lock(each_entry.id)
                if entry.stands and entry.state is not State.ENDING:
                    call.tx.entries.save(entry.moved(EntryMove.ASK))


def postponed(call: Call, order_id: UUID, error: ProviderDown) -> None:
    """The provider did not answer: leave it in peace for a while, and try again; after many times ask a person."""
    order = call.tx.orders.find(str(order_id), lock=True)
    provider_id = _matters(call, [order])[order.id].provider_id
    asked_for = min(error.fields.get("retry_after") or 0, LONGEST_BREAK)
    wait = max(again_after(order.attempts + 1) or timedelta(), timedelta(seconds=asked_for))
    if wait:
        call.tx.providers.down(provider_id, call.now + wait)
    _again(call, order, error.message, asked_for)


def stuck(call: Call, order_id: UUID, error: ProviderTrouble) -> None:
    """The provider will not: a person has to look at it."""
    order = call.tx.orders.find(str(order_id), lock=True)
    if order.state in (OrderState.RUNNING, OrderState.TOLD):
        _stick(call, order, str(error))


def looked(call: Call, looks: Mapping[UUID, tuple[int, Observation]]) -> None:
    """Fresh readings of the parties of these orders are there.

    What is not yet as it was meant to be is looked at again later.
    """
    orders = [order for order in call.tx.orders.some(looks, lock=True) if _awaits(order, looks[order.id][0])]
    call.tx.facts.take_turns()
    matters = _matters(call, orders)
    by_provider: dict[UUID, list[Order]] = {}
    for order in orders:
        by_provider.setdefault(matters[order.id].provider_id, []).append(order)
    changes, reached, after = [], [], []
    # Providers before entries, as a reading does it, and in one order: two that lock in another wait for each other.
    for provider_id in sorted(by_provider):
        call.tx.providers.lock(provider_id)
        seen = [
            (order, verdict) for order in by_provider[provider_id] if (verdict := _seen(call, order, looks[order.id]))
        ]
        if seen:
            changes.append(_applied(call, provider_id, [(order, looks[order.id]) for order, _ in seen], matters))
            reached += seen
    if changes:
        readings.evaluate(call, *changes)
    for order, verdict in reached:
        place, seen_then = looks[order.id]
        there = already_there(seen_then, order.steps, place, call.tx.workspace.zone)
        if there:
            _stick(call, order, f"{there}. Nothing was given.")
            continue
        steps = noted(seen_then, order.step_done(place, call.now, verdict.evidence), place, verdict.found)
        after.append(_going_on(replace(order, steps=steps, attempts=0)))
    # Receipts are written when these are begun again: everybody else waits for a turn meanwhile.
    call.tx.orders.save_all(after)


def _awaits(order: Order, place: int) -> bool:
    return order.state in (OrderState.RUNNING, OrderState.TOLD) and order.place == place


def _seen(call: Call, order: Order, look: tuple[int, Observation]) -> Verdict | None:
    """What a reading shows of what an order has done so far; None, and looked at again later, if that is not all."""
    place, observation = look
    verdict = verify(observation, order.steps, place, call.tx.workspace.zone)
    if verdict.reached:
        return verdict
    if order.patient:
        _await_a_device(call, order, verdict.evidence)
        return None
    who = "It was said to be done" if order.steps[place - 1].call == "ask" else "The provider said yes"
    _again(call, order, f"{who}, but {verdict.evidence}.", 0)
    return None


def _await_a_device(call: Call, order: Order, evidence: str) -> None:
    """What the provider said yes to is not so yet, and no trouble: it is looked at again, for as long as that takes."""
    told_at = order.steps[order.place - 1].at or call.now
    delay = look_again(told_at, call.now)
    if delay is None:
        days = f"{PATIENCE.days} days"
        _stick(call, order, f"The provider said yes {days} ago, and still {evidence}.")
        return
    at_once = call.tx.providers.get(_matters(call, [order])[order.id].provider_id).abilities.at_once
    when = "that it takes a while" if at_once else "it takes effect when their device next connects"
    why = f"The provider said yes, and {when}. Until then {evidence}."
    _put_off(call, order, why, call.now + delay)


def _applied(
    call: Call, provider_id: UUID, seen: list[tuple[Order, tuple[int, Observation]]], matters: Mapping[UUID, _Matter]
) -> Changes:
    """Bring the inventory to what was seen of the parties of these orders."""
    evidence = {matters[order.id].party_id: f"order {order.ref}" for order, _ in seen}
    subjects = {order.steps[place].party for order, (place, _) in seen}
    observation = merged(observation for _, (_, observation) in seen)
    seen_to = [order.id for order, _ in seen]
    return readings.apply(call, provider_id, observation, evidence=evidence, subjects=subjects, seen_to=seen_to)


def _went_on(call: Call, order: Order, said: str) -> Order:
    order = _going_on(replace(order, steps=order.step_done(order.place, call.now, said)))
    call.tx.orders.save(order)
    return order


def _going_on(order: Order) -> Order:
    """An order of which a step is done, and the next one can begin."""
    if order.state is OrderState.RUNNING:
        return replace(order, why="", again_at=None, version=order.version + 1)
    return order.moved(Move.RESUME, why="", again_at=None)


def _prove(call: Call, done: Sequence[tuple[Order, Entry | None]]) -> None:
    """Write the receipts: by what a fresh reading showed, or where none can see it, by what someone said."""
    if not done:
        return
    for order, entry in done:
        if _read_last(order) is None:
            _take_at_their_word(call, order, entry)
    sights = {sight.order.id: sight for sight in orders.sights(call, [order for order, _ in done])}
    sign, remains = signer(call), _remains(call, [order for order, _ in done], sights)
    proved: list[Order] = []
    events: list[Event] = []
    for order, _ in done:
        order_sight = sights[order.id]
        said = next((step.said for step in reversed(order.steps) if step.said), "") + "; no reading can see it"
        told_at = next((step.at for step in order.steps if step.asks), None)
        read = _read_last(order)
        receipt: dict[str, Any] = {
            "order": order.ref,
            "did": order.action,
            "entry": order_sight.entry.ref if order_sight.entry else "",
            "party": order_sight.party.name,
            "subject": order.plan.get("subject", ""),
            "account": order_sight.account.name if order_sight.account else "",
            "provider": order_sight.provider,
            "ordered_by": order.ordered_by.name,
            "ordered_by_id": str(order.ordered_by.id or ""),
            "told_at": told_at.isoformat() if told_at else None,
            "read_at": ((read and read.at) or call.now).isoformat(),
            "showed": read.said if read else said,
        }
        if order_sight.team is not None:
            receipt |= {"team": order_sight.team.name, "team_key": next(step.team for step in order.steps if step.team)}
        if order.id in remains:
            receipt["remains"] = remains[order.id]
        receipt["signed"] = sign(receipt)
        steps = order.step_done(order.place, call.now, "signed, and in the log")
        proved.append(
            order.moved(Move.PROVE, steps=steps, receipt=receipt, finished_at=call.now, why="", again_at=None)
        )
        events.append(call.event("order.proved", "order", order.id, on_behalf_of=order.ordered_by, receipt=receipt))
    call.tx.orders.save_all(proved)
    call.log_all(events)
    for order, entry in done:
        if order.action == Action.LET_IN and entry is not None:
            fulfil.arrived(call, order, entry)
    order_news.proved(call, [replace(sights[order.id], order=order) for order in proved])


def _remains(call: Call, orders: Sequence[Order], sights: Mapping[UUID, OrderSight]) -> dict[UUID, list[str]]:
    """Of orders that end something, the ways in that the party has still: to the account, or to what the team has."""
    ending = [order for order in orders if Action(order.action).ends or order.action == Action.REMOVE_MEMBER]
    parties = {sights[order.id].party.id for order in ending}
    places = {order.id: _led_to(call, order, sights[order.id]) for order in ending}
    held = call.tx.entries.held_by(parties, {account for several in places.values() for account in several})
    # Nobody else can have a way left: only what they hold there themselves, and their teams, lead anywhere.
    led = {each_id for each_id, teams_ in call.tx.memberships.above(parties).items() if teams_}
    led |= {entry.party_id for entry in held}
    ways = {party: remaining(call, party) for party in parties & led}
    return {
        order.id: [way.text for way in ways.get(sights[order.id].party.id, ()) if way.account_id in places[order.id]]
        for order in ending
    }


def _led_to(call: Call, order: Order, sight: OrderSight) -> set[UUID]:
    """The accounts to which what an order is about leads: that of its entry, or those of its team."""
    if not isinstance(order.about, Belonging):
        return {sight.entry.account_id} if sight.entry is not None else set()
    team = order.about.team_id
    return {
        entry.account_id for entry in call.tx.entries.held_by({team, *call.tx.memberships.above([team]).get(team, ())})
    }


def _take_at_their_word(call: Call, order: Order, entry: Entry | None) -> None:
    """What no reading can see is as someone says that it is."""
    call.tx.facts.take_turns()
    done = next((step for step in order.steps if step.call == "ask"), None)
    if done is None:
        return  # it was this service's own to do
    if isinstance(order.about, Belonging) or entry is None:
        teams.left_by_word(call, order)
        return
    if order.action == Action.LET_IN:
        return  # seen to when it arrives
    if order.action == Action.CHANGE_SECRET:
        told = [each_entry for each_entry in call.tx.entries.on([entry.account_id]) if each_entry.kind is Kind.SECRET]
        gone = [each_entry for each_entry in told if each_entry.stands and each_entry.level == entry.level]
        _end_by_word(call, gone, EndReason.REVOKED, done.said)
    elif done.change is not None:
        entry = call.tx.entries.lock(entry.id)
        now = Extent.of(entry).after(done.change)
        after = replace(
            entry,
            level=now.level,
            resources=now.resources,
            hours=now.hours,
            ends_at=now.ends_at,
            state=now.state,
            version=entry.version + 1,
        )
        levels = known_levels(call, call.tx.providers.get(entry.provider_id), entry.kind)
        call.tx.entries.save(replace(after, powers=levels.get(after.level, entry.powers)))
        call.log("entry.changed", "entry", entry.id, said=done.said, level=after.level, resources=list(after.resources))
        flags.evaluate(call, [entry.id])
    elif entry.stands:
        _end_by_word(call, [entry], why_ended(Action(order.action), entry.kind), done.said)


def _end_by_word(call: Call, gone: list[Entry], why: EndReason, said: str) -> None:
    ended = []
    for each_entry in gone:
        entry = call.tx.entries.lock(each_entry.id)
        ended.append(entry.ended(why, call.now))
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
    known = order.why == why
    if order.state is OrderState.RUNNING:
        order = order.moved(Move.WAIT, why=why, again_at=again_at)
    else:
        order = replace(order, why=why, again_at=again_at, version=order.version + 1)
    call.tx.orders.save(order)
    if not (order.patient and known):
        call.log(
            "order.waits",
            "order",
            order.id,
            on_behalf_of=order.ordered_by,
            why=why,
            attempts=order.attempts,
            again_at=again_at.isoformat(),
        )
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
    order_news.stuck(call, order, why)
    call.log("order.stuck", "order", order.id, on_behalf_of=order.ordered_by, why=why)
