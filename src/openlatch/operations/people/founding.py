"""Founding a workspace: the first one from a browser with a code that the service prints, any from the command line."""

from __future__ import annotations

import hmac
import secrets
from collections.abc import Iterable
from dataclasses import dataclass

from openlatch.core.model import Circle, Person, Workspace
from openlatch.core.people.factors import one_time_code, plain_code
from openlatch.errors import Conflict, Invalid
from openlatch.operations.call import Services, as_service
from openlatch.operations.people import people, sign_ins
from openlatch.operations.people.doors import check_founding
from openlatch.store import Store
from openlatch.words import Role

__all__ = ["Founding", "Taken", "found", "found_first", "new_code"]


@dataclass(frozen=True, slots=True)
class Founding:
    """What a workspace is founded with: its short and its full name, its zone, its own domains, and its first owner."""

    workspace: str
    name: str
    zone: str
    circle: tuple[str, ...]
    owner: str
    address: str
    password: str


@dataclass(frozen=True, slots=True)
class Taken:
    """A workspace that was founded, and its first owner."""

    workspace: Workspace
    person: Person


def new_code() -> str:
    """Return a code with which someone can found the first workspace; nobody guesses it."""
    return one_time_code(secrets.randbelow)


def found(store: Store, services: Services, wish: Founding, *, only: bool = False) -> Taken:
    """Create a workspace with its first owner, who can then sign in.

    Raises:
        Invalid: it could not be used as it is wished for.
        Conflict: there is one of that short name, or with `only` any other.
    """
    made = Workspace(
        services.new_id(), wish.workspace.strip(), wish.name.strip(), wish.zone.strip(), Circle(_domains(wish.circle))
    )
    check_founding(made, wish.owner, wish.address, wish.password)
    with store.found(made, services.clock(), only=only) as tx:
        call = as_service(tx, services)
        person = people.add_first(call, wish.owner.strip(), wish.address, Role.OWNER, wish.password)
        call.log("workspace.founded", "workspace", made.id, name=made.name, circle=sorted(made.circle.domains))
    return Taken(made, person)


def found_first(store: Store, services: Services, wish: Founding, code: str, network: str) -> Taken:
    """Create the first workspace for whoever has the code that this service printed when it was started.

    Raises:
        Invalid: that is not the code, or it could not be used as it is wished for.
        TooManyRequests: it was tried too often.
        Conflict: there is a workspace already.
    """
    with store.strangers() as strangers:
        sign_ins.count_asked(strangers, services, "the first workspace", network)
    if store.workspaces():
        raise Conflict(
            "A workspace was founded here already. Nothing was created.",
            next_step="Sign in, or ask its owner to invite you.",
        )
    if not services.founding or not _same(code, services.founding):
        raise Invalid(
            "That is not the code that the service printed. Nothing was created.",
            next_step="Copy the code from where openlatch service serve was started; each start prints a new one.",
            errors=[{"at": "code", "problem": "not the code that was printed"}],
        )
    return found(store, services, wish, only=True)


def _same(typed: str, printed: str) -> bool:
    return hmac.compare_digest(plain_code(typed).encode(), plain_code(printed).encode())


def _domains(circle: Iterable[str]) -> frozenset[str]:
    return frozenset(domain.strip().casefold() for domain in circle if domain.strip())
