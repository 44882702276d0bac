"""What people are told of rounds: that one is open, what waits for them, and what nobody has answered."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import timedelta
from uuid import UUID

from openlatch.core.hours import day_in
from openlatch.core.model import Person
from openlatch.core.phrases import counted
from openlatch.core.reviews.plans import Round
from openlatch.core.telling.notices import Notice
from openlatch.operations.call import Call
from openlatch.operations.people.reviewers import REVIEWING
from openlatch.operations.telling import notices
from openlatch.words import Role

__all__ = [
    "in_charge",
    "remind",
    "tell_cancelled",
    "tell_closed",
    "tell_given",
    "tell_opened",
    "tell_unanswered",
]


def in_charge(call: Call, review_round: Round) -> list[Person]:
    """Return who is told of what is not answered: whoever the review names for that, and the owners."""
    people = call.tx.people.able()
    named = [person for person in people if person.id == review_round.plan.otherwise and person.role in REVIEWING]
    return [*named, *(person for person in people if person.role is Role.OWNER and person not in named)]


def tell_opened(call: Call, review_round: Round) -> None:
    """Tell whoever is asked in a round that it is open."""
    people = call.tx.people.ever()
    for who, asked in call.tx.reviews.progress(review_round.id).items():
        if who in people:
            due = _due(call, review_round)
            title = f"“{review_round.plan.name}” is due: {counted(asked.items, 'item')} for you until {due}"
            notices.tell(
                call, [people[who]], Notice(f"round:{review_round.id}:opened", title, "", f"/rounds/{review_round.ref}")
            )


def tell_given(call: Call, review_round: Round, who: UUID, places: Sequence[int]) -> None:
    """Tell someone that items were given to them; one alone is linked to."""
    if places and (call.actor.person is None or call.actor.person.id != who):
        were = "was" if len(places) == 1 else "were"
        title = f"“{review_round.plan.name}”: {counted(len(places), 'item')} {were} given to you by {call.actor.name}"
        key = f"round:{review_round.id}:given:{call.services.new_id()}"
        link = f"/rounds/{review_round.ref}" + (f"?item={places[0]}" if len(places) == 1 else "")
        notices.tell(call, [call.tx.people.get(who)], Notice(key, title, f"Due {_due(call, review_round)}.", link))


def remind(call: Call, review_round: Round) -> None:
    """Remind whoever has not answered, and later, while there is still time, say so to whoever is in charge."""
    before = timedelta(days=review_round.plan.remind_days)
    if not before or review_round.due_at - call.now > before:
        return
    progress = call.tx.reviews.progress(review_round.id)
    people = call.tx.people.ever()
    late = {
        who: each_progress.items - each_progress.decided
        for who, each_progress in progress.items()
        if each_progress.decided < each_progress.items
    }
    for who, number in late.items():
        if who in people:
            due = _due(call, review_round)
            title = f"“{review_round.plan.name}”: {counted(number, 'item')} still wait for you, due {due}"
            notices.tell(
                call, [people[who]], Notice(f"round:{review_round.id}:remind", title, "", f"/rounds/{review_round.ref}")
            )
    if late and review_round.due_at - call.now <= before / 2:
        tell_unanswered(call, review_round, late, people, f"due {_due(call, review_round)}", "late")


def tell_unanswered(
    call: Call, review_round: Round, late: Mapping[UUID | None, int], people: Mapping[UUID, Person], when: str, key: str
) -> None:
    """Tell whoever is in charge how much is not answered, by whom."""
    lines = [
        f"{people[who].name if who is not None and who in people else 'Nobody can be asked'}: {counted(number, 'item')}"
        for who, number in late.items()
    ]
    title = f"“{review_round.plan.name}”: {counted(sum(late.values()), 'item')} not answered, {when}"
    told = Notice(f"round:{review_round.id}:{key}", title, "\n".join(lines), f"/rounds/{review_round.ref}")
    notices.tell(call, in_charge(call, review_round), told)


def tell_cancelled(call: Call, review_round: Round, reason: str) -> None:
    """Tell whoever was asked in a round that it was cancelled, and why."""
    people = call.tx.people.ever()
    asked = [people[who] for who in call.tx.reviews.progress(review_round.id) if who in people]
    title = f"{call.actor.name} has cancelled a round of “{review_round.plan.name}”"
    notices.tell(
        call,
        asked,
        Notice(f"round:{review_round.id}:cancelled", title, f"Why: {reason}", f"/rounds/{review_round.ref}"),
    )


def tell_closed(call: Call, review_round: Round, number: int) -> None:
    """Tell whoever is in charge that all of a round is proved, or said to be left open."""
    items = counted(number, "item")
    title = f"“{review_round.plan.name}” is closed: its {items} are all proved, or left open with a reason"
    notices.tell(
        call,
        in_charge(call, review_round),
        Notice(f"round:{review_round.id}:closed", title, "", f"/rounds/{review_round.ref}"),
    )


def _due(call: Call, review_round: Round) -> str:
    return day_in(review_round.due_at, call.tx.workspace.zone)
