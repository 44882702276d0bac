"""The people of a workspace: who is here, who is invited, which role each has, and whose sign-in is taken back."""

from __future__ import annotations

from dataclasses import dataclass, replace
from uuid import UUID

from openlatch.core.model import Author, Party, Person, normal_address
from openlatch.core.people.standing import PersonMove, keep_an_owner, moved
from openlatch.errors import Conflict
from openlatch.operations.call import Call, operation
from openlatch.operations.people import letters
from openlatch.operations.people.doors import check_person, readable_address
from openlatch.operations.rules.flags import evaluate_later
from openlatch.words import PersonState, Role

__all__ = [
    "Everyone",
    "add_first",
    "browse",
    "change_role",
    "disable",
    "enable",
    "invite",
    "invite_again",
    "of_party",
    "register",
    "remove",
    "show",
    "shut_out",
]


@dataclass(frozen=True, slots=True)
class Everyone:
    """Everyone of a workspace, and which of them have a second factor."""

    people: tuple[Person, ...]
    with_factor: frozenset[UUID]


@operation("people.browse")
def browse(call: Call) -> Everyone:
    """Everyone who signs in to this workspace, is invited to, or did so until it was disabled."""
    return Everyone(call.tx.people.all(), call.tx.factors.proved())


@operation("people.show")
def show(call: Call, text: str) -> Person:
    """Someone of the workspace, by id or address."""
    return call.tx.people.find(text)


@operation("people.invite")
def invite(call: Call, name: str, address: str, role: Role) -> Person:
    """Invite someone by letter to sign in here; with its link they choose their own name and password."""
    letters.refuse_without_mail(call)
    typed, _ = readable_address(address, "address", "Nobody was invited.")
    _refuse_known(call, typed)
    person = Person(call.services.new_id(), name or typed, typed, role, state=PersonState.INVITED)
    call.tx.people.add(person, None, call.now)
    call.log("person.invited", "person", person.id, address=typed, role=role.value)
    letters.send_invitation(call, person)
    evaluate_later(call)
    return person


@operation("people.invite_again")
def invite_again(call: Call, text: str) -> Person:
    """Send an invitation once more; the link of the former letter leads nowhere from then on."""
    letters.refuse_without_mail(call)
    person = moved(call.tx.people.find(text), PersonMove.INVITE)
    letters.send_invitation(call, person)
    call.log("person.invited", "person", person.id, address=person.address, role=person.role.value)
    return person


@operation("people.role")
def change_role(call: Call, text: str, role: Role) -> Person:
    """Give someone another role; what they are asked in reviews and can no longer answer passes on."""
    call.tx.people.lock()
    before = call.tx.people.find(text)
    if before.role is role:
        return before
    after = replace(before, role=role)
    keep_an_owner(call.tx.people.all(), before, after)
    call.tx.people.change(before, role=role)
    call.log("person.role-changed", "person", after.id, before=before.role.value, after=role.value)
    return after


@operation("people.disable")
def disable(call: Call, text: str) -> Person:
    """Take back someone's sign-in: their sessions, tokens and links end at once."""
    return shut_out(call, call.tx.people.find(text), PersonMove.DISABLE)


@operation("people.enable")
def enable(call: Call, text: str) -> Person:
    """Let someone sign in again who was disabled, with the password that they had; tokens have to be made anew."""
    before = call.tx.people.find(text)
    after = call.tx.people.change(before, state=moved(before, PersonMove.ENABLE).state)
    call.log("person.enabled", "person", after.id)
    return after


@operation("people.remove")
def remove(call: Call, text: str) -> Person:
    """Remove someone from the workspace: as disabling does, for good; what they did keeps their name."""
    return shut_out(call, call.tx.people.find(text), PersonMove.REMOVE)


def shut_out(call: Call, person: Person, how: PersonMove, ordered_by: Author | None = None) -> Person:
    """End all that someone can do here; an owner stays. What they were asked in reviews passes on by itself."""
    # In the order in which a link is used, so that neither waits for the other for ever.
    call.tx.links.withdraw(person.id, call.now)
    call.tx.people.lock()
    before = call.tx.people.get(person.id)
    after = moved(before, how)
    keep_an_owner(call.tx.people.all(), before, after)
    call.tx.people.change(before, state=after.state)
    ended = {
        "sessions": call.tx.people.close_sessions(after.id),
        "tokens": call.tx.people.revoke_tokens(after.id, call.now),
    }
    call.tx.reviews.forget_calendar(after.id)
    if how is PersonMove.REMOVE:
        call.tx.factors.remove_of(after.id)
        call.tx.parties.sponsored_by(after.id, None)
    act = "person.removed" if how is PersonMove.REMOVE else "person.disabled"
    call.log(act, "person", after.id, **ended, **({"on_behalf_of": ordered_by} if ordered_by is not None else {}))
    evaluate_later(call)
    return after


def of_party(call: Call, party: Party) -> Person | None:
    """Return whoever signs in here and is that party, by an address that means nobody else; None if nobody does."""
    for address in party.addresses:
        person = call.tx.people.at_address(normal_address(address))
        if person is not None and person.state is not PersonState.DISABLED:
            return person if call.tx.parties.of_address(address) == party.id else None
    return None


def register(call: Call, name: str, address: str, password: str) -> Person:
    """Let someone sign in who has shown that an address is theirs; they see what is their own, and nothing else.

    Whoever is invited with that address gets the role that they are invited to.
    """
    check_person(call.tx.workspace, name, address, password)
    invited = call.tx.people.at_address(normal_address(address))
    if invited is None or invited.state is not PersonState.INVITED:
        return add_first(call, name, address, Role.MEMBER, password)
    return letters.accepted(call, invited, name, password)


def add_first(call: Call, name: str, address: str, role: Role, password: str) -> Person:
    """Add a person on the service's own account: the first owner, and the people of a demo."""
    _refuse_known(call, normal_address(address))
    person = Person(call.services.new_id(), name, normal_address(address), role)
    call.tx.people.add(person, call.services.passwords.hash(password), call.now)
    call.log("person.added", "person", person.id, name=name, role=role.value)
    return person


def _refuse_known(call: Call, address: str) -> None:
    known = call.tx.people.at_address(address)
    if known is not None:
        how = {
            PersonState.INVITED: "is invited to this workspace already",
            PersonState.ACTIVE: "can sign in to this workspace already",
            PersonState.DISABLED: "belongs to someone whose sign-in here is disabled",
        }
        raise Conflict(
            f"{address} {how[known.state]}. Nothing was changed.",
            next_step=f"Use another address, or look at who that is: openlatch people show {address}",
            address=address,
        )
