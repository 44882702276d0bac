"""Rounds of a review: what is asked of whom, what was decided, and the orders that come of it, until all is proved."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from uuid import UUID

from openlatch.core.ids import ref_of
from openlatch.core.model import Author, Person
from openlatch.core.reviews.decisions import Decision, advised, changed_since, checked, question, reason_needed
from openlatch.core.reviews.plans import Item, Round, RoundMove
from openlatch.core.taking_back.settled import LeftOpen
from openlatch.errors import Changed, Conflict, Invalid, NotAllowed, OpenLatchError
from openlatch.operations.call import Call, operation
from openlatch.operations.inventory.entries import words
from openlatch.operations.orders.orders import Wish
from openlatch.operations.people.reviewers import who_answers
from openlatch.operations.reviews import round_news, settle
from openlatch.operations.reviews.scope import joined, own_parties, scope_of
from openlatch.operations.taking_back import batches
from openlatch.operations.taking_back.together import Foresight, foreseen
from openlatch.store.inventory.entries import Listed
from openlatch.store.pages import Page
from openlatch.store.reviews.reviews import Past, Progress
from openlatch.words import Choice, Outcome, Role, RoundState

__all__ = [
    "Decided",
    "ItemSight",
    "RoundSight",
    "Said",
    "assign",
    "browse",
    "decide",
    "finish",
    "items",
    "leave_open",
    "pause",
    "plan",
    "seen",
    "show",
    "try_again",
]


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
    progress: Mapping[UUID | None, Progress]
    people: Mapping[UUID, Person]
    looks_at: str
    mine: int = 0
    """how many items wait for whoever looks"""
    rests: bool = True
    """whether nothing in it goes on by itself now"""
    joined: int = 0
    """how many entries are in scope now that were not when it was opened; with one round only"""

    @property
    def count(self) -> int:
        return sum(self.outcomes.values())


@dataclass(frozen=True, slots=True)
class ItemSight:
    """An item with what a reviewer sees beside it: advice, what changed, what was decided last, and what it is now."""

    item: Item
    outcome: Outcome
    listed: Listed
    advice: tuple[Choice, str]
    needs_reason: str
    """why keeping it needs a reason; empty if it does not"""
    group: str
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
    review = call.tx.reviews.find(text)
    since = joined(call, review, call.tx.reviews.asked_about(review.id)) if review.state is RoundState.OPEN else ()
    return replace(seen(call, [review])[0], joined=len(since))


@operation("rounds.items")
def items(call: Call, text: str, limit: int, cursor: str | None, *, mine: bool, outcome: str) -> Page[ItemSight]:
    """Some items of a round in their order: of all, of those that are one's own to answer, or with one outcome."""
    review = call.tx.reviews.find(text)
    reviewer = call.actor.person.id if mine and call.actor.person is not None else None
    page = call.tx.reviews.browse_items(review.id, reviewer=reviewer, outcome=outcome, limit=limit, cursor=cursor)
    return Page(_item_sights(call, review, page.items), page.next)


def _item_sights(call: Call, review_round: Round, found: Sequence[tuple[Item, Outcome]]) -> tuple[ItemSight, ...]:
    listed = call.tx.entries.about({item.entry_id for item, _ in found})
    past = call.tx.reviews.past([item.entry_id for item, _ in found], review_round.opened_at)
    people = call.tx.people.ever()
    own = _own(call)
    sights = []
    for item, outcome in found:
        before = past.get(item.entry_id)
        keep = Decision(Choice.KEEP, call.actor.author, call.now)
        sights.append(
            ItemSight(
                item=item,
                outcome=outcome,
                listed=listed[item.entry_id],
                advice=advised(item.facts),
                needs_reason=reason_needed(item.facts, keep, review_round.plan.risk_limit),
                group=question(item.account_id, item.facts),
                past=before,
                changed=changed_since(before.facts, item.facts, call.tx.workspace.zone) if before is not None else (),
                reviewer=people.get(item.reviewer) if item.reviewer is not None else None,
                own=item.party_id in own,
                order=ref_of(item.order_id) if item.order_id is not None else "",
            )
        )
    return tuple(sights)


@operation("rounds.plan")
def plan(call: Call, text: str, places: Sequence[int], said: Said | None) -> Foresight:
    """What the decisions of a round would do, all together; with `said`, one about these items beside the others."""
    review = call.tx.reviews.find(text)
    wishes: dict[UUID, Wish] = {}
    asked = set(places) if said is not None else set()
    about: set[UUID] = set()
    for item, outcome in call.tx.reviews.items(review.id):
        if outcome not in (Outcome.UNDECIDED, Outcome.TO_COME, Outcome.KEPT):
            continue
        if item.place in asked and said is not None:
            decision: Decision | None = Decision(said.choice, call.actor.author, call.now, "", said.level, said.until)
        else:
            decision = item.decision
        if decision is not None and decision.changes:
            wishes[item.entry_id] = settle.wish_of(item, decision)
            if item.place in asked:
                about.add(item.entry_id)
    return foreseen(call, wishes, about if asked else None)


@dataclass(frozen=True, slots=True)
class Decided:
    """How many items were decided, and the names of those who were asked about some of them instead."""

    count: int
    instead_of: tuple[str, ...]


@operation("rounds.decide")
def decide(call: Call, text: str, places: Sequence[int], said: Said, versions: Mapping[int, int]) -> Decided:
    """Decide items of an open round, alike or not; all of them or none. Until it is finished one's mind can change.

    With `versions`, refuses (Changed) what someone else decided meanwhile.
    """
    review = call.tx.reviews.find(text)
    _answering(review)
    found = call.tx.reviews.items(review.id, places=places, lock=True)
    missing = set(places) - {item.place for item, _ in found}
    if missing or not found:
        raise Invalid(
            f"Round {review.ref} has no item {', '.join(str(place) for place in sorted(missing)) or '?'}. "
            "Nothing was changed.",
            next_step=f"Look at its items: openlatch round show {review.ref}",
            errors=[{"at": "places", "problem": "not in this round"}],
        )
    to = who_answers(call, said.to).id if said.to else None
    decision = Decision(
        choice=said.choice,
        by=call.actor.author,
        at=call.now,
        reason=said.reason,
        level=said.level,
        until=said.until,
        to=to,
    )
    entries = call.tx.entries.about({item.entry_id for item, _ in found})
    people = call.tx.people.ever()
    parties = own_parties(call, [people[to]]) if to in people else {}
    me = call.actor.person.id if call.actor.person is not None else None
    after, own = [], _own(call)
    for item, _ in found:
        _may_decide(call, item, own)
        if versions.get(item.place, item.version) != item.version:
            raise Changed(
                f"Item {item.place} ({item.facts.party} on {item.facts.account}) was decided by someone else "
                "meanwhile. Nothing of yours was stored.",
                next_step="Look at it again, then decide.",
            )
        if not entries[item.entry_id].entry.stands:
            raise Conflict(
                f"The access of {item.facts.party} to {item.facts.account} has ended: there is nothing left "
                "to decide. Nothing was changed.",
                next_step="Leave it out.",
            )
        others = people.get(item.reviewer) if item.reviewer not in (None, me) else None
        ready = replace(
            _checked(call, review, item, decision), instead_of=others.author if others is not None else None
        )
        if ready.choice is Choice.PASS_ON:
            if to is not None and item.party_id in parties.get(to, ()):
                raise Invalid(
                    f"It is {said.to}'s own access. Nothing was changed.",
                    next_step="Pass it on to someone else.",
                    errors=[{"at": "to", "problem": "their own access"}],
                )
            after.append(replace(item, reviewer=to, decision=None, version=item.version + 1))
        else:
            after.append(replace(item, decision=ready, version=item.version + 1))
    call.tx.reviews.save_items(after)
    if to is not None:
        round_news.tell_given(call, review, to, [item.place for item in after])
    for whom in dict.fromkeys(_asked_instead(item) for item in after):
        call.log(
            "round.decided",
            "round",
            review.id,
            on_behalf_of=whom,
            choice=said.choice.value,
            reason=said.reason,
            level=said.level,
            until=said.until.isoformat() if said.until else None,
            to=said.to,
            items=[
                {"place": item.place, "entry": str(item.entry_id)} for item in after if _asked_instead(item) == whom
            ],
        )
    return Decided(len(after), _names(_asked_instead(item) for item in after))


def _names(several: Iterable[Author | None]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(str(one) for one in several if one is not None))


def _asked_instead(item: Item) -> Author | None:
    """Who was asked about an item that someone else has decided; None if that was whoever decided, or nobody."""
    return item.decision.instead_of if item.decision is not None else None


@dataclass(frozen=True, slots=True)
class Line:
    """A decision in a list of them: about the item at a place, which has to be about the entry that is named.

    `number` is that of its line in the list, as whoever sent it counts.
    """

    number: int
    place: int
    entry: str
    said: Said


@operation("rounds.decide_list")
def decide_list(call: Call, text: str, lines: Iterable[Line]) -> Decided:
    """Decide items of an open round by a list: all of it or none; what is wrong is said line by line.

    Each line names its entry, so that a list of another round, or one that has slipped, decides nothing.
    """
    review = call.tx.reviews.find(text)
    lines = list(lines)
    there = {item.place: item for item, _ in call.tx.reviews.items(review.id)}
    wrong: dict[int, str] = {}
    alike: dict[Said, dict[int, int]] = {}
    instead: dict[str, None] = {}
    taken: set[int] = set()
    for line in lines:
        number, item = line.number, there.get(line.place)
        if item is not None and line.entry not in (ref_of(item.entry_id), str(item.entry_id)):
            wrong[number] = f"item {line.place} is about entry {ref_of(item.entry_id)}, not {line.entry}"
        elif line.place in taken:
            wrong[number] = f"item {line.place} is decided twice"
        else:
            alike.setdefault(line.said, {})[line.place] = number
        taken.add(line.place)
    for said, numbers in alike.items():
        try:
            instead |= dict.fromkeys(decide(call, review.ref, list(numbers), said, {}).instead_of)
        except OpenLatchError:
            wrong |= _refused(call, review, said, numbers)
    if wrong:
        raise Invalid(
            f"{len(wrong)} of {len(lines)} lines cannot be taken. Nothing was decided.",
            next_step="Correct them, and send the whole list again.",
            errors=[{"at": f"line {number}", "problem": problem} for number, problem in sorted(wrong.items())],
        )
    return Decided(len(lines), tuple(instead))


def _refused(call: Call, review_round: Round, said: Said, numbers: Mapping[int, int]) -> dict[int, str]:
    """Of items that cannot be decided together, those that cannot be each by itself, by their lines, and why."""
    wrong = {}
    for place, number in numbers.items():
        try:
            decide(call, review_round.ref, [place], said, {})
        except OpenLatchError as error:
            wrong[number] = error.message.removesuffix(" Nothing was changed.").removesuffix(".")
    return wrong


@operation("rounds.assign")
def assign(call: Call, text: str, places: Sequence[int], addresses: Sequence[str]) -> RoundSight:
    """Give items of an open round to another reviewer, or split them among several, each for whole accounts."""
    review = call.tx.reviews.find(text)
    _answering(review)
    several = [who_answers(call, address) for address in dict.fromkeys(addresses)]
    parties = own_parties(call, several)
    the_items = [item for item, _ in call.tx.reviews.items(review.id, places=places, lock=True)]
    accounts = list(dict.fromkeys(item.account_id for item in the_items))
    turns = {account: several[place % len(several)] for place, account in enumerate(accounts)}
    after = []
    for item in the_items:
        able = [turns[item.account_id], *several]
        to = next((person.id for person in able if item.party_id not in parties.get(person.id, ())), None)
        if to is None:
            raise Invalid(
                f"Item {item.place} is {several[0].name}'s own access. Nothing was changed.",
                next_step="Give it to someone else.",
                errors=[{"at": "to", "problem": "their own access"}],
            )
        after.append(replace(item, reviewer=to, version=item.version + 1))
    call.tx.reviews.save_items(after)
    for person in several:
        round_news.tell_given(call, review, person.id, [item.place for item in after if item.reviewer == person.id])
    given = [{"place": item.place, "to": str(item.reviewer)} for item in after]
    call.log("round.assigned", "round", review.id, to=[person.address for person in several], items=given)
    return seen(call, [review])[0]


@operation("rounds.pause")
def pause(call: Call, text: str, *, paused: bool) -> RoundSight:
    """Let a round rest, and go on; the time that it rested is added to the time to answer."""
    review_round = call.tx.reviews.find(text, lock=True)
    if review_round.state is not RoundState.OPEN:
        raise Conflict(
            f"Round {review_round.ref} is {review_round.state}. Nothing was changed.", next_step="Look at it again."
        )
    if (review_round.paused_at is not None) != paused:
        due = (
            review_round.due_at
            if review_round.paused_at is None
            else review_round.due_at + (call.now - review_round.paused_at)
        )
        review_round = replace(
            review_round, paused_at=call.now if paused else None, due_at=due, version=review_round.version + 1
        )
        call.tx.reviews.save(review_round)
        call.log("round.paused" if paused else "round.resumed", "round", review_round.id)
    return seen(call, [review_round])[0]


@operation("rounds.cancel")
def cancel(call: Call, text: str, reason: str) -> RoundSight:
    """Call a round off that is not closed: no order is given by it any more; those that were given go on.

    What was decided stays with it. Whoever was asked is told why.
    """
    if not reason.strip():
        raise Invalid(
            "It is not said why. Nothing was changed.",
            next_step="Write it in a sentence: the reviewers read it, and it stays in the log.",
            errors=[{"at": "reason", "problem": "missing"}],
        )
    review_round = call.tx.reviews.find(text, lock=True)
    given = [ref_of(item.order_id) for item, _ in call.tx.reviews.items(review_round.id) if item.order_id is not None]
    review_round = review_round.moved(RoundMove.CANCEL, settled_by=call.actor.name, closed_at=call.now)
    call.tx.reviews.save(review_round)
    call.log("round.cancelled", "round", review_round.id, reason=reason.strip(), orders=given)
    round_news.tell_cancelled(call, review_round, reason.strip())
    return seen(call, [review_round])[0]


@operation("rounds.finish")
def finish(call: Call, text: str, count: int | None = None) -> RoundSight:
    """End the answering of a round before it is due: its decisions become orders. Refuses one with open questions.

    With `count`, refuses (Changed) if its decisions become another number of orders.
    """
    review = call.tx.reviews.find(text, lock=True)
    _answering(review)
    left = [item for item, _ in call.tx.reviews.items(review.id, outcome=Outcome.UNDECIDED.value)]
    entries = call.tx.entries.some({item.entry_id for item in left})
    open_ = [item for item in left if entries[item.entry_id].stands]
    if open_:
        raise Conflict(
            f"{len(open_)} items of round {review.ref} are not decided yet. Nothing was changed.",
            next_step=f"Decide them, or wait until it is due: what nobody answers by then {review.plan.silence()}.",
            undecided=len(open_),
        )
    if count is not None:
        batches.check_count(plan(call, text, (), None).count, count)
    return seen(call, [settle.end_answering(call, review)])[0]


@operation("rounds.leave_open")
def leave_open(call: Call, text: str, place: int, reason: str, owner: str) -> RoundSight:
    """Say that something is left open in a round, why, and who sees to it; then the round can be closed without it."""
    review = call.tx.reviews.find(text, lock=True)
    found = call.tx.reviews.items(review.id, places=[place], lock=True)
    if review.state is not RoundState.SETTLING or not found or found[0][1].settled:
        raise Conflict(
            f"Nothing number {place} of round {review.ref} waits to be done. Nothing was changed.",
            next_step=f"Look at it again: openlatch round show {review.ref}",
        )
    item = found[0][0]
    left = LeftOpen(reason, who_answers(call, owner).author, call.actor.author, call.now)
    call.tx.reviews.save_items([replace(item, left_open=left, version=item.version + 1)])
    call.log("round.left-open", "round", review.id, place=place, **left.facts())
    return seen(call, [settle.settle(call, review)])[0]


@operation("rounds.try_again")
def try_again(call: Call, text: str, place: int) -> RoundSight:
    """Try once more to give the order of a decision of which none came."""
    review = call.tx.reviews.find(text, lock=True)
    found = call.tx.reviews.items(review.id, places=[place], lock=True)
    if review.state is not RoundState.SETTLING or not found or found[0][1] is not Outcome.REFUSED:
        raise Conflict(
            f"Nothing number {place} of round {review.ref} can be tried again. Nothing was changed.",
            next_step=f"Look at it again: openlatch round show {review.ref}",
        )
    item = found[0][0]
    call.tx.reviews.save_items([replace(item, trouble="", version=item.version + 1)])
    return seen(call, [settle.settle(call, review)])[0]


def seen(call: Call, several: Sequence[Round]) -> tuple[RoundSight, ...]:
    """Return rounds with how far they are."""
    outcomes = call.tx.reviews.outcomes([review_round.id for review_round in several])
    people = call.tx.people.ever()
    waiting = call.tx.reviews.waiting(call.actor.person.id) if call.actor.person is not None else {}
    moving = call.tx.reviews.moving(
        [review_round.id for review_round in several if review_round.state is RoundState.SETTLING], call.now
    )
    return tuple(
        RoundSight(
            review_round,
            outcomes[review_round.id],
            call.tx.reviews.progress(review_round.id),
            people,
            scope_of(call, review_round.plan.where),
            mine=waiting.get(review_round.id, 0),
            rests=review_round.id not in moving,
        )
        for review_round in several
    )


def _answering(review_round: Round) -> None:
    if review_round.state is not RoundState.OPEN or review_round.paused_at is not None:
        state = "paused" if review_round.paused_at is not None else review_round.state.value
        raise Conflict(
            f"Round {review_round.ref} is {state}, and nothing is decided in it now. Nothing was changed.",
            next_step=f"Look at it: openlatch round show {review_round.ref}",
            round=review_round.ref,
        )


def _checked(call: Call, review_round: Round, item: Item, decision: Decision) -> Decision:
    try:
        return checked(item.facts, decision, call.now.date(), review_round.plan.risk_limit)
    except Invalid as error:
        about = f"Item {item.place} ({item.facts.party} on {item.facts.account})"
        raise Invalid(f"{about}: {error.message}", next_step=error.next_step, **error.fields) from error


def _may_decide(call: Call, item: Item, own: Collection[UUID]) -> None:
    """Nobody decides about their own access; a reviewer only about what is put to them."""
    person = call.actor.person
    name = f"item {item.place} ({item.facts.party} on {item.facts.account})"
    if item.party_id in own:
        raise NotAllowed(
            f"It is your own access that {name} is about. Nothing was changed.",
            next_step="Decide the round's other items, and leave this one to someone else.",
        )
    if person is None or (person.role is Role.REVIEWER and item.reviewer != person.id):
        raise NotAllowed(
            f"Someone else is asked about {name}. Nothing was changed.",
            next_step="Ask a manager to give it to you.",
        )


def _own(call: Call) -> frozenset[UUID]:
    return call.tx.parties.carrying(call.actor.person.address) if call.actor.person is not None else frozenset()
