"""Taking access back: the plan that is shown, the order that is given, and what becomes of it when people act on it.

What the worker does with an order is in `operations.taking_back.carrying`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from datetime import date, timedelta
from uuid import UUID

from openlatch.core.hours import end_of
from openlatch.core.model import Account, Author, Entry, EntryMove, Party, Provider
from openlatch.core.orders.impact import Situation
from openlatch.core.orders.orders import Move, Order
from openlatch.core.orders.plans import make_plan
from openlatch.core.orders.steps import Ask, Plan, held_before
from openlatch.core.orders.teams import Belonging
from openlatch.errors import Changed, Conflict, NotAllowed
from openlatch.operations.call import Call, operation
from openlatch.operations.inventory.entries import words
from openlatch.operations.order_jobs import TASK, queue, queue_now
from openlatch.operations.people.sight import own_party, within_sight
from openlatch.operations.providers import choices
from openlatch.operations.rules.advice import known_levels
from openlatch.operations.telling import notices
from openlatch.store.inventory.entries import Listed
from openlatch.store.noun import missing
from openlatch.store.pages import Page
from openlatch.words import Action, OrderState, Power, State

__all__ = [
    "OrderSight",
    "PlanSight",
    "Wish",
    "about",
    "ask_of",
    "asked",
    "browse",
    "cancel",
    "confirm_done",
    "create",
    "drafted",
    "give_up",
    "given",
    "given_all",
    "going",
    "hold",
    "plan",
    "planned",
    "same",
    "seen_with",
    "show",
    "sight",
    "sights",
    "situation",
    "situations",
    "take_up_forgotten",
    "try_again",
]

FORGOTTEN = timedelta(minutes=20)
"""Longer than any wait that an order sets itself while it asks a provider."""


@dataclass(frozen=True, slots=True)
class Wish:
    """What someone wants done about an entry, as they say it: `until` is the last day, `successor` another entry.

    `lifts` are the limits that an extension takes away.
    """

    action: Action = Action.END
    level: str = ""
    resources: tuple[str, ...] | None = None
    until: date | None = None
    successor: str = ""
    hours: str = ""
    lifts: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PlanSight:
    """A plan with what it is about; `levels` are those of the provider that would give less, `wider` more.

    `parts` are those of the account that are known.
    """

    plan: Plan
    entry: Entry
    party: Party
    account: Account
    provider: Provider
    levels: tuple[str, ...] = ()
    wider: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class OrderSight:
    """An order with what it is about; `already` if it was there before this request for it.

    An entry with its account, or a team, of which the party is a member or is to be one.
    """

    order: Order
    party: Party
    provider: str
    entry: Entry | None = None
    account: Account | None = None
    team: Party | None = None
    already: bool = False

    @property
    def about(self) -> str:
        """What it is about, in a few words."""
        if self.team is not None:
            return f"{self.party.name} in {self.team.name}"
        return f"{self.party.name} on {self.account.name if self.account else ''}"


@operation("orders.plan")
def plan(call: Call, text: str, wish: Wish) -> PlanSight:
    """What an order would do about an entry, and how it would be done; changes nothing."""
    if wish.action is Action.GIVE_UP:
        return planned(call, _own_entry(call, text), wish)
    shown = planned(call, call.tx.entries.find(text, within_sight(call)).entry, wish)
    return replace(shown, parts=choices.parts_of(call, shown.account))


@operation("orders.browse")
def browse(call: Call, state: str, batch: str, limit: int, cursor: str | None) -> Page[OrderSight]:
    """Orders, the latest first."""
    batch_id = call.tx.batches.find(batch).id if batch else None
    states = words(OrderState, state, "state")
    page = call.tx.orders.browse(states=states, batch_id=batch_id, limit=limit, cursor=cursor)
    return Page(sights(call, page.items), page.next)


@operation("orders.show")
def show(call: Call, text: str) -> OrderSight:
    """One order, by id or short form; a member sees those on their own access."""
    order = call.tx.orders.find(text)
    if isinstance(order.about, UUID):
        call.tx.entries.find(str(order.about), within_sight(call))
    elif within_sight(call) not in (None, order.about.member_id):
        raise missing("order", text)
    return sight(call, order)


@operation("orders.create")
def create(call: Call, text: str, wish: Wish, reason: str, digest: str | None) -> OrderSight:
    """Order what a plan says. If that is in progress already, that order is returned: there is never a second.

    With `digest`, refuses (Changed) if the plan is no longer the one that was shown.
    """
    return _create(call, call.tx.entries.find(text).entry, wish, reason, digest)


@operation("orders.give_up")
def give_up(call: Call, text: str, reason: str, digest: str | None) -> OrderSight:
    """Order the end of one's own access; otherwise like `create`."""
    return _create(call, _own_entry(call, text), Wish(Action.GIVE_UP), reason, digest)


def _own_entry(call: Call, text: str) -> Entry:
    """An entry that belongs to whoever acts; anyone else's is refused, and a member cannot even see it."""
    entry = call.tx.entries.find(text, within_sight(call)).entry
    if entry.party_id != own_party(call):
        raise NotAllowed(
            f"Entry {entry.ref} is not your own access. Nothing was changed.",
            next_step="Give up only what is yours; to take someone else's access back, end it.",
            entry=entry.ref,
        )
    return entry


def _create(call: Call, the_entry: Entry, wish: Wish, reason: str, digest: str | None) -> OrderSight:
    hold(call, [the_entry])
    entry = call.tx.entries.lock(the_entry.id)
    there = call.tx.orders.open_for(entry.id)
    if there is not None:
        return replace(same(call, there, wish.action), already=True)
    shown = planned(call, entry, wish)
    if digest is not None and digest != shown.plan.digest:
        raise Changed(
            f"What this would do to {shown.party.name}'s access to {shown.account.name} has changed since it was "
            "shown. Nothing was ordered.",
            next_step="Look at the plan again, then decide.",
            entry=entry.ref,
        )
    order, new = given(call, drafted(call, shown.plan, entry, reason), entry)
    return replace(sight(call, order), already=not new)


def same(call: Call, there: Order, action: Action) -> OrderSight:
    """Return an order that is in progress, if it is the one that is wanted; refuses (Conflict) where another one is."""
    if there.action != action:
        raise Conflict(
            f"Order {there.ref} ({there.action}) is in progress for this already. Nothing was changed.",
            next_step=f"Wait until it is proved, or cancel it: openlatch order cancel {there.ref}",
            order=there.ref,
        )
    return sight(call, there)


def drafted(
    call: Call,
    made: Plan,
    whose: Entry | Belonging,
    reason: str,
    ordered_by: Author | None = None,
    batch_id: UUID | None = None,
) -> Order:
    """Return the order that carries out a plan about an entry or a membership; refuses (Conflict) one with a stop."""
    if made.stop:
        raise Conflict(
            f"{made.stop} Nothing was ordered.",
            next_step="Choose who follows, by their entry: "
            + ", ".join(f"{way.name} ({way.entry})" for way in made.ways_out[:5])
            if made.ways_out
            else "See to that first, then order it again.",
            entry=made.entry,
            ways_out=[asdict(way) for way in made.ways_out],
        )
    order_id = call.services.new_id()
    return Order(
        id=order_id,
        about=whose.id if isinstance(whose, Entry) else whose,
        action=made.action,
        state=OrderState.DRAFTED,
        plan=made.as_dict(),
        steps=made.steps,
        reason=reason,
        ordered_by=ordered_by or call.actor.author,
        ordered_at=call.now,
        idempotency_key=str(order_id),
        entry_state=whose.state if isinstance(whose, Entry) else State.LIVE,
        batch_id=batch_id,
    )


def given(call: Call, order: Order, entry: Entry | None = None) -> tuple[Order, bool]:
    """Give an order: it, its place in the log and its job land together; returns the one that counts, and if it is new.

    The entry that it is about shows that it is ending, if it is to end now.
    """
    order, new = call.tx.orders.open(order.moved(Move.CONFIRM))
    if new:
        call.log(
            "order.given",
            "order",
            order.id,
            on_behalf_of=order.ordered_by,
            **about(order),
            action=order.action,
            reason=order.reason,
            plan=order.plan["digest"],
        )
        if entry is not None and Action(order.action) in (Action.END, Action.GIVE_UP):
            call.tx.entries.save(entry.moved(EntryMove.ASK))
            call.log("entry.ending", "entry", entry.id, on_behalf_of=order.ordered_by, order=str(order.id))
        queue(call, order)
    return order, new


def about(order: Order) -> dict[str, str]:
    """Return what an order is about as the log keeps it."""
    if isinstance(order.about, UUID):
        return {"entry": str(order.about)}
    return {"team": str(order.about.team_id), "member": str(order.about.member_id)}


def given_all(call: Call, drafted_: Sequence[tuple[Order, Entry | None]]) -> set[UUID]:
    """Give orders together: all land with their places in the log and one job; returns the ids of those of them new."""
    confirmed = [(order.moved(Move.CONFIRM), entry) for order, entry in drafted_]
    new = call.tx.orders.open_all([order for order, _ in confirmed])
    events, ending = [], []
    for order, entry in confirmed:
        if order.id not in new:
            continue
        said = about(order) | {"action": order.action, "reason": order.reason, "plan": order.plan["digest"]}
        events.append(call.event("order.given", "order", order.id, on_behalf_of=order.ordered_by, **said))
        if entry is not None and Action(order.action) in (Action.END, Action.GIVE_UP):
            ending.append(entry.moved(EntryMove.ASK))
            by_order = {"on_behalf_of": order.ordered_by, "order": str(order.id)}
            events.append(call.event("entry.ending", "entry", entry.id, **by_order))
    call.tx.entries.save_all(ending)
    call.log_all(events)
    queue_now(call, [order for order, _ in confirmed if order.id in new])
    return new


@operation("orders.cancel")
def cancel(call: Call, text: str) -> OrderSight:
    """Cancel an order; the entry is again what it was."""
    order = call.tx.orders.find(text, lock=True)
    order = order.moved(Move.CANCEL, finished_at=call.now, why="", again_at=None)
    call.tx.orders.save(order)
    if order.entry_id is not None:
        entry = call.tx.entries.lock(order.entry_id)
        if entry.state is State.ENDING:
            call.tx.entries.save(replace(entry, state=order.entry_state, version=entry.version + 1))
    call.tx.links.withdraw(order.id, call.now)
    call.log("order.cancelled", "order", order.id, **about(order))
    return sight(call, order)


@operation("orders.try_again")
def try_again(call: Call, text: str) -> OrderSight:
    """Try an order that is stuck once more."""
    order = call.tx.orders.find(text, lock=True)
    # A new key: under the former one the provider may only repeat its former answer.
    key = f"{order.id}.{order.version}"
    steps = order.asked_again()
    order = order.moved(Move.TRY_AGAIN, attempts=0, why="", again_at=None, idempotency_key=key, steps=steps)
    call.tx.orders.save(order)
    call.log("order.tried-again", "order", order.id, **about(order))
    queue(call, order)
    return sight(call, order)


@operation("orders.confirm_done")
def confirm_done(call: Call, text: str, said: str) -> OrderSight:
    """Say that what an order asks a person to do is done; what can be read is then read."""
    order = call.tx.orders.find(text, lock=True)
    if not asked(order):
        raise Conflict(
            f"Order {order.ref} is {order.state}, and asks nobody to do anything. Nothing was changed.",
            next_step=f"Look at it again: openlatch order show {order.ref}",
            order=order.ref,
        )
    told = f"done, says {call.actor.name}" + (f": {said}" if said else "")
    order = replace(order, steps=order.step_done(order.place, call.now, told))
    how = Move.TRY_AGAIN if order.state is OrderState.STUCK else Move.RESUME
    order = order.moved(how, attempts=0, why="", again_at=None)
    call.tx.orders.save(order)
    call.log("order.done-by-hand", "order", order.id, **about(order), said=said)
    queue(call, order)
    return sight(call, order)


def asked(order: Order) -> bool:
    """Whether an order waits for someone to say that something is done."""
    waits = order.state in (OrderState.WAITING, OrderState.STUCK)
    return waits and order.place < len(order.steps) and order.steps[order.place].call == "ask"


def take_up_forgotten(call: Call) -> int:
    """Queue again the orders that should have moved long ago, for whatever lost their jobs; returns how many."""
    forgotten = call.tx.orders.unmoved_since(call.now - FORGOTTEN)
    return sum(
        call.tx.enqueue(TASK, lock=f"order:{order.id}", once=f"order:{order.id}", order_id=str(order.id))
        for order in forgotten
    )


def situation(call: Call, entry: Entry) -> tuple[Situation, Provider]:
    """Return an entry with all around it that bears on what can be done about it."""
    return situations(call, [entry])[entry.id]


def situations(call: Call, entries: Sequence[Entry]) -> dict[UUID, tuple[Situation, Provider]]:
    """Return entries with all around each that bears on what can be done about it."""
    tx = call.tx
    around = tx.entries.around(entries)
    on: dict[UUID, list[Entry]] = {}
    of: dict[UUID, list[Entry]] = {}
    for each_entry in around:
        on.setdefault(each_entry.account_id, []).append(each_entry)
        of.setdefault(each_entry.party_id, []).append(each_entry)
    parties = tx.parties.some({*(entry.party_id for entry in around), *(entry.party_id for entry in entries)})
    names = tx.accounts.names({entry.account_id for entry in around})
    teams = tx.memberships.above({entry.party_id for entry in entries})
    providers = {provider_id: tx.providers.get(provider_id) for provider_id in {entry.provider_id for entry in entries}}
    levels = {
        (each_id, kind): known_levels(call, providers[each_id], kind)
        for each_id, kind in {(entry.provider_id, entry.kind) for entry in entries}
    }
    keys = {provider: tx.parties.keys_of(parties, provider) for provider in providers}
    called = {
        provider: tx.parties.names_at(provider, {e.subject for e in (*entries, *around)}) for provider in providers
    }
    accounts = tx.accounts.some({entry.account_id for entry in entries})
    owners = {entry.party_id for entry in entries if Power.OWN in entry.powers}
    asked = {owner: notices.reachable_at(call, parties[owner]) for owner in owners}
    acting = {entry.account_id for entry in entries if Power.ADMIT in entry.powers}
    leaving = going(call, [entry for entry in around if entry.account_id in acting])
    document = {}
    for entry in entries:
        near = {value.id: value for value in (*on.get(entry.account_id, ()), *of.get(entry.party_id, ()))}
        near.pop(entry.id, None)
        neighbours = tuple(near[value] for value in sorted(near))
        provider = providers[entry.provider_id]
        holders = {value: parties[value] for value in {entry.party_id, *(n.party_id for n in neighbours)}}
        party, account = parties[entry.party_id], accounts[entry.account_id]
        situation = Situation(
            entry=entry,
            party=party,
            account=account,
            provider=provider.name,
            abilities=provider.abilities,
            neighbours=neighbours,
            places={n.account_id: names[n.account_id] for n in neighbours},
            holders=holders,
            teams=frozenset(teams.get(entry.party_id, ())),
            levels=levels[provider.id, entry.kind],
            keys={holder: keys[provider.id][holder] for holder in holders},
            names=called[provider.id],
            by_hand=provider.by_hand,
            limits=choices.limits_of(call, account, provider),
            outside=not tx.workspace.circle.holds(party),
            going=leaving,
            asked_at=asked.get(party.id, ""),
            zone=tx.workspace.zone,
        )
        document[entry.id] = situation, provider
    return document


def ask_of(call: Call, wish: Wish) -> Ask:
    """Return what someone wants, as the core takes it."""
    return Ask(
        wish.action,
        level=wish.level.strip(),
        resources=wish.resources,
        until=end_of(wish.until, call.tx.workspace.zone) if wish.until else None,
        successor=call.tx.entries.find(wish.successor).entry.id if wish.successor else None,
        hours=choices.hours_of(call, wish.hours),
        lifts=wish.lifts,
    )


def going(call: Call, entries: Sequence[Entry]) -> frozenset[UUID]:
    """Return those of some entries from which orders in progress take the power to let others in."""
    able = {entry.id: entry for entry in entries if Power.ADMIT in entry.powers}
    under_way = call.tx.orders.open_of(able) if able else {}
    return frozenset(order_id for order_id, order in under_way.items() if _takes_admit(call, order, able[order_id]))


def _takes_admit(call: Call, order: Order, entry: Entry) -> bool:
    if Action(order.action) in (Action.END, Action.GIVE_UP, Action.END_ON, Action.PAUSE):
        return True
    level = next(
        (s.change.level for s in reversed(order.steps) if s.entry == entry.key and s.change and s.change.level), ""
    )
    levels = known_levels(call, call.tx.providers.get(entry.provider_id), entry.kind) if level else {}
    return bool(level) and Power.ADMIT not in levels.get(level, entry.powers)


def hold(call: Call, entries: Sequence[Entry]) -> None:
    """Keep others from acting on the administrators of accounts until this transaction is over.

    Before the entries themselves are held, so that nobody waits for each other: two who end the last two
    administrators at the same moment would each see the other one.
    """
    accounts = {entry.account_id for entry in entries if Power.ADMIT in entry.powers}
    if accounts:
        call.tx.accounts.lock(accounts)


def planned(call: Call, entry: Entry, wish: Wish, known: tuple[Situation, Provider] | None = None) -> PlanSight:
    """Return what would be done about an entry, with what it is about; `known` is its situation, if that is known."""
    around, provider = known or situation(call, entry)
    ask = ask_of(call, wish)
    if ask.resources:
        choices.known_parts(around.account, provider, choices.parts_of(call, around.account), ask.resources)
    held = held_before(call.tx.orders.steps_to_end(entry.id), entry.key) if ask.action is Action.GIVE_BACK else None
    made = make_plan(around, ask, call.now, held)
    sized = sorted((len(gives), name) for name, gives in around.levels.items() if gives)
    has = set(entry.powers)
    less = tuple(name for _, name in sized if set(around.levels[name]) < has)
    more = tuple(name for _, name in sized if set(around.levels[name]) > has)
    return PlanSight(made, entry, around.party, around.account, provider, levels=less, wider=more)


def sight(call: Call, order: Order) -> OrderSight:
    """Return an order with what it is about."""
    return sights(call, [order])[0]


def sights(call: Call, orders: Sequence[Order]) -> tuple[OrderSight, ...]:
    """Return orders, each with what it is about."""
    of_teams = [order.about for order in orders if isinstance(order.about, Belonging)]
    listed = call.tx.entries.about({order.about for order in orders if isinstance(order.about, UUID)})
    parties = call.tx.parties.some(party for team in of_teams for party in (team.team_id, team.member_id))
    providers = {
        provider_id: call.tx.providers.get(provider_id).name
        for provider_id in {about.provider_id for about in of_teams}
    }
    return tuple(
        seen_with(order, listed[order.about])
        if isinstance(order.about, UUID)
        else OrderSight(
            order,
            parties[order.about.member_id],
            providers[order.about.provider_id],
            team=parties[order.about.team_id],
        )
        for order in orders
    )


def seen_with(order: Order, listed: Listed) -> OrderSight:
    """Return an order with the entry that it is about."""
    return OrderSight(order, listed.party, listed.provider.name, listed.entry, listed.account)
