"""Rounds of a review: what is asked of whom, what was decided, and the orders that come of it, until all is proved."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from uuid import UUID

from openlatch.core.decisions import Choice, Decision, advised, alike, changed_since, checked, reason_needed
from openlatch.core.hours import day_in
from openlatch.core.ids import ref_of
from openlatch.core.model import PartyStatus, Person
from openlatch.core.notices import Notice
from openlatch.core.orders import OrderState
from openlatch.core.plans import Action
from openlatch.core.reviews import GONE, Item, LeftOpen, Round, RoundState, Unanswered, compare, unanswered
from openlatch.core.roles import Role
from openlatch.errors import Changed, Conflict, Invalid, NotAllowed, OpenLatchError
from openlatch.operations import flags, notices, orders, reports
from openlatch.operations.entries import words
from openlatch.operations.gate import Call, operation
from openlatch.operations.orders import Wish
from openlatch.operations.scope import REVIEWING, facts_of, in_scope, own_parties
from openlatch.store.entries import Listed
from openlatch.store.pages import Page
from openlatch.store.reviews import Past

__all__ = [
    "ItemSight",
    "RoundSight",
    "Said",
    "assign",
    "browse",
    "decide",
    "finish",
    "go_on",
    "in_charge",
    "items",
    "leave_open",
    "pause",
    "seen",
    "settle",
    "show",
    "tell_opened",
    "try_again",
]

CHUNK = 40
"""So many orders are given in one transaction."""
_RESTS = frozenset({"kept", "gone", "left open", OrderState.PROVED.value})
"""What an item has to have come to before its round is closed."""


@dataclass(frozen=True, slots=True)
class Said:
    """A decision as a person says it; `to` is the address of whoever it is passed on to."""

    choice: Choice
    reason: str = ""
    level: str = ""
    until: date | None = None
    to: str = ""


@dataclass(frozen=True, slots=True)
class RoundSight:
    """A round with how far it is: what came of its items, and for each reviewer how many there are and are decided."""

    round: Round
    outcomes: Mapping[str, int]
    progress: Mapping[UUID | None, tuple[int, int]]
    people: Mapping[UUID, Person]
    mine: int = 0
    """how many items wait for whoever looks"""
    joined: int = 0
    """how many entries are in scope now that were not when it was opened; with one round only"""

    @property
    def count(self) -> int:
        return sum(self.outcomes.values())


@dataclass(frozen=True, slots=True)
class ItemSight:
    """An item with what a reviewer sees beside it: advice, what changed, what was decided last, and what it is now."""

    item: Item
    outcome: str
    listed: Listed
    advice: tuple[Choice, str]
    needs_reason: str
    """why keeping it needs a reason; empty if it does not"""
    group: int
    """items of the same group are the same question"""
    past: Past | None = None
    changed: tuple[str, ...] = ()
    reviewer: Person | None = None
    own: bool = False
    """whether it is the access of whoever looks"""
    order: str = ""


@operation("rounds.browse")
def browse(call: Call, state: str, review: str, limit: int, cursor: str | None) -> Page[RoundSight]:
    """Rounds, the latest first."""
    plan_id = call.tx.reviews.plan(review).id if review else None
    states = words(RoundState, state, "state")
    page = call.tx.reviews.browse(states=states, plan_id=plan_id, limit=limit, cursor=cursor)
    return Page(seen(call, page.items), page.next)


@operation("rounds.show")
def show(call: Call, text: str) -> RoundSight:
    """One round, with how many entries have come into its scope since it was opened."""
    one = call.tx.reviews.find(text)
    known = {item.entry_id for item, _ in call.tx.reviews.items(one.id)}
    joined = len(in_scope(call, one.plan.where).keys() - known) if one.state is RoundState.OPEN else 0
    return replace(seen(call, [one])[0], joined=joined)


@operation("rounds.items")
def items(call: Call, text: str, *, mine: bool, outcome: str) -> tuple[ItemSight, ...]:
    """The items of a round in their order: all, or those that are one's own to answer, or with one outcome."""
    one = call.tx.reviews.find(text)
    reviewer = call.actor.person.id if mine and call.actor.person is not None else None
    return _item_sights(call, one, call.tx.reviews.items(one.id, reviewer=reviewer, outcome=outcome))


def _item_sights(call: Call, one: Round, found: Sequence[tuple[Item, str]]) -> tuple[ItemSight, ...]:
    listed = call.tx.entries.about({item.entry_id for item, _ in found})
    past = call.tx.reviews.past([item.entry_id for item, _ in found], one.opened_at)
    people = {person.id: person for person in call.tx.people.all()}
    groups: dict[object, int] = {}
    own = _own(call)
    sights = []
    for item, outcome in found:
        before = past.get(item.entry_id)
        keep = Decision(Choice.KEEP, "", call.now)
        sights.append(
            ItemSight(
                item,
                outcome,
                listed[item.entry_id],
                advised(item.facts),
                reason_needed(item.facts, keep, one.plan.risk_limit),
                groups.setdefault(alike(item.facts), len(groups)),
                before,
                changed_since(before.facts, item.facts) if before is not None else (),
                people.get(item.reviewer) if item.reviewer is not None else None,
                item.party_id == own,
                ref_of(item.order_id) if item.order_id is not None else "",
            )
        )
    return tuple(sights)


@operation("rounds.decide")
def decide(call: Call, text: str, places: Sequence[int], said: Said, versions: Mapping[int, int]) -> int:
    """Decide items of an open round, alike or not; all of them or none. Until it is finished one's mind can change.

    With `versions`, refuses (Changed) what somebody else decided meanwhile. Returns how many were decided.
    """
    one = call.tx.reviews.find(text)
    _answering(one)
    found = call.tx.reviews.items(one.id, places=places, lock=True)
    missing = set(places) - {item.place for item, _ in found}
    if missing or not found:
        raise Invalid(
            f"Round {one.ref} has no item {', '.join(str(place + 1) for place in sorted(missing)) or '?'}. "
            "Nothing was changed.",
            next_step=f"Look at its items: openlatch round show {one.ref}",
            errors=[{"at": "places", "problem": "not in this round"}],
        )
    to = _person(call, said.to).id if said.to else None
    decision = Decision(said.choice, call.actor.name, call.now, said.reason, said.level, said.until, to)
    entries = call.tx.entries.about({item.entry_id for item, _ in found})
    parties = own_parties(call, [person for person in call.tx.people.all() if person.id == to]) if to else {}
    after = []
    for item, _ in found:
        _may_decide(call, item)
        if versions.get(item.place, item.version) != item.version:
            raise Changed(
                f"Item {item.place + 1} ({item.facts.party} on {item.facts.account}) was decided by somebody else "
                "meanwhile. Nothing of yours was stored.",
                next_step="Look at it again, then decide.",
            )
        if not entries[item.entry_id].entry.stands:
            raise Conflict(
                f"The access of {item.facts.party} to {item.facts.account} has ended meanwhile: there is nothing left "
                "to decide. Nothing was changed.",
                next_step="Leave it out.",
            )
        ready = _checked(call, one, item, decision)
        if ready.choice is Choice.PASS_ON:
            if to is not None and parties.get(to) == item.party_id:
                raise Invalid(
                    f"It is {said.to}'s own access. Nothing was changed.",
                    next_step="Pass it on to somebody else.",
                    errors=[{"at": "to", "problem": "their own access"}],
                )
            after.append(replace(item, reviewer=to, decision=None, version=item.version + 1))
        else:
            after.append(replace(item, decision=ready, version=item.version + 1))
    call.tx.reviews.save_items(after)
    if to is not None:
        _tell_given(call, one, to, [item.place for item in after])
    call.log(
        "round.decided", "round", one.id, choice=said.choice.value, reason=said.reason, level=said.level,
        until=said.until.isoformat() if said.until else None, to=said.to,
        items=[{"place": item.place, "entry": str(item.entry_id)} for item in after],
    )  # fmt: skip
    return len(after)


@operation("rounds.assign")
def assign(call: Call, text: str, places: Sequence[int], addresses: Sequence[str]) -> RoundSight:
    """Give items of an open round to another reviewer, or split them among several, each for whole accounts."""
    one = call.tx.reviews.find(text)
    _answering(one)
    several = [_person(call, address) for address in dict.fromkeys(addresses)]
    parties = own_parties(call, several)
    found = [item for item, _ in call.tx.reviews.items(one.id, places=places, lock=True)]
    accounts = list(dict.fromkeys(item.account_id for item in found))
    turns = {account: several[place % len(several)] for place, account in enumerate(accounts)}
    after = []
    for item in found:
        able = [turns[item.account_id], *several]
        to = next((one.id for one in able if parties.get(one.id) != item.party_id), None)
        if to is None:
            raise Invalid(
                f"Item {item.place + 1} is {several[0].name}'s own access. Nothing was changed.",
                next_step="Give it to somebody else.",
                errors=[{"at": "to", "problem": "their own access"}],
            )
        after.append(replace(item, reviewer=to, version=item.version + 1))
    call.tx.reviews.save_items(after)
    for person in several:
        _tell_given(call, one, person.id, [item.place for item in after if item.reviewer == person.id])
    given = [{"place": item.place, "to": str(item.reviewer)} for item in after]
    call.log("round.assigned", "round", one.id, to=[person.address for person in several], items=given)
    return seen(call, [one])[0]


@operation("rounds.pause")
def pause(call: Call, text: str, *, paused: bool) -> RoundSight:
    """Let a round rest, and go on; the time that it rested is added to the time to answer."""
    one = call.tx.reviews.find(text, lock=True)
    if one.state is not RoundState.OPEN:
        raise Conflict(f"Round {one.ref} is {one.state}. Nothing was changed.", next_step="Look at it again.")
    if (one.paused_at is not None) != paused:
        due = one.due_at if one.paused_at is None else one.due_at + (call.now - one.paused_at)
        one = replace(one, paused_at=call.now if paused else None, due_at=due, version=one.version + 1)
        call.tx.reviews.save(one)
        call.log("round.paused" if paused else "round.resumed", "round", one.id)
    return seen(call, [one])[0]


@operation("rounds.finish")
def finish(call: Call, text: str) -> RoundSight:
    """End the answering of a round before it is due: its decisions become orders. Refuses one with open questions."""
    one = call.tx.reviews.find(text, lock=True)
    _answering(one)
    left = [item for item, outcome in call.tx.reviews.items(one.id) if outcome == "undecided"]
    entries = call.tx.entries.about({item.entry_id for item in left})
    open_ = [item for item in left if entries[item.entry_id].entry.stands]
    if open_:
        raise Conflict(
            f"{len(open_)} items of round {one.ref} are not decided yet. Nothing was changed.",
            next_step=f"Decide them, or wait until it is due: the plan says that then it is “{one.plan.unanswered}”.",
            undecided=len(open_),
        )
    return seen(call, [_finish(call, one)])[0]


@operation("rounds.leave_open")
def leave_open(call: Call, text: str, place: int, reason: str, owner: str) -> RoundSight:
    """Say that something is left open in a round, why, and who sees to it; then the round can be closed without it."""
    one = call.tx.reviews.find(text, lock=True)
    found = call.tx.reviews.items(one.id, places=[place], lock=True)
    if one.state is not RoundState.SETTLING or not found or found[0][1] in _RESTS:
        raise Conflict(
            f"Nothing number {place + 1} of round {one.ref} waits to be done. Nothing was changed.",
            next_step=f"Look at it again: openlatch round show {one.ref}",
        )
    item = found[0][0]
    left = LeftOpen(reason, _person(call, owner).name, call.actor.name, call.now)
    call.tx.reviews.save_items([replace(item, left_open=left, version=item.version + 1)])
    call.log("round.left-open", "round", one.id, place=place, reason=reason, owner=left.owner)
    return seen(call, [settle(call, one)])[0]


@operation("rounds.try_again")
def try_again(call: Call, text: str, place: int) -> RoundSight:
    """Try once more to give the order of a decision of which none came."""
    one = call.tx.reviews.find(text, lock=True)
    found = call.tx.reviews.items(one.id, places=[place], lock=True)
    if one.state is not RoundState.SETTLING or not found or found[0][1] != "refused":
        raise Conflict(
            f"Nothing number {place + 1} of round {one.ref} can be tried again. Nothing was changed.",
            next_step=f"Look at it again: openlatch round show {one.ref}",
        )
    item = found[0][0]
    call.tx.reviews.save_items([replace(item, trouble="", version=item.version + 1)])
    return seen(call, [settle(call, one)])[0]


# What happens by itself


def go_on(call: Call) -> None:
    """Take every round that is not closed as far as it goes now: remind, end the answering, give orders, close."""
    for one in call.tx.reviews.unfinished():
        if one.state is RoundState.SETTLING:
            settle(call, call.tx.reviews.find(str(one.id), lock=True))
        elif one.paused_at is None and one.due_at <= call.now:
            there = call.tx.reviews.find(str(one.id), lock=True)
            if there.state is RoundState.OPEN:
                _finish(call, there)
        elif one.paused_at is None:
            _replace_who_left(call, one)
            _remind(call, one)


def _replace_who_left(call: Call, one: Round) -> None:
    """What somebody was asked who has left meanwhile goes to whoever is asked where nobody else can be."""
    waiting = {who for who, (every, decided) in call.tx.reviews.progress(one.id).items() if who and decided < every}
    people = {person.id: person for person in call.tx.people.all() if person.id in waiting}
    parties = own_parties(call, people.values())
    known = call.tx.parties.some(parties.values())
    left = {who for who, party in parties.items() if known[party].status is PartyStatus.LEFT}
    if not left:
        return
    instead = [person for person in in_charge(call, one) if person.id not in left]
    own = own_parties(call, instead)
    after = []
    for item, outcome in call.tx.reviews.items(one.id, lock=True):
        if item.reviewer in left and outcome == "undecided":
            to = next((person.id for person in instead if own.get(person.id) != item.party_id), None)
            after.append(replace(item, reviewer=to, version=item.version + 1))
    call.tx.reviews.save_items(after)
    for person in instead:
        _tell_given(call, one, person.id, [item.place for item in after if item.reviewer == person.id])
    names = sorted(people[who].name for who in left)
    call.log("round.reassigned", "round", one.id, left=names, items=[item.place for item in after])


def in_charge(call: Call, one: Round) -> list[Person]:
    """Return who is told of what is not answered: whoever the review names for that, and the owners."""
    people = call.tx.people.all()
    named = [person for person in people if person.id == one.plan.otherwise and person.role in REVIEWING]
    return [*named, *(person for person in people if person.role is Role.OWNER and person not in named)]


def tell_opened(call: Call, one: Round) -> None:
    """Tell whoever is asked in a round that it is open."""
    people = {person.id: person for person in call.tx.people.all()}
    for who, (every, _) in call.tx.reviews.progress(one.id).items():
        if who in people:
            title = f"“{one.plan.name}” has come round: {_counted(every)} for you until {_due(call, one)}"
            notices.tell(call, [people[who]], Notice(f"round:{one.id}:opened", title, "", f"/rounds/{one.ref}"))


def _tell_given(call: Call, one: Round, who: UUID, places: Sequence[int]) -> None:
    if places and (call.actor.person is None or call.actor.person.id != who):
        were = "was" if len(places) == 1 else "were"
        title = f"“{one.plan.name}”: {_counted(len(places))} {were} given to you by {call.actor.name}"
        key = f"round:{one.id}:given:{call.services.new_id()}"
        link = f"/rounds/{one.ref}" + (f"?item={places[0] + 1}" if len(places) == 1 else "")
        notices.tell(call, [call.tx.people.get(who)], Notice(key, title, f"Due {_due(call, one)}.", link))


def _remind(call: Call, one: Round) -> None:
    """Remind whoever has not answered, and later, while there is still time, say so to whoever is in charge."""
    before = timedelta(days=one.plan.remind_days)
    if not before or one.due_at - call.now > before:
        return
    progress = call.tx.reviews.progress(one.id)
    people = {person.id: person for person in call.tx.people.all()}
    late = {who: every - decided for who, (every, decided) in progress.items() if decided < every}
    for who, number in late.items():
        if who in people:
            title = f"“{one.plan.name}”: {_counted(number)} still wait for you, due {_due(call, one)}"
            notices.tell(call, [people[who]], Notice(f"round:{one.id}:remind", title, "", f"/rounds/{one.ref}"))
    if late and one.due_at - call.now <= before / 2:
        _escalate(call, one, late, people, f"due {_due(call, one)}", "late")


def _escalate(
    call: Call, one: Round, late: Mapping[UUID | None, int], people: Mapping[UUID, Person], when: str, key: str
) -> None:
    lines = [
        f"{people[who].name if who is not None and who in people else 'Nobody can be asked'}: {_counted(number)}"
        for who, number in late.items()
    ]
    title = f"“{one.plan.name}”: {_counted(sum(late.values()))} not answered, {when}"
    told = Notice(f"round:{one.id}:{key}", title, "\n".join(lines), f"/rounds/{one.ref}")
    notices.tell(call, in_charge(call, one), told)


def _counted(number: int) -> str:
    return "1 item" if number == 1 else f"{number} items"


def _due(call: Call, one: Round) -> str:
    return day_in(one.due_at, call.tx.workspace.zone)


def _finish(call: Call, one: Round) -> Round:
    """End the answering: what nobody answered comes to what the plan says, what is kept counts as reviewed."""
    found = call.tx.reviews.items(one.id, lock=True)
    entries = call.tx.entries.about({item.entry_id for item, _ in found})
    standing = [item for item, _ in found if entries[item.entry_id].entry.stands]
    silent = [(item.place, item.facts) for item in standing if item.decision is None]
    answers = unanswered(silent, one.plan.unanswered, one.plan.most, "Open Latch", call.now)
    after: list[Item] = []
    for item, _ in found:
        if not entries[item.entry_id].entry.stands:
            after.append(replace(item, trouble=GONE, version=item.version + 1))
        elif item.place in answers:
            after.append(replace(item, decision=answers[item.place], version=item.version + 1))
    call.tx.reviews.save_items(after)
    kept = [item for item in standing if item.decision is not None and item.decision.choice is Choice.KEEP]
    missed = [item.entry_id for item in standing if item.place in answers]
    call.tx.entries.reviewed([item.entry_id for item in kept], missed, call.now)
    flags.evaluate(call, [item.entry_id for item in kept] + missed)
    by = call.actor.name
    if answers:
        late = Counter(item.reviewer for item in standing if item.place in answers)
        people = {person.id: person for person in call.tx.people.all()}
        _escalate(call, one, late, people, f"and so {_silence(one)}", "silent")
    one = replace(one, state=RoundState.SETTLING, settled_by=by, settled_at=call.now, version=one.version + 1)
    call.tx.reviews.save(one)
    call.log("round.finished", "round", one.id, unanswered=len(answers))
    return settle(call, one)


def _silence(one: Round) -> str:
    said = {
        Unanswered.KEEP: "they stay, flagged",
        Unanswered.NARROW: "they are narrowed where that is known to do",
        Unanswered.PAUSE: "they are paused",
        Unanswered.END: "they end",
    }[one.plan.unanswered]
    return said if one.plan.unanswered is Unanswered.KEEP else f"{said}, {one.plan.most} at most"


def settle(call: Call, one: Round) -> Round:
    """Give some more of the orders of a round, or close it once everything in it is proved or said to be left open."""
    if one.state is not RoundState.SETTLING:
        return one
    found = call.tx.reviews.items(one.id)
    to_come = [item for item, outcome in found if outcome == "to come"]
    if to_come:
        call.tx.reviews.save_items([_order(call, one, item) for item in to_come[:CHUNK]])
        return one
    found = tuple(_dated(call, found))
    if any(outcome not in _RESTS for _, outcome in found):
        return one
    now = facts_of(call, in_scope(call, one.plan.where))
    before = {item.entry_id: item.facts for item, _ in found}
    one = replace(
        one, state=RoundState.CLOSED, closed_at=call.now, settled_at=one.settled_at or call.now,
        compared=compare(before, now), version=one.version + 1,
    )  # fmt: skip
    call.tx.reviews.save(one)
    reports.keep(call, one)
    call.log("round.closed", "round", one.id, items=len(found))
    if found:
        title = f"“{one.plan.name}” is closed: all of its {_counted(len(found))} are proved, or said to be left open"
        notices.tell(call, in_charge(call, one), Notice(f"round:{one.id}:closed", title, "", f"/rounds/{one.ref}"))
    return one


def _dated(call: Call, found: Sequence[tuple[Item, str]]) -> list[tuple[Item, str]]:
    """What only waits for its last day is left open until then, and nobody has to say so: its order sees to it."""
    waiting = {item.order_id for item, outcome in found if outcome == OrderState.WAITING and item.order_id is not None}
    orders_ = {order.id: order for order in call.tx.orders.some(waiting)}
    after: list[tuple[Item, str]] = []
    for item, outcome in found:
        order = orders_.get(item.order_id) if item.order_id is not None else None
        step = order.steps[order.place] if order is not None and outcome == OrderState.WAITING else None
        if order is None or step is None or step.call != "wait" or step.until is None:
            after.append((item, outcome))
            continue
        day = day_in(step.until - timedelta(microseconds=1), call.tx.workspace.zone)
        assert item.decision is not None  # noqa: S101 - an order comes of nothing else
        left = LeftOpen(f"Order {order.ref} ends it with {day}.", item.decision.by, call.actor.name, call.now)
        kept = replace(item, left_open=left, version=item.version + 1)
        call.tx.reviews.save_items([kept])
        after.append((kept, "left open"))
    return after


def _order(call: Call, one: Round, item: Item) -> Item:
    """Give the order that a decision becomes; what cannot be ordered says why."""
    decision = item.decision
    assert decision is not None  # noqa: S101 - nothing else is still to come
    assert decision.action is not None  # noqa: S101 - what is kept is not to come
    entry = call.tx.entries.lock(item.entry_id)
    if not entry.stands:
        return replace(item, trouble=GONE, version=item.version + 1)
    there = call.tx.orders.open_for(entry.id)
    if there is not None and there.action in (decision.action.value, Action.END.value):
        return replace(item, order_id=there.id, version=item.version + 1)
    try:
        if there is not None:
            raise Conflict(f"Order {there.ref} ({there.action}) is under way for it.")
        made = orders.planned(call, entry, Wish(decision.action, decision.level, None, decision.until)).plan
        reason = f"review “{one.plan.name}”, round {one.ref}" + (f": {decision.reason}" if decision.reason else "")
        drafted = orders.drafted(call, made, entry, reason, decision.by)
    except OpenLatchError as error:
        return replace(item, trouble=error.message, version=item.version + 1)
    order, _ = orders.given(call, drafted, entry)
    return replace(item, order_id=order.id, version=item.version + 1)


def seen(call: Call, several: Sequence[Round]) -> tuple[RoundSight, ...]:
    """Return rounds with how far they are."""
    outcomes = call.tx.reviews.outcomes([one.id for one in several])
    people = {person.id: person for person in call.tx.people.all()}
    waiting = call.tx.reviews.waiting(call.actor.person.id) if call.actor.person is not None else {}
    return tuple(
        RoundSight(one, outcomes[one.id], call.tx.reviews.progress(one.id), people, waiting.get(one.id, 0))
        for one in several
    )


def _answering(one: Round) -> None:
    if one.state is not RoundState.OPEN or one.paused_at is not None:
        state = "paused" if one.paused_at is not None else one.state.value
        raise Conflict(
            f"Round {one.ref} is {state}, and nothing is decided in it now. Nothing was changed.",
            next_step=f"Look at it: openlatch round show {one.ref}",
            round=one.ref,
        )


def _checked(call: Call, one: Round, item: Item, decision: Decision) -> Decision:
    try:
        return checked(item.facts, decision, call.now.date(), one.plan.risk_limit)
    except Invalid as error:
        about = f"Item {item.place + 1} ({item.facts.party} on {item.facts.account})"
        raise Invalid(f"{about}: {error.message}", next_step=error.next_step, **error.fields) from error


def _may_decide(call: Call, item: Item) -> None:
    """Nobody decides about their own access; a reviewer only about what is put to them."""
    person = call.actor.person
    name = f"item {item.place + 1} ({item.facts.party} on {item.facts.account})"
    if item.party_id == _own(call):
        raise NotAllowed(
            f"It is your own access that {name} is about. Nothing was changed.",
            next_step="Pass the round's other items, and leave this one to somebody else.",
        )
    if person is None or (person.role is Role.REVIEWER and item.reviewer != person.id):
        raise NotAllowed(
            f"Somebody else is asked about {name}. Nothing was changed.",
            next_step="Ask a manager to give it to you.",
        )


def _own(call: Call) -> UUID | None:
    return call.tx.parties.of_address(call.actor.person.address) if call.actor.person is not None else None


def _person(call: Call, address: str) -> Person:
    for person in call.tx.people.all():
        if person.role in REVIEWING and address.strip().lower() in (person.address, person.name.lower()):
            return person
    raise Invalid(
        f"“{address}” is nobody who can be asked in a review. Nothing was changed.",
        next_step="Name one of: "
        + ", ".join(sorted(one.address for one in call.tx.people.all() if one.role in REVIEWING)),
        errors=[{"at": "to", "problem": "not known"}],
    )
