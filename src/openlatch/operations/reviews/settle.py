"""From decisions to proof: what rounds do by themselves, until everything in them is proved or said to be left open."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from openlatch.core.hours import last_day
from openlatch.core.reviews.decisions import Decision
from openlatch.core.reviews.plans import Item, Round, RoundMove, compare, unanswered
from openlatch.core.taking_back.settled import LeftOpen, why_gone
from openlatch.errors import Conflict, OpenLatchError
from openlatch.operations.call import SERVICE, Call
from openlatch.operations.orders import orders
from openlatch.operations.orders.orders import Wish
from openlatch.operations.people.reviewers import REVIEWING
from openlatch.operations.reviews import reports, round_news
from openlatch.operations.reviews.scope import facts_now, have_left, joined, own_parties
from openlatch.operations.rules import flags
from openlatch.operations.taking_back.together import held_back
from openlatch.words import Action, Choice, Outcome, RoundState

__all__ = ["end_answering", "go_on", "settle", "wish_of"]

CHUNK = 40
"""So many orders are given in one transaction."""
SOON = 200
"""A round of so many items at most goes on in the same moment in which its answering ends."""


def go_on(call: Call) -> None:
    """Take every round that is not closed as far as it goes now: remind, end the answering, give orders, close."""
    unfinished = call.tx.reviews.unfinished()
    if unfinished:
        call.tx.facts.take_turns()
    for review_round in unfinished:
        if review_round.state is RoundState.SETTLING:
            settle(call, call.tx.reviews.find(str(review_round.id), lock=True))
        elif review_round.paused_at is None and review_round.due_at <= call.now:
            there = call.tx.reviews.find(str(review_round.id), lock=True)
            if there.state is RoundState.OPEN:
                end_answering(call, there)
        elif review_round.paused_at is None:
            _replace_who_left(call, review_round)
            round_news.remind(call, review_round)


def _replace_who_left(call: Call, review_round: Round) -> None:
    """What someone was asked who can no longer answer goes to whoever is asked where nobody else can be.

    That is whoever has left by what a provider says, cannot sign in here any more, or has a role that decides nothing.
    """
    waiting = {
        who for who, asked in call.tx.reviews.progress(review_round.id).items() if who and asked.decided < asked.items
    }
    people = {who: person for who, person in call.tx.people.ever().items() if who in waiting}
    unable = {who for who, person in people.items() if not person.active or person.role not in REVIEWING}
    left = unable | have_left(call, own_parties(call, people.values()))
    if not left:
        return
    instead = [person for person in round_news.in_charge(call, review_round) if person.id not in left]
    own = own_parties(call, instead)
    after = []
    for item, outcome in call.tx.reviews.items(review_round.id, lock=True):
        if item.reviewer in left and outcome is Outcome.UNDECIDED:
            to = next((person.id for person in instead if item.party_id not in own.get(person.id, ())), None)
            after.append(replace(item, reviewer=to, version=item.version + 1))
    call.tx.reviews.save_items(after)
    for person in instead:
        round_news.tell_given(
            call, review_round, person.id, [item.place for item in after if item.reviewer == person.id]
        )
    names = sorted(people[who].name for who in left)
    call.log("round.reassigned", "round", review_round.id, left=names, items=[item.place for item in after])


def end_answering(call: Call, review_round: Round) -> Round:
    """End the answering: what nobody answered comes to what the plan says, what is kept counts as reviewed."""
    found = call.tx.reviews.items(review_round.id, lock=True)
    entries = call.tx.entries.some({item.entry_id for item, _ in found})
    standing = [item for item, _ in found if entries[item.entry_id].stands]
    silent = [(item.place, item.facts) for item in standing if item.decision is None]
    answers = unanswered(silent, review_round.plan.unanswered, review_round.plan.most, SERVICE.author, call.now)
    after: list[Item] = []
    for item, _ in found:
        if not entries[item.entry_id].stands:
            why = why_gone(entries[item.entry_id])
            after.append(replace(item, trouble=why, gone=True, version=item.version + 1))
        elif item.place in answers:
            after.append(replace(item, decision=answers[item.place], version=item.version + 1))
    acting = {item.place: item for item in (*standing, *after) if item.decision and item.decision.changes}
    held = held_back(call, {item.entry_id: wish_of(item, item.decision) for item in acting.values() if item.decision})
    stopped = {
        item.entry_id: replace(item, trouble=held[item.entry_id]) for item in acting.values() if item.entry_id in held
    }
    after = [stopped.pop(item.entry_id, item) for item in after]
    after += [replace(item, version=item.version + 1) for item in stopped.values()]
    call.tx.reviews.save_items(after)
    kept = [item for item in standing if item.decision is not None and item.decision.choice is Choice.KEEP]
    missed = [item.entry_id for item in standing if item.place in answers]
    call.tx.entries.reviewed([item.entry_id for item in kept], missed, call.now)
    flags.evaluate(call, [item.entry_id for item in kept] + missed)
    by = call.actor.name
    if answers:
        late = Counter(item.reviewer for item in standing if item.place in answers)
        people = call.tx.people.ever()
        round_news.tell_unanswered(
            call, review_round, late, people, f"and so they {review_round.plan.silence(several=True)}", "silent"
        )
    review_round = review_round.moved(RoundMove.SETTLE, settled_by=by, settled_at=call.now)
    call.tx.reviews.save(review_round)
    call.log("round.finished", "round", review_round.id, unanswered=len(answers))
    # Of many, the worker does the rest: nobody waits for a report of thousands of lines.
    return settle(call, review_round) if len(found) <= SOON else review_round


def settle(call: Call, review_round: Round) -> Round:
    """Give some more of the orders of a round, or close it once everything in it is proved or said to be left open."""
    if review_round.state is not RoundState.SETTLING:
        return review_round
    to_come = call.tx.reviews.items(review_round.id, outcome=Outcome.TO_COME.value, limit=CHUNK)
    if to_come:
        call.tx.reviews.save_items([_order(call, review_round, item) for item, _ in to_come])
        return review_round
    outcomes = map(Outcome, call.tx.reviews.outcomes([review_round.id])[review_round.id])
    if any(not outcome.settled and outcome is not Outcome.WAITING for outcome in outcomes):
        return review_round
    found = tuple(_dated(call, call.tx.reviews.items(review_round.id)))
    if any(not outcome.settled for _, outcome in found):
        return review_round
    before = {item.entry_id: item.facts for item, _ in found}
    now = facts_now(call, before)
    since = facts_now(call, joined(call, review_round, before))
    review_round = review_round.moved(
        RoundMove.CLOSE,
        closed_at=call.now,
        settled_at=review_round.settled_at or call.now,
        compared=compare(before, now, since.values()),
    )
    call.tx.reviews.save(review_round)
    reports.keep(call, review_round, found, now)
    call.log("round.closed", "round", review_round.id, items=len(found))
    if found:
        round_news.tell_closed(call, review_round, len(found))
    return review_round


def _dated(call: Call, found: Sequence[tuple[Item, Outcome]]) -> list[tuple[Item, Outcome]]:
    """What only waits for its last day is left open until then, and nobody has to say so: its order sees to it."""
    waiting = {item.order_id for item, outcome in found if outcome is Outcome.WAITING and item.order_id is not None}
    orders_ = {order.id: order for order in call.tx.orders.some(waiting)}
    after: list[tuple[Item, Outcome]] = []
    dated: list[Item] = []
    for item, outcome in found:
        order = orders_.get(item.order_id) if item.order_id is not None else None
        step = order.steps[order.place] if order is not None and outcome is Outcome.WAITING else None
        if order is None or step is None or step.call != "wait" or step.until is None:
            after.append((item, outcome))
            continue
        day = last_day(step.until, call.tx.workspace.zone)
        assert item.decision is not None  # noqa: S101 - an order comes of nothing else
        left = LeftOpen(f"Order {order.ref} ends it with {day}.", item.decision.by, call.actor.author, call.now)
        dated.append(replace(item, left_open=left, version=item.version + 1))
        after.append((dated[-1], Outcome.LEFT_OPEN))
    call.tx.reviews.save_items(dated)
    return after


def wish_of(item: Item, decision: Decision) -> Wish:
    """Return the order that a decision about an item becomes."""
    action = decision.action(item.facts.kind)
    assert action is not None  # noqa: S101 - what is kept becomes none
    return Wish(action, decision.level, None, decision.until)


def _order(call: Call, review_round: Round, item: Item) -> Item:
    """Give the order that a decision becomes; what cannot be ordered says why."""
    decision = item.decision
    assert decision is not None  # noqa: S101 - nothing else is still to come
    orders.hold(call, list(call.tx.entries.some([item.entry_id]).values()))
    entry = call.tx.entries.lock(item.entry_id)
    if not entry.stands:
        return replace(item, trouble=why_gone(entry), gone=True, version=item.version + 1)
    there, wish = call.tx.orders.open_for(entry.id), wish_of(item, decision)
    if there is not None and there.action in (wish.action.value, Action.END.value):
        return replace(item, order_id=there.id, version=item.version + 1)
    try:
        if there is not None:
            raise Conflict(f"Order {there.ref} ({there.action}) is in progress for it.")
        made = orders.planned(call, entry, wish).plan
        reason = f"review “{review_round.plan.name}”, round {review_round.ref}" + (
            f": {decision.reason}" if decision.reason else ""
        )
        drafted = orders.drafted(call, made, entry, reason, decision.by)
    except OpenLatchError as error:
        return replace(item, trouble=error.message, version=item.version + 1)
    order, _ = orders.given(call, drafted, entry)
    return replace(item, order_id=order.id, version=item.version + 1)
