"""What people are told of rounds: that one is open, what waits for them, and what nobody has answered."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import timedelta
from uuid import UUID

from openlatch.core.hours import day_in
from openlatch.core.model import Person
from openlatch.core.reviews.plans import Round
from openlatch.core.telling.notices import Notice
from openlatch.operations.call import Call
from openlatch.operations.people.reviewers import REVIEWING
from openlatch.operations.telling import notices
from openlatch.words import Role

__all__ = [
    "counted",
    "in_charge",
    "remind",
    "tell_cancelled",
    "tell_closed",
    "tell_given",
    "tell_opened",
    "tell_unanswered",
]


def in_charge(call: Call, one: Round) -> list[Person]:
    """Return who is told of what is not answered: whoever the review names for that, and the owners."""
    people = call.tx.people.able()
    named = [person for person in people if person.id == one.plan.otherwise and person.role in REVIEWING]
    return [*named, *(person for person in people if person.role is Role.OWNER and person not in named)]


def tell_opened(call: Call, one: Round) -> None:
    """Tell whoever is asked in a round that it is open."""
    people = call.tx.people.ever()
    for who, asked in call.tx.reviews.progress(one.id).items():
        if who in people:
            title = f"“{one.plan.name}” has come round: {counted(asked.items)} for you until {_due(call, one)}"
            notices.tell(call, [people[who]], Notice(f"round:{one.id}:opened", title, "", f"/rounds/{one.ref}"))


def tell_given(call: Call, one: Round, who: UUID, places: Sequence[int]) -> None:
    """Tell somebody that items were given to them; one alone is linked to."""
    if places and (call.actor.person is None or call.actor.person.id != who):
        were = "was" if len(places) == 1 else "were"
        title = f"“{one.plan.name}”: {counted(len(places))} {were} given to you by {call.actor.name}"
        key = f"round:{one.id}:given:{call.services.new_id()}"
        link = f"/rounds/{one.ref}" + (f"?item={places[0]}" if len(places) == 1 else "")
        notices.tell(call, [call.tx.people.get(who)], Notice(key, title, f"Due {_due(call, one)}.", link))


def remind(call: Call, one: Round) -> None:
    """Remind whoever has not answered, and later, while there is still time, say so to whoever is in charge."""
    before = timedelta(days=one.plan.remind_days)
    if not before or one.due_at - call.now > before:
        return
    progress = call.tx.reviews.progress(one.id)
    people = call.tx.people.ever()
    late = {who: one.items - one.decided for who, one in progress.items() if one.decided < one.items}
    for who, number in late.items():
        if who in people:
            title = f"“{one.plan.name}”: {counted(number)} still wait for you, due {_due(call, one)}"
            notices.tell(call, [people[who]], Notice(f"round:{one.id}:remind", title, "", f"/rounds/{one.ref}"))
    if late and one.due_at - call.now <= before / 2:
        tell_unanswered(call, one, late, people, f"due {_due(call, one)}", "late")


def tell_unanswered(
    call: Call, one: Round, late: Mapping[UUID | None, int], people: Mapping[UUID, Person], when: str, key: str
) -> None:
    """Tell whoever is in charge how much is not answered, by whom."""
    lines = [
        f"{people[who].name if who is not None and who in people else 'Nobody can be asked'}: {counted(number)}"
        for who, number in late.items()
    ]
    title = f"“{one.plan.name}”: {counted(sum(late.values()))} not answered, {when}"
    told = Notice(f"round:{one.id}:{key}", title, "\n".join(lines), f"/rounds/{one.ref}")
    notices.tell(call, in_charge(call, one), told)


def tell_cancelled(call: Call, one: Round, reason: str) -> None:
    """Tell whoever was asked in a round that it was called off, and why."""
    people = call.tx.people.ever()
    asked = [people[who] for who in call.tx.reviews.progress(one.id) if who in people]
    title = f"{call.actor.name} has called off a round of “{one.plan.name}”"
    notices.tell(call, asked, Notice(f"round:{one.id}:cancelled", title, f"Why: {reason}", f"/rounds/{one.ref}"))


def tell_closed(call: Call, one: Round, number: int) -> None:
    """Tell whoever is in charge that all of a round is proved, or said to be left open."""
    title = f"“{one.plan.name}” is closed: all of its {counted(number)} are proved, or said to be left open"
    notices.tell(call, in_charge(call, one), Notice(f"round:{one.id}:closed", title, "", f"/rounds/{one.ref}"))


def counted(number: int) -> str:
    """A number of items in words."""
    return "1 item" if number == 1 else f"{number} items"


def _due(call: Call, one: Round) -> str:
    return day_in(one.due_at, call.tx.workspace.zone)
