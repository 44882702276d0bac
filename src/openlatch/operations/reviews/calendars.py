"""Everybody's own calendar, under a secret address that reads and signs in to nothing else."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import timedelta
from uuid import UUID

from openlatch.core.model import Person, Workspace
from openlatch.core.reviews.calendar import AHEAD, Happening
from openlatch.errors import NotFound, NotSignedIn
from openlatch.operations.call import Actor, Call, operation
from openlatch.words import Role

__all__ = ["Calendar", "follow", "make", "workspace_in"]

MOST = 500
"""So many ends of access stand in one calendar, the soonest."""


@dataclass(frozen=True, slots=True)
class Calendar:
    """Whose calendar it is, and what stands in it, the soonest first."""

    workspace: Workspace
    person: Person
    happenings: tuple[Happening, ...]


@operation("calendars.make")
def make(call: Call) -> str:
    """Give one's calendar a new secret address, and return its last part; the former one leads nowhere from then on."""
    if call.actor.person is None:
        raise NotSignedIn("Nobody is signed in.", next_step="Sign in first.")
    secret = secrets.token_urlsafe(32)
    call.tx.reviews.keep_calendar(call.actor.person.id, _hash(secret), call.now)
    call.log("calendar.made", "person", call.actor.person.id)
    return f"{call.tx.workspace.id.hex}.{secret}"


def workspace_in(address: str) -> UUID:
    """Return the workspace that the last part of a calendar's address names."""
    try:
        return UUID(hex=address.partition(".")[0])
    except ValueError as error:
        raise _nothing() from error


def follow(call: Call, address: str) -> Calendar:
    """Return the calendar at a secret address; whoever knows the address may read it."""
    person_id = call.tx.reviews.calendar_of(_hash(address.partition(".")[2]))
    if person_id is None:
        raise _nothing()
    person = call.tx.people.get(person_id)
    call = replace(call, actor=Actor(person.name, person))
    found = [*_waiting(call, person), *_coming_round(call, person), *_ending(call, person)]
    return Calendar(
        call.tx.workspace, person, tuple(sorted(found, key=lambda happening: (happening.at, happening.uid)))
    )


def _waiting(call: Call, person: Person) -> Iterator[Happening]:
    waiting = call.tx.reviews.waiting(person.id)
    for review_round in call.tx.reviews.unfinished():
        if review_round.id in waiting:
            number = waiting[review_round.id]
            title = f"{review_round.plan.name}: {number} {'item waits' if number == 1 else 'items wait'} for you"
            yield Happening(
                f"round-{review_round.id}",
                review_round.due_at,
                title,
                "The last moment to answer.",
                f"/rounds/{review_round.ref}",
                timedelta(days=1),
            )


def _coming_round(call: Call, person: Person) -> Iterator[Happening]:
    if person.role is Role.MEMBER:
        return
    for plan in call.tx.reviews.plans():
        recurrence = plan.recurrence(call.tx.workspace.zone)
        if recurrence is None or plan.paused:
            continue
        for at in recurrence.between(call.now, call.now + AHEAD):
            text = f"A round opens; it has to be answered within {plan.answer_days} days."
            yield Happening(f"review-{plan.id}-{at:%Y%m%dT%H%MZ}", at, f"{plan.name} takes place", text, "/reviews")


def _ending(call: Call, person: Person) -> Iterator[Happening]:
    """Access that ends: a member's and a reviewer's own, and for whoever looks after the workspace, everybody's."""
    party: UUID | None = None
    if person.role in (Role.MEMBER, Role.REVIEWER):
        party = call.tx.parties.of_address(person.address)
        if party is None:
            return
    ids = call.tx.entries.ending(call.now, call.now + AHEAD, party_id=party, limit=MOST)
    for listed_entry in call.tx.entries.about(ids).values():
        entry = listed_entry.entry
        assert entry.ends_at is not None  # noqa: S101 - it was asked for by its end
        whose = "Your access" if party is not None else f"{listed_entry.party.name}'s access"
        yield Happening(
            f"entry-{entry.id}",
            entry.ends_at,
            f"{whose} to {listed_entry.account.name} ends",
            f"“{entry.level}” at {listed_entry.provider.name}.",
            f"/inventory?entry={entry.ref}",
            timedelta(days=7),
        )


def _hash(secret: str) -> bytes:
    return hashlib.sha256(secret.encode()).digest()


def _nothing() -> NotFound:
    return NotFound("There is no calendar at this address.", next_step="Make a new one: openlatch me calendar --new")
