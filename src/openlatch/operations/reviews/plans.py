"""Reviews that come round: what is reviewed, when and by whom; and the scheduler that opens rounds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, time, timedelta
from typing import Any
from uuid import UUID

from openlatch.core.model import Person
from openlatch.core.recurrence import Recurrence
from openlatch.core.reviews.plans import Item, ReviewPlan, Round, RoundMove
from openlatch.core.telling.notices import Notice
from openlatch.errors import Conflict, Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.people.reviewers import REVIEWING
from openlatch.operations.reviews import round_news, rounds, settle
from openlatch.operations.reviews.scope import (
    asked_about,
    facts_of,
    in_scope,
    put_in_order,
    scope_of,
    still_in_scope,
    too_many,
)
from openlatch.operations.telling import notices
from openlatch.wire.reviews.reviews import NewReview
from openlatch.words import Occasion, Power, Reviewers

__all__ = ["ReviewSight", "browse", "change", "check", "create", "occasions", "open_due", "open_now", "pause", "show"]

SHOWN = 60
"""So many of the times at which a review takes place within the next year are shown."""
YEAR = timedelta(days=366)
SETTLED = timedelta(minutes=1)
"""So long after the last event a round is opened, so that what comes together makes one."""
CAUGHT_UP = 40
"""So many occurrences of one review are gone through in one transaction."""


_LOST = "what it looks at names something that is not there any more"
_EVENTS: Mapping[Occasion, str] = {
    Occasion.PARTY_LEFT: "when someone has left",
    Occasion.ADMINISTRATOR_ADDED: "when an administrator was added",
    Occasion.PROVIDER_BREACH: "when a provider has reported a breach",
}


@dataclass(frozen=True, slots=True)
class ReviewSight:
    """A review with what it means now: when it takes place next, in words and days, and how much is in its scope."""

    plan: ReviewPlan
    says: str
    coming: tuple[datetime, ...]
    entries: int
    people: Mapping[UUID, Person]
    looks_at: str
    asked_already: tuple[tuple[Round, int], ...] = ()
    """of one review: the open rounds that ask about entries in its scope, each with about how many"""
    unasked: int = 0
    """with a check: how many entries nobody could be asked about"""

    @property
    def left_out(self) -> int:
        """How many of the least risky are too many for a round."""
        return too_many(self.entries)


@operation("reviews.browse")
def browse(call: Call) -> tuple[ReviewSight, ...]:
    """All reviews, by name."""
    return tuple(_sight(call, plan) for plan in call.tx.reviews.plans())


@operation("reviews.show")
def show(call: Call, text: str) -> ReviewSight:
    """One review, by id, short form or name."""
    plan = call.tx.reviews.plan(text)
    asked = call.tx.reviews.asked_in(still_in_scope(call, plan.where) or ())
    rounds_ = tuple((review_round, asked[review_round.id]) for review_round in call.tx.reviews.some(asked))
    return replace(_sight(call, plan), asked_already=rounds_)


@operation("reviews.check")
def check(call: Call, draft: NewReview) -> ReviewSight:
    """What a review would mean: when it would come round, and what would be in it; changes nothing."""
    plan = _planned(call, draft, call.services.new_id())
    there = in_scope(call, plan.where)
    asked = asked_about(call, plan, put_in_order(call, there))
    return replace(_sight(call, plan, there), unasked=sum(1 for person in asked.values() if person is None))


@operation("reviews.save")
def create(call: Call, draft: NewReview) -> ReviewSight:
    """Store a review, which takes place by itself from then on."""
    plan = _planned(call, draft, call.services.new_id())
    call.tx.reviews.add_plan(plan, call.tx.events.head().size)
    call.log("review.added", "review", plan.id, name=plan.name, recurs=plan.recurs, where=dict(plan.where))
    return _sight(call, plan)


@operation("reviews.change")
def change(call: Call, text: str, draft: NewReview, version: int | None) -> ReviewSight:
    """Change a review; rounds that are open stay as they were opened."""
    there = call.tx.reviews.plan(text, lock=True)
    plan = replace(
        _planned(call, draft, there.id),
        paused=there.paused,
        created_by=there.created_by,
        version=(version or there.version) + 1,
    )
    call.tx.reviews.save_plan(plan)
    call.log("review.changed", "review", plan.id, name=plan.name, recurs=plan.recurs, where=dict(plan.where))
    return _sight(call, plan)


def in_zone(call: Call, zone: str) -> None:
    """Have reviews come round by another zone from now on."""
    for plan in call.tx.reviews.plans():
        if plan.next_at is not None:
            there = call.tx.reviews.plan(str(plan.id), lock=True)
            call.tx.reviews.save_plan(
                replace(there, next_at=there.following(call.now, zone), version=there.version + 1)
            )


@operation("reviews.pause")
def pause(call: Call, text: str, *, paused: bool) -> ReviewSight:
    """Let a review come round no more, or again; what it missed meanwhile does not come after."""
    there = call.tx.reviews.plan(text, lock=True)
    if there.paused != paused:
        following = there.following(call.now, call.tx.workspace.zone)
        there = replace(there, paused=paused, next_at=following, version=there.version + 1)
        call.tx.reviews.save_plan(there)
        call.log("review.paused" if paused else "review.resumed", "review", there.id, name=there.name)
    return _sight(call, there)


@operation("reviews.remove")
def remove(call: Call, text: str) -> None:
    """Give a review up: it takes place no more. Its rounds and reports stay; one that is not closed has to be first."""
    there = call.tx.reviews.plan(text, lock=True)
    left = [review_round for review_round in call.tx.reviews.unfinished() if review_round.plan.id == there.id]
    if left:
        raise Conflict(
            f"Round {left[0].ref} of “{there.name}” is {left[0].state}. Nothing was changed.",
            next_step=f"Finish it, or cancel it: openlatch round cancel {left[0].ref} --reason …",
            round=left[0].ref,
        )
    call.tx.reviews.remove_plan(there.id, call.now)
    call.log("review.removed", "review", there.id, name=there.name)


@operation("reviews.open")
def open_now(call: Call, text: str) -> rounds.RoundSight:
    """Open a round of a review now, beside those that come by themselves."""
    plan = call.tx.reviews.plan(text, lock=True)
    opened = _open(call, plan, call.now, f"opened by {call.actor.name}")
    if opened is None:
        raise Conflict(
            f"A round of “{plan.name}” was opened this instant. Nothing was changed.", next_step="Look at it."
        )
    return rounds.seen(call, [opened])[0]


# The scheduler


def open_due(call: Call) -> int:
    """Open the rounds that are due by now: of the calendar, each occurrence once, and of what happened since."""
    opened = 0
    for plan in call.tx.reviews.due(call.now):
        opened += _catch_up(call, plan)
    for plan in call.tx.reviews.plans():
        if plan.on and not plan.paused:
            opened += _on_events(call, plan)
    return opened


def _catch_up(call: Call, plan: ReviewPlan) -> int:
    opened, zone = 0, call.tx.workspace.zone
    for _ in range(CAUGHT_UP):
        if plan.next_at is None or plan.next_at > call.now:
            break
        occurrence = plan.next_at
        if occurrence + timedelta(days=plan.answer_days) <= call.now:
            # Nobody could have answered it in time: the one that comes after asks the same.
            call.log("round.missed", "review", plan.id, name=plan.name, occurrence=occurrence.isoformat())
        else:
            opened += _open(call, plan, occurrence, "it came round") is not None
        plan = replace(plan, next_at=plan.following(occurrence, zone), version=plan.version + 1)
        call.tx.reviews.save_plan(plan)
    return opened


_ACTS: Mapping[Occasion, tuple[str, ...]] = {
    Occasion.PARTY_LEFT: ("party.left",),
    Occasion.ADMINISTRATOR_ADDED: ("entry.found", "entry.changed"),
    Occasion.PROVIDER_BREACH: ("provider.breach-reported",),
}


def _on_events(call: Call, plan: ReviewPlan) -> int:
    """Open a round after what happened: one for all that comes together, and none beside one that is open."""
    if call.tx.reviews.answering(plan.id):
        return 0
    events = call.tx.reviews.happened(plan.id, [act for event in sorted(plan.on) for act in _ACTS[event]])
    if not events:
        return 0
    known = call.tx.readings.first_complete()
    told = [(event, why) for _, event in events if (why := _why(call, event, known))]
    if told and call.now - datetime.fromisoformat(told[-1][0]["at"]) < SETTLED:
        return 0
    call.tx.reviews.heeded(plan.id, events[-1][0])
    there = _narrowed(plan, told) if told else None
    return 0 if there is None else int(_open(call, there, call.now, told[0][1]) is not None)


def _narrowed(plan: ReviewPlan, told: Sequence[tuple[Mapping[str, Any], str]]) -> ReviewPlan | None:
    """After breaches at one provider, a round is about what lives there; None if the review is about another."""
    names = {event["facts"]["name"] if event["act"] == "provider.breach-reported" else "" for event, _ in told}
    if len(names) != 1 or names == {""}:
        return plan
    (name,) = names
    if plan.where.get("provider", name) != name:
        return None
    return replace(plan, where={**plan.where, "provider": name})


def _why(call: Call, event: Mapping[str, Any], known: Mapping[UUID, datetime]) -> str:
    """What an event of the log means for a review; empty if nothing. `known` is since when providers are."""
    if event["act"] == "party.left":
        return "someone left"
    if event["act"] == "provider.breach-reported":
        return f"{event['facts']['name']} reported a breach"
    facts = event["facts"]
    after = facts.get("powers") if event["act"] == "entry.found" else (facts.get("after") or {}).get("powers", ())
    before = () if event["act"] == "entry.found" else (facts.get("before") or {}).get("powers", ())
    if Power.ADMIT not in (after or ()) or Power.ADMIT in (before or ()):
        return ""
    listed = call.tx.entries.find(event["subject_id"])
    since = known.get(listed.provider.id)
    # What a provider shows when it is read for the first time was there before.
    new = listed.provider.by_hand or (since is not None and datetime.fromisoformat(event["at"]) > since)
    return f"{listed.party.name} became an administrator of {listed.account.name}" if new else ""


def _open(call: Call, plan: ReviewPlan, occurrence: datetime, why: str) -> Round | None:
    """Open a round with what is in scope now; None if there is one for this occurrence already."""
    there = still_in_scope(call, plan.where)
    if there is None:
        call.log("round.not-opened", "review", plan.id, name=plan.name, occurrence=occurrence.isoformat())
        title = f"“{plan.name}” was due, but no round was opened: {_LOST}"
        news = Notice(f"review:{plan.id}:{occurrence.isoformat()}:lost", title, "Change what it looks at.", "/reviews")
        notices.tell(call, notices.managers(call), news)
        return None
    every = put_in_order(call, there)
    facts = facts_of(call, {listed_entry.entry.id: listed_entry for listed_entry in every})
    asked = asked_about(call, plan, every)
    opened = Round(
        id=call.services.new_id(),
        plan=plan,
        why=why,
        occurrence=occurrence,
        opened_at=call.now,
        due_at=call.now + timedelta(days=plan.answer_days),
        policy=call.tx.workspace.policy,
        left_out=len(there) - len(every),
    )
    items = [
        Item(
            round_id=opened.id,
            place=place,
            entry_id=each_listed_entry.entry.id,
            account_id=each_listed_entry.account.id,
            party_id=each_listed_entry.party.id,
            facts=facts[each_listed_entry.entry.id],
            reviewer=asked[place],
        )
        for place, each_listed_entry in enumerate(every, start=1)
    ]
    if not call.tx.reviews.add(opened, items):
        return None
    left_out = {"left_out": opened.left_out} if opened.left_out else {}
    call.log("round.opened", "round", opened.id, review=plan.name, why=why, items=len(items), **left_out)
    round_news.tell_opened(call, opened)
    if not items:
        settling = opened.moved(RoundMove.SETTLE, settled_by="Open Latch")
        call.tx.reviews.save(settling)
        opened = settle.settle(call, settling)
    return opened


# What people write


def _planned(call: Call, draft: NewReview, plan_id: UUID) -> ReviewPlan:
    """Return the review that a draft means; raises Invalid for one that makes no sense."""
    zone = call.tx.workspace.zone
    begins, at = draft.begins or call.now.date(), time.fromisoformat(draft.at)
    where = draft.where.model_dump(mode="json", exclude_defaults=True)
    if not draft.recurs and not draft.on:
        raise Invalid(
            "A review needs a schedule, an event, or both. Nothing was changed.",
            next_step="Give a schedule: FREQ=MONTHLY;BYDAY=1MO is the first Monday of every month.",
            errors=[{"at": "recurs", "problem": "missing"}],
        )
    recurs = Recurrence.parse(draft.recurs, begins, at, zone).rule if draft.recurs else ""
    in_scope(call, where)  # refuses a filter that names what is not there
    people = {person.address: person for person in call.tx.people.able()}
    named = tuple(_reviewer(people, address, "named") for address in draft.named)
    if draft.reviewers is Reviewers.NAMED and not named:
        raise Invalid(
            "No reviewer is named. Nothing was changed.",
            next_step=f"Name at least one of: {_able(people)}.",
            errors=[{"at": "named", "problem": "missing"}],
        )
    plan = ReviewPlan(
        id=plan_id,
        name=draft.name,
        where=where,
        recurs=recurs,
        begins=begins,
        at=at,
        on=frozenset(draft.on),
        reviewers=draft.reviewers,
        named=named,
        substitutes={
            _reviewer(people, who, "substitutes"): _reviewer(people, other, "substitutes")
            for who, other in draft.substitutes.items()
        },
        otherwise=_reviewer(people, draft.otherwise, "otherwise") if draft.otherwise else None,
        answer_days=draft.answer_days,
        remind_days=draft.remind_days,
        unanswered=draft.unanswered,
        most=draft.most,
        risk_limit=draft.risk_limit,
        created_by=call.actor.name,
    )
    return replace(plan, next_at=plan.following(call.now, zone))


def _reviewer(people: Mapping[str, Person], address: str, at: str) -> UUID:
    person = people.get(address.strip().lower())
    if person is None or person.role not in REVIEWING:
        why = "is nobody of this workspace" if person is None else f"is {person.role}, and cannot be asked in a review"
        raise Invalid(
            f"“{address}” {why}. Nothing was changed.",
            next_step=f"Name one of: {_able(people)}.",
            errors=[{"at": at, "problem": why}],
        )
    return person.id


def _able(people: Mapping[str, Person]) -> str:
    return ", ".join(sorted(person.address for person in people.values() if person.role in REVIEWING))


def occasions(call: Call, plan: ReviewPlan) -> list[str]:
    """When a review takes place, in words: how often, and after which events."""
    recurrence = plan.recurrence(call.tx.workspace.zone)
    events = " or ".join(_EVENTS[occasion] for occasion in sorted(plan.on))
    return list(filter(None, ["" if recurrence is None else recurrence.says(), events]))


def _sight(call: Call, plan: ReviewPlan, scope: Sequence[UUID] | None = None) -> ReviewSight:
    """Return a review with what it means; `scope` is what is in it, where that is at hand."""
    recurrence = plan.recurrence(call.tx.workspace.zone)
    coming = recurrence.coming(call.now, SHOWN, call.now + YEAR) if recurrence is not None and not plan.paused else []
    people = call.tx.people.ever()
    there = still_in_scope(call, plan.where) if scope is None else scope
    return ReviewSight(
        plan,
        ", and ".join([*occasions(call, plan), *([_LOST] if there is None else [])]),
        tuple(coming),
        len(there or ()),
        people,
        scope_of(call, plan.where),
    )
