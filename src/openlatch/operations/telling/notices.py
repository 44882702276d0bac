"""Telling people: news is stored with the change that it tells of, and carried in letters by the worker."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import timedelta
from uuid import UUID

from openlatch.core.model import Party, Person, is_mailbox
from openlatch.core.telling.notices import Letter, Notice, again_after, letter, when
from openlatch.operations.call import Call, operation
from openlatch.operations.telling import links
from openlatch.store.pages import Page
from openlatch.store.telling.notices import Addressed
from openlatch.words import Role, Telling

__all__ = [
    "browse",
    "choose",
    "manager",
    "managers",
    "next_letter",
    "not_sent",
    "reachable_at",
    "send_head",
    "sent",
    "tell",
    "tell_address",
    "tell_parties",
    "tell_party",
    "tidy",
    "write",
]

KEPT = timedelta(days=400)
IN_ONE = 500
"""So many pieces of news go into one letter."""


def tell(call: Call, people: Iterable[Person], notice: Notice) -> int:
    """Tell people of this workspace something, each in the way that they chose; returns how many are told it now."""
    several = {person.id: person for person in people if person.active}.values()
    return call.tx.notices.add([_to(call, person, notice) for person in several])


def _to(call: Call, person: Person, notice: Notice) -> Addressed:
    due = when(person.telling, call.now, call.tx.workspace.zone)
    return Addressed(
        id=call.services.new_id(),
        notice=notice,
        address=person.address,
        name=person.name,
        person_id=person.id,
        made_at=call.now,
        due_at=due,
    )


def tell_address(call: Call, address: str, name: str, notice: Notice) -> int:
    """Tell something to whoever has that address; a person of this workspace is told as they chose."""
    known = call.tx.people.by_address(address)
    if known is not None:
        return tell(call, [known[0]], notice)
    return write(call, address, name, notice)


def write(call: Call, address: str, name: str, notice: Notice) -> int:
    """Have a letter go to an address at once, whatever whoever has it chose: it shows up in no console."""
    return call.tx.notices.add([_letter_to(call, address, name, notice)])


def _letter_to(call: Call, address: str, name: str, notice: Notice) -> Addressed:
    return Addressed(
        id=call.services.new_id(),
        notice=notice,
        address=address,
        name=name,
        person_id=None,
        made_at=call.now,
        due_at=call.now,
    )


def send_head(call: Call, address: str, size: int, signed: str) -> None:
    """Send the signed head of the log to whoever keeps such, so that a later forgery can be proved."""
    title = f"Keep this: the head of the log at {size} events"
    text = f"Every later copy of the log can be checked against it: openlatch log verify --head FILE\n\n{signed}"
    write(call, address, "", Notice(f"head:{size}", title, text))


def reachable_at(call: Call, party: Party) -> str:
    """Return the address at which a party is told and asked things; empty if nobody can say that it is theirs.

    It is theirs if their provider has confirmed it, or if it is that of someone who signs in here.
    """
    return _reachable_at(party, call.tx.people.by_addresses(party.addresses))


def _reachable_at(party: Party, people: Mapping[str, Person]) -> str:
    """The address at which a party is told things, by the people who sign in with some addresses."""
    known = (address for address in party.addresses if is_mailbox(address))
    return next((address for address in known if party.verified or address in people), "")


def managers(call: Call) -> list[Person]:
    """Return who looks after this workspace."""
    return [person for person in call.tx.people.able() if person.role in (Role.OWNER, Role.MANAGER)]


def manager(call: Call, person_id: UUID | None) -> list[Person]:
    """Return the one of that id, if they look after this workspace, or else all who do."""
    return [person for person in managers(call) if person.id == person_id] or managers(call)


@operation("notices.browse")
def browse(call: Call, limit: int, cursor: str | None) -> Page[Addressed]:
    """What one was told, the latest first."""
    page = call.tx.notices.of(call.person.id, limit, cursor)
    shown = [
        replace(item, notice=replace(item.notice, link=links.whole(call, item.notice.link))) for item in page.items
    ]
    return Page(tuple(shown), page.next)


@operation("notices.choose")
def choose(call: Call, telling: Telling) -> Person:
    """Choose how one is told; what waits already goes out as it was meant to."""
    call.tx.people.tell(call.person.id, telling)
    return call.tx.people.get(call.person.id)


# Letters, as the worker sends them


def next_letter(call: Call) -> tuple[UUID, Letter] | None:
    """Return the next letter that is due, if one is; it stays the same letter until it is known to be sent."""
    due = call.tx.notices.due(call.now, IN_ONE)
    if not due:
        return None
    begun = next((one.letter_id for one in due if one.letter_id is not None), None)
    if begun is None:
        begun = call.services.new_id()
        call.tx.notices.put_in([one.id for one in due], begun)
        inside: tuple[Addressed, ...] = due
    else:
        inside = call.tx.notices.in_letter(begun)
    first = inside[0]
    news = [replace(one.notice, link=links.whole(call, one.notice.link)) for one in inside]
    return begun, letter(
        str(begun),
        first.address,
        first.name,
        call.tx.workspace.name,
        news,
        call.services.console,
        settles=first.person_id is not None,
    )


def sent(call: Call, letter_id: UUID) -> None:
    """The mail server has taken a letter."""
    call.tx.notices.sent(letter_id, call.now)


def not_sent(call: Call, letter_id: UUID, why: str, *, again: bool) -> None:
    """The mail server has not taken a letter: it is tried again later, or if that is no use, never."""
    inside = call.tx.notices.in_letter(letter_id)
    attempts = max(one.attempts for one in inside) + 1
    delay = again_after(attempts, call.now - min(one.made_at for one in inside)) if again else None
    call.tx.notices.not_sent(letter_id, why, call.now + delay if delay is not None else None)


def tidy(call: Call) -> None:
    """Delete news of long ago."""
    call.tx.notices.forget_before(call.now - KEPT)


def tell_party(call: Call, party: Party, notice: Notice) -> int:
    """Only at an address that is confirmed: what concerns one is not told to another."""
    return tell_parties(call, [(party, notice)])


def tell_parties(call: Call, told: Sequence[tuple[Party, Notice]]) -> int:
    """Tell several parties something each, only at addresses that are confirmed; returns how many are told it now."""
    people = call.tx.people.by_addresses({address for party, _ in told for address in party.addresses})
    news = []
    for party, notice in told:
        address = _reachable_at(party, people)
        if address in people:
            news.append(_to(call, people[address], notice))
        elif address:
            news.append(_letter_to(call, address, party.name, notice))
    return call.tx.notices.add(news)
