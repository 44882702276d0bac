"""Signing in and out, tokens, and the people of a workspace."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from uuid import UUID

from openlatch.core.model import Person, Workspace, normal_address
from openlatch.errors import Conflict, NotSignedIn, TooManyRequests
from openlatch.operations.call import Actor, Call, operation
from openlatch.operations.credentials import Bearer
from openlatch.operations.people.doors import check_person
from openlatch.store.noun import missing
from openlatch.store.people.people import Token
from openlatch.words import Role, Scope

__all__ = [
    "SignedIn",
    "add",
    "add_first",
    "by_session",
    "by_token",
    "check_password",
    "confirm",
    "me",
    "note_use",
    "open_session",
    "register",
    "tidy",
]

SESSION = timedelta(hours=12)
WINDOW = timedelta(minutes=15)
MOST_FAILURES = 10
REPLIES = timedelta(days=1)
"""How long a request can be sent again under its idempotency key."""


@dataclass(frozen=True, slots=True)
class SignedIn:
    """Who is signed in, where, and what they reach."""

    person: Person
    workspace: Workspace


def check_password(call: Call, address: str, password: str) -> Person | None:
    """Return the person whose password this is, or None; failures are counted, so the caller must commit either way."""
    address = normal_address(address)
    people = call.tx.people
    if people.failed_since(address, call.now - WINDOW) >= MOST_FAILURES:
        minutes = int(WINDOW.total_seconds()) // 60
        raise TooManyRequests(
            f"There were {MOST_FAILURES} wrong passwords for this address within {minutes} minutes.",
            next_step=f"Wait {minutes} minutes, then try again.",
            retry_after=int(WINDOW.total_seconds()),
        )
    found = people.by_address(address)
    if not call.services.passwords.fits(found[1] if found else None, password) or found is None:
        people.add_failed(call.services.new_id(), address, call.now)
        return None
    people.forget_failed(address)
    return found[0]


def open_session(call: Call, person: Person) -> Bearer:
    """Open a console session for a person whose password was right; returns what goes into the cookie."""
    bearer = Bearer.new(call.tx.workspace.id, call.services.new_id())
    call.tx.people.open_sign_in(bearer.id, person.id, bearer.hash, call.now, call.now + SESSION)
    call.log("person.signed-in", "person", person.id, where="console")
    return bearer


def make_token(call: Call, person: Person, name: str, scope: Scope, days: int) -> tuple[Token, Bearer]:
    """Make a token for a person whose password was right; its secret is returned this once."""
    bearer = Bearer.new(call.tx.workspace.id, call.services.new_id())
    end = call.now + timedelta(days=days)
    token = Token(
        id=bearer.id,
        person_id=person.id,
        name=name,
        scope=scope,
        created_at=call.now,
        expires_at=end,
        last_used_at=None,
        revoked_at=None,
    )
    call.tx.people.add_token(token, bearer.hash)
    call.log("token.made", "token", token.id, person=person.name, name=name, scope=scope.value, ends=end.isoformat())
    return token, bearer


def by_session(call: Call, bearer: Bearer) -> Actor:
    """Return who a session cookie stands for, or raise NotSignedIn."""
    found = call.tx.people.sign_in(bearer.id, call.now)
    if found is None or not bearer.fits(found[1]):
        raise NotSignedIn("This session has ended.", next_step="Sign in again.")
    person = call.tx.people.get(found[0])
    return Actor(_told_apart(call, person), person, Scope.CHANGE, found[2])


def by_token(call: Call, bearer: Bearer) -> Actor:
    """Return who a token stands for, or raise NotSignedIn."""
    found = call.tx.people.token(bearer.id)
    if found is None or not bearer.fits(found[1]):
        raise NotSignedIn("This token is not known here.", next_step="Sign in again to get a new one.")
    token = found[0]
    if token.revoked_at is not None or token.expires_at <= call.now:
        ended = "was revoked" if token.revoked_at else "has expired"
        raise NotSignedIn(f"This token {ended}.", next_step="Sign in again to get a new one.")
    person = call.tx.people.get(token.person_id)
    return Actor(_told_apart(call, person), person, token.scope, found[2])


def note_use(call: Call, bearer: Bearer) -> None:
    """Keep that a token was used: in a transaction of its own, so that a long request does not hold up the next."""
    found = call.tx.people.token(bearer.id)
    if found is not None and bearer.fits(found[1]):
        call.tx.people.token_used(found[0].id, call.now)


def _told_apart(call: Call, person: Person) -> str:
    """The name under which a person acts: with their address where somebody else here has the same name."""
    return f"{person.name} ({person.address})" if call.tx.people.namesakes(person) else person.name


def confirm(call: Call, bearer: Bearer) -> None:
    """Keep that whoever is signed in has given their password again; the caller has checked it."""
    person = _self(call)
    call.tx.people.confirm(bearer.id, call.now)
    call.log("person.confirmed", "person", person.id)


def close_session(call: Call, bearer: Bearer) -> None:
    """End a console session."""
    call.tx.people.close_sign_in(bearer.id)


def tidy(call: Call) -> None:
    """Delete sign-ins that ended, wrong passwords of long ago, and replies that nobody will ask for again."""
    call.tx.people.forget_before(call.now, call.now - WINDOW)
    call.tx.replies.forget_before(call.now - REPLIES)


@operation("people.me")
def me(call: Call) -> SignedIn:
    """Who is signed in, and where."""
    return SignedIn(_self(call), call.tx.workspace)


@operation("people.browse")
def browse(call: Call) -> tuple[Person, ...]:
    """Everyone who signs in to this workspace."""
    return call.tx.people.all()


@operation("people.add")
def add(call: Call, name: str, address: str, role: Role, password: str) -> Person:
    """Let someone sign in to this workspace."""
    check_person(call.tx.workspace, name, address, password)
    return add_first(call, name, address, role, password)


def register(call: Call, name: str, address: str, password: str) -> Person:
    """Let somebody sign in who has shown that an address is theirs; they see what is their own, and nothing else."""
    check_person(call.tx.workspace, name, address, password)
    return add_first(call, name, address, Role.MEMBER, password)


def add_first(call: Call, name: str, address: str, role: Role, password: str) -> Person:
    """Add a person on the service's own account: the first owner, and the people of a demo."""
    if call.tx.people.by_address(normal_address(address)) is not None:
        raise Conflict(
            f"{address} can sign in to this workspace already. Nothing was changed.",
            next_step="Use another address.",
            address=address,
        )
    person = Person(call.services.new_id(), name, normal_address(address), role)
    call.tx.people.add(person, call.services.passwords.hash(password), call.now)
    call.log("person.added", "person", person.id, name=name, role=role.value)
    return person


@operation("tokens.browse")
def tokens(call: Call) -> tuple[Token, ...]:
    """The tokens of whoever is signed in."""
    return call.tx.people.tokens(_self(call).id)


@operation("tokens.revoke")
def revoke_token(call: Call, token_id: UUID) -> None:
    """Revoke a token of one's own; an owner may revoke anyone's."""
    found = call.tx.people.token(token_id)
    person = _self(call)
    if found is None or (found[0].person_id != person.id and person.role is not Role.OWNER):
        raise missing("token", token_id)
    if found[0].revoked_at is None:
        call.tx.people.revoke_token(token_id, call.now)
        call.log("token.revoked", "token", token_id, name=found[0].name)


def _self(call: Call) -> Person:
    if call.actor.person is None:
        raise NotSignedIn("Nobody is signed in.", next_step="Sign in first.")
    return call.actor.person
