"""Batches: orders for many entries at once, or for everything that a leaver has, with the outcome of each."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Any
from uuid import UUID

from openlatch.core.ids import ref_of
from openlatch.core.model import Entry, Party
from openlatch.core.orders.orders import Order
from openlatch.core.orders.teams import Belonging
from openlatch.core.people.standing import PersonMove
from openlatch.core.taking_back.leaver import DISABLE_SIGN_IN
from openlatch.core.taking_back.settled import GONE, LeftOpen, why_gone
from openlatch.errors import Changed, Conflict, OpenLatchError
from openlatch.operations.call import Call, operation
from openlatch.operations.inventory.entries import selection
from openlatch.operations.inventory.parties import remaining
from openlatch.operations.order_jobs import CHUNK
from openlatch.operations.orders import orders, teams
from openlatch.operations.orders.orders import Wish
from openlatch.operations.people import people
from openlatch.operations.people.reviewers import who_answers
from openlatch.operations.providers import readings
from openlatch.operations.taking_back.together import Foresight, foreseen, held_back
from openlatch.store.inventory.entries import Listed
from openlatch.store.pages import Page
from openlatch.store.taking_back.batches import Batch, BatchItem
from openlatch.wire.inventory.entries import EntryFilter as Wanted
from openlatch.words import Action, Outcome

__all__ = [
    "TASK",
    "BatchSight",
    "advance",
    "browse",
    "cancel",
    "check_count",
    "create",
    "leave_open",
    "more",
    "plan",
    "seen",
    "show",
    "start",
    "tick",
    "together",
]

TASK = "openlatch.advance-batch"
MOST_ITEMS = 100_000
MOST_SHOWN = 1000
"""So many things of a batch are shown with it."""
PAUSE, LONGEST_PAUSE = timedelta(seconds=2), timedelta(minutes=5)
"""Between two looks at whether a phase is over."""


@dataclass(frozen=True, slots=True)
class BatchSight:
    """A batch with how many things in it came to what; `items` with their entries where one batch is looked at."""

    batch: Batch
    outcomes: Mapping[str, int]
    party: Party | None = None
    over: bool = False
    """whether nothing is left to come, and of someone who leaves, whether nothing remains but what is left open"""
    rests: bool = False
    """whether nothing goes on by itself now, whatever people have still to do"""
    remains: tuple[str, ...] = ()
    """the ways in that someone who leaves has still, as far as is known"""
    items: tuple[tuple[BatchItem, Listed | None, str], ...] = ()
    """each with its order's short form"""

    @property
    def count(self) -> int:
        return sum(self.outcomes.values())


@operation("batches.plan")
def plan(call: Call, wanted: Wanted, wish: Wish) -> Foresight:
    """What doing the same to many entries would do, all together; changes nothing."""
    return foreseen(call, dict.fromkeys(call.tx.entries.ids(selection(call, wanted)), wish))


@operation("batches.create")
def create(call: Call, wanted: Wanted, wish: Wish, reason: str, count: int) -> BatchSight:
    """Order the same for many entries; refuses (Changed) if they are not as many as was said.

    What would leave an account to nobody is held back.
    """
    ids = call.tx.entries.ids(selection(call, wanted))
    check_count(len(ids), count)
    return together(call, ids, wish, reason, wanted.model_dump(mode="json", exclude_defaults=True))


def together(call: Call, ids: Sequence[UUID], wish: Wish, reason: str, where: Mapping[str, Any]) -> BatchSight:
    """Order the same for entries; what would leave an account to nobody is held back. `where` says which they are."""
    held = held_back(call, dict.fromkeys(ids, wish))
    items = [
        BatchItem(place, 0, wish.action.value, "", entry_id, trouble=held.get(entry_id, ""))
        for place, entry_id in enumerate(ids, start=1)
    ]
    batch = Batch(
        id=call.services.new_id(),
        kind="bulk",
        action=wish.action.value,
        wanted={"where": dict(where), "wish": _wished(wish)},
        reason=reason,
        ordered_by=call.actor.author,
        ordered_at=call.now,
    )
    return start(call, batch, items)


def check_count(there: int, said: int) -> None:
    """Refuse (Changed) what is not as many as someone said."""
    if there != said:
        raise Changed(
            f"There are {there} of them now, and not {said}. Nothing was ordered.",
            next_step="Look at them again, then say how many.",
            count=there,
        )


def start(call: Call, batch: Batch, items: Sequence[BatchItem]) -> BatchSight:
    """Store a batch and have it begin: it, its place in the log and its job land together."""
    call.tx.batches.add(batch, items)
    call.log(
        "batch.given",
        "batch",
        batch.id,
        kind=batch.kind,
        action=batch.action,
        count=len(items),
        reason=batch.reason,
        wanted=dict(batch.wanted),
    )
    _queue(call, batch)
    return seen(call, [batch])[0]


@operation("batches.browse")
def browse(call: Call, kind: str, limit: int, cursor: str | None) -> Page[BatchSight]:
    """Batches, the latest first."""
    page = call.tx.batches.browse(kind=kind, limit=limit, cursor=cursor)
    return Page(seen(call, page.items), page.next)


@operation("batches.show")
def show(call: Call, text: str, outcome: str, limit: int = MOST_SHOWN) -> BatchSight:
    """One batch with what came of each thing in it, or of those with one outcome; the first `limit` of them."""
    return _shown(call, call.tx.batches.find(text), outcome, limit)


@operation("batches.cancel")
def cancel(call: Call, text: str) -> BatchSight:
    """Let nothing more come of a batch; orders that were given go on, and can be cancelled one by one."""
    batch = call.tx.batches.find(text, lock=True)
    if batch.cancelled_at is not None:
        raise Conflict(
            f"Batch {batch.ref} was cancelled already. Nothing was changed.", next_step="Nothing has to be done."
        )
    call.tx.batches.cancel(batch.id, call.now, "cancelled before its turn came")
    call.log("batch.cancelled", "batch", batch.id)
    return _shown(call, call.tx.batches.find(text), "")


@operation("batches.tick")
def tick(call: Call, text: str, place: int) -> BatchSight:
    """Say that a thing in a batch that a person is to do is done."""
    batch = call.tx.batches.find(text, lock=True)
    said = call.tx.batches.item(batch.id, place)
    if said is None or not call.tx.batches.done(batch.id, place, call.actor.name, call.now):
        raise Conflict(
            f"Nothing number {place} of batch {batch.ref} is left for a person to do. Nothing was changed.",
            next_step=f"Look at it again: openlatch batch show {batch.ref}",
        )
    call.log("batch.done-by-hand", "batch", batch.id, place=place)
    if said.membership_id is not None:
        # Nobody's word is taken for what a reading can see.
        readings.queue(call, call.tx.providers.get(call.tx.memberships.get(said.membership_id).provider_id))
    _queue(call, batch)
    return _shown(call, batch, "")


@operation("batches.leave_open")
def leave_open(call: Call, text: str, place: int, reason: str, owner: str) -> BatchSight:
    """Say that something in a batch is left open, why, and who sees to it; its report names it."""
    batch = call.tx.batches.find(text, lock=True)
    left = LeftOpen(reason, who_answers(call, owner).author, call.actor.author, call.now)
    if not call.tx.batches.leave_open(batch.id, place, left):
        raise Conflict(
            f"Nothing number {place} of batch {batch.ref} is left to be done. Nothing was changed.",
            next_step=f"Look at it again: openlatch batch show {batch.ref}",
        )
    call.log("batch.left-open", "batch", batch.id, place=place, **left.facts())
    _queue(call, batch)
    return _shown(call, batch, "")


def advance(call: Call, batch_id: UUID) -> Batch | None:
    """Give some more of a batch's orders; the job queues itself again until nothing is left to come.

    Returns the batch while nothing in it goes on by itself. Of someone who leaves it is looked at again and again
    until it is over: what they are given meanwhile is to be taken back as well.
    """
    batch = call.tx.batches.find(str(batch_id), lock=True)
    if batch.cancelled_at is not None or batch.over_at is not None:
        return None
    if batch.begins_at is not None and batch.begins_at > call.now:
        _queue(call, batch)
        return None
    phase = call.tx.batches.phase(batch.id)
    if phase is None:
        return batch
    some = call.tx.batches.left(batch.id, phase, CHUNK)
    _give(call, batch, some)
    moving = bool(some) or call.tx.batches.moving(batch.id)
    if moving:
        # The longer it takes, the less often it is looked at.
        pause = min(max(PAUSE, (call.now - batch.ordered_at) / 20), LONGEST_PAUSE)
        at = None if len(some) == CHUNK else call.now + pause
        call.tx.enqueue(TASK, at=at, batch_id=str(batch.id))
    elif batch.kind == "leaver":
        call.tx.enqueue(TASK, at=call.now + LONGEST_PAUSE, batch_id=str(batch.id))
    return None if moving else batch


def more(call: Call, batch: Batch, items: Sequence[BatchItem]) -> None:
    """Put more things into a batch, and have it go on."""
    call.tx.batches.add_items(batch.id, items)
    call.log("batch.grown", "batch", batch.id, count=len(items))
    _queue(call, batch)


def _give(call: Call, batch: Batch, items: Sequence[BatchItem]) -> None:
    """Give the orders of some things in a batch; what cannot be ordered says why."""
    of_entries = call.tx.entries.some([item.entry_id for item in items if item.entry_id is not None])
    of_teams = {
        item.place: teams.belonging(call.tx.memberships.get(item.membership_id))
        for item in items
        if item.membership_id is not None
    }
    # All at once, and before the entries themselves are held.
    orders.hold(
        call, [*of_entries.values(), *(entry for about in of_teams.values() for entry in teams.given_by(call, about))]
    )
    for item in items:
        if item.action == DISABLE_SIGN_IN:
            _disable_sign_in(call, batch, item)
    drafted = _drafted(call, batch, [item for item in items if item.entry_id is not None])
    drafted |= _drafted_of_teams(call, batch, [item for item in items if item.place in of_teams], of_teams)
    new = orders.given_all(call, list(drafted.values()))
    came: dict[int, UUID] = {}
    for place, (order, _) in drafted.items():
        late = None if order.id in new else call.tx.orders.open_for(order.about)
        came[place] = late.id if late is not None else order.id
    call.tx.batches.ordered(batch.id, came)


def _disable_sign_in(call: Call, batch: Batch, item: BatchItem) -> None:
    """Take back the sign-in of someone who leaves to this very workspace."""
    party = call.tx.parties.find(str(batch.party_id))
    person = people.of_party(call, party)
    if person is None:
        call.tx.batches.came(batch.id, item.place, Outcome.GONE, GONE)
        return
    with _refusal_kept(call, batch, item):
        people.shut_out(call, person, PersonMove.DISABLE, ordered_by=batch.ordered_by)
        call.tx.batches.came(batch.id, item.place, Outcome.DONE, "")


def _drafted(call: Call, batch: Batch, items: Sequence[BatchItem]) -> dict[int, tuple[Order, Entry | None]]:
    """Orders for things about entries, by their places; of what cannot be ordered it is kept why."""
    ids = [item.entry_id for item in items if item.entry_id is not None]
    entries = call.tx.entries.some(ids, lock=True)
    there = call.tx.orders.open_of(ids)
    known = orders.situations(call, list(entries.values()))
    drafted: dict[int, tuple[Order, Entry | None]] = {}
    for item, entry in ((item, entries[item.entry_id]) for item in items if item.entry_id is not None):
        if not entry.stands and item.action != Action.GIVE_BACK:
            call.tx.batches.came(batch.id, item.place, Outcome.GONE, why_gone(entry))
            continue
        with _refusal_kept(call, batch, item):
            if _taken(call, batch, item, there.get(entry.id)):
                continue
            made = orders.planned(call, entry, _wish(batch, Action(item.action)), known[entry.id]).plan
            drafted[item.place] = (
                orders.drafted(call, made, entry, batch.reason, batch.ordered_by, batch.id),
                entry,
            )
    return drafted


def _drafted_of_teams(
    call: Call, batch: Batch, items: Sequence[BatchItem], of_teams: Mapping[int, Belonging]
) -> dict[int, tuple[Order, Entry | None]]:
    """Orders for things about memberships, as of those about entries."""
    drafted: dict[int, tuple[Order, Entry | None]] = {}
    for item in items:
        about = of_teams[item.place]
        if teams.standing(call, about) is None:
            call.tx.batches.came(batch.id, item.place, Outcome.GONE, GONE)
            continue
        with _refusal_kept(call, batch, item):
            if not _taken(call, batch, item, call.tx.orders.open_for(about)):
                made = teams.planned(call, Action(item.action), about).plan
                order = orders.drafted(call, made, about, batch.reason, batch.ordered_by, batch.id)
                drafted[item.place] = (order, None)
    return drafted


@contextmanager
def _refusal_kept(call: Call, batch: Batch, item: BatchItem) -> Iterator[None]:
    """Keep why something cannot be ordered, and go on with the rest."""
    try:
        yield
    except OpenLatchError as error:
        call.tx.batches.came(batch.id, item.place, Outcome.REFUSED, error.message)


def _taken(call: Call, batch: Batch, item: BatchItem, there: Order | None) -> bool:
    """Take the order that is in progress for the same already, if one is; refuses (Conflict) where another one is."""
    if there is None:
        return False
    if there.action != item.action:
        raise Conflict(f"Order {there.ref} ({there.action}) is in progress for it.")
    call.tx.batches.ordered(batch.id, {item.place: there.id})
    return True


def _queue(call: Call, batch: Batch) -> None:
    # Without a lock, which a job that waits would keep from all later ones; `advance` takes turns by itself.
    call.tx.enqueue(TASK, at=batch.begins_at, batch_id=str(batch.id))


def _wished(wish: Wish) -> dict[str, object]:
    until = wish.until.isoformat() if wish.until else None
    resources = None if wish.resources is None else list(wish.resources)
    return {"level": wish.level, "resources": resources, "until": until}


def _wish(batch: Batch, action: Action) -> Wish:
    said = batch.wanted.get("wish") or {}
    resources, until = said.get("resources"), said.get("until")
    return Wish(
        action,
        said.get("level") or "",
        None if resources is None else tuple(resources),
        date.fromisoformat(until) if until else None,
    )


def seen(call: Call, batches: Sequence[Batch]) -> tuple[BatchSight, ...]:
    """Return batches with what came of them."""
    outcomes = call.tx.batches.outcomes([batch.id for batch in batches])
    parties = call.tx.parties.some(batch.party_id for batch in batches if batch.party_id is not None)
    resting = call.tx.batches.resting([batch.id for batch in batches], call.now)
    sights = []
    for batch in batches:
        remains = _remains(call, batch)
        came = [Outcome(word) for word in outcomes[batch.id]]
        settled = all(outcome.settled if batch.kind == "leaver" else outcome.rests for outcome in came) and not remains
        over = settled or batch.over_at is not None or (batch.cancelled_at is not None and batch.id in resting)
        party = parties.get(batch.party_id) if batch.party_id else None
        rests = batch.id in resting or (batch.begins_at is not None and batch.begins_at > call.now)
        sights.append(BatchSight(batch, outcomes[batch.id], party, over, rests, remains))
    return tuple(sights)


def _remains(call: Call, batch: Batch) -> tuple[str, ...]:
    """The ways in that someone who leaves has still, but for those of which it is said who sees to them."""
    if batch.kind != "leaver" or batch.party_id is None or batch.cancelled_at or batch.over_at:
        return ()
    named = [item for item in call.tx.batches.items(batch.id, limit=MOST_ITEMS) if item.left_open is not None]
    pieces = {item.entry_id for item in named} | {item.membership_id for item in named}
    return tuple(
        each_remaining.text for each_remaining in remaining(call, batch.party_id) if each_remaining.piece not in pieces
    )


def _shown(call: Call, batch: Batch, outcome: str, limit: int = MOST_SHOWN) -> BatchSight:
    items = call.tx.batches.items(batch.id, outcome=outcome, limit=limit) if limit else ()
    listed = call.tx.entries.about({item.entry_id for item in items if item.entry_id is not None})
    refs = [ref_of(item.order_id) if item.order_id is not None else "" for item in items]
    beside = tuple(
        (batch_item, listed.get(batch_item.entry_id) if batch_item.entry_id is not None else None, ref)
        for batch_item, ref in zip(items, refs, strict=True)
    )
    return replace(seen(call, [batch])[0], items=beside)
