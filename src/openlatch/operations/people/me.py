"""What someone sees and changes of themselves: name, days, password, address, and where they are signed in."""

from __future__ import annotations

from dataclasses import dataclass, replace
from uuid import UUID

from openlatch.core.model import Person, Workspace
from openlatch.core.telling.notices import Notice
from openlatch.errors import Conflict
from openlatch.operations.call import Call, operation
from openlatch.operations.people import letters
from openlatch.operations.people.doors import check_person, check_wishes, readable_address
from openlatch.operations.telling import notices
from openlatch.store.noun import missing
from openlatch.store.people.people import Session

__all__ = [
    "SignedIn",
    "change",
    "change_address",
    "change_password",
    "end_other_sessions",
    "end_session",
    "me",
    "sessions",
]


@dataclass(frozen=True, slots=True)
class SignedIn:
    """Who is signed in, where, and what they reach."""

    person: Person
    workspace: Workspace


@operation("people.me")
def me(call: Call) -> SignedIn:
    """Who is signed in, and where."""
    return SignedIn(call.person, call.tx.workspace)


@operation("me.change")
def change(call: Call, name: str | None, zone: str | None, dates: str | None) -> SignedIn:
    """Change one's own name, or the zone and the language in which one sees days; None leaves as it is."""
    before = call.person
    after = replace(
        before,
        name=before.name if name is None else name.strip(),
        zone=before.zone if zone is None else zone.strip(),
        dates=before.dates if dates is None else dates.strip(),
    )
    check_wishes(after.name, after.zone, after.dates)
    if after != before:
        call.tx.people.change(before, **_told(after))
        call.log("person.changed", "person", after.id, before=_told(before), after=_told(after))
    return SignedIn(after, call.tx.workspace)


def _told(person: Person) -> dict[str, str]:
    return {"name": person.name, "zone": person.zone, "dates": person.dates}


@operation("me.password")
def change_password(call: Call, password: str, present: UUID) -> int:
    """Choose another password; every session but the present one ends. Returns how many did."""
    person = call.person
    check_person(call.tx.workspace, person.name, person.address, password)
    call.tx.people.set_password(person.id, call.services.passwords.hash(password))
    ended = call.tx.people.close_sessions(person.id, but=present)
    call.log("person.password-changed", "person", person.id, how="signed in", sessions=ended)
    title = "Your password was changed"
    text = "If it was not you, choose another one by “Forgot your password?” on the sign-in page, and tell an owner."
    notices.write(call, person.address, person.name, Notice(f"password:{person.id}:{call.now}", title, text))
    return ended


@operation("me.address")
def change_address(call: Call, address: str) -> str:
    """Have a link go to another address of one's own; once it is used, one signs in with that. Returns the address."""
    letters.refuse_without_mail(call)
    typed, _ = readable_address(address, "address")
    if call.tx.people.at_address(typed) is not None:
        raise Conflict(
            f"{typed} signs in to this workspace already. Nothing was changed.", next_step="Use another address."
        )
    letters.send_address(call, typed)
    return typed


@operation("me.sessions")
def sessions(call: Call) -> tuple[Session, ...]:
    """Where one is signed in to the console, the latest first."""
    return call.tx.people.sessions(call.person.id, call.now)


@operation("me.end_session")
def end_session(call: Call, session_id: UUID) -> None:
    """End one of one's own sessions."""
    if session_id not in {session.id for session in call.tx.people.sessions(call.person.id, call.now)}:
        raise missing("session", session_id)
    call.tx.people.close_session(session_id)
    call.log("person.sessions-ended", "person", call.person.id, sessions=1)


@operation("me.end_other_sessions")
def end_other_sessions(call: Call, present: UUID) -> int:
    """End every session of one's own but the present one; returns how many."""
    ended = call.tx.people.close_sessions(call.person.id, but=present)
    if ended:
        call.log("person.sessions-ended", "person", call.person.id, sessions=ended)
    return ended
