"""How someone stands in a workspace: invited, able to sign in, disabled, removed; and that an owner always stays."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from enum import StrEnum
from types import MappingProxyType

from openlatch.core.model import Person
from openlatch.core.moves import Moves
from openlatch.errors import Conflict
from openlatch.words import PersonState, Role

__all__ = ["MOVES", "PersonMove", "is_only_owner", "keep_an_owner", "moved"]


class PersonMove(StrEnum):
    """What can happen to someone of a workspace."""

    INVITE = "invite"
    ACCEPT = "accept"
    DISABLE = "disable"
    ENABLE = "enable"
    REMOVE = "remove"


TABLE: MappingProxyType[tuple[PersonState, PersonMove], PersonState] = MappingProxyType(
    {
        (PersonState.INVITED, PersonMove.INVITE): PersonState.INVITED,
        (PersonState.INVITED, PersonMove.ACCEPT): PersonState.ACTIVE,
        (PersonState.INVITED, PersonMove.REMOVE): PersonState.REMOVED,
        (PersonState.ACTIVE, PersonMove.DISABLE): PersonState.DISABLED,
        (PersonState.ACTIVE, PersonMove.REMOVE): PersonState.REMOVED,
        (PersonState.DISABLED, PersonMove.ENABLE): PersonState.ACTIVE,
        (PersonState.DISABLED, PersonMove.REMOVE): PersonState.REMOVED,
    }
)
"""Every move that is possible; whatever is not in here is refused."""
_DONE = {
    PersonMove.INVITE: "invited again",
    PersonMove.ACCEPT: "let in by an invitation",
    PersonMove.DISABLE: "disabled",
    PersonMove.ENABLE: "enabled",
    PersonMove.REMOVE: "removed",
}


MOVES = Moves(
    TABLE,
    lambda state, how: (
        f"Someone who is {state} cannot be {_DONE[how]}.",
        "Look at who signs in here: openlatch people",
    ),
)


def moved(person: Person, how: PersonMove) -> Person:
    """Return someone after a move; refuses (Conflict) what the table does not have."""
    return replace(person, state=MOVES.after(person.state, how))


def is_only_owner(everyone: Iterable[Person], person: Person) -> bool:
    """Return whether someone is the only owner who can sign in."""
    owners = [person.id for person in everyone if person.active and person.role is Role.OWNER]
    return owners == [person.id]


def keep_an_owner(everyone: Iterable[Person], before: Person, after: Person) -> None:
    """Refuse (Conflict) a change after which no owner could sign in to the workspace."""
    stays = after.active and after.role is Role.OWNER
    if not stays and is_only_owner(everyone, before):
        raise Conflict(
            f"{before.name} is the only owner who can sign in. Nothing was changed.",
            next_step="First make someone else an owner: openlatch people change ADDRESS --role owner",
            person=str(before.id),
        )
