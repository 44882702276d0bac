"""Links in letters that concern signing in itself: an invitation, a forgotten password, a new address.

Each is used once, by whoever has the letter; each has its own end, and a newer one makes the former worthless. What it
leads to is never in an address that a server writes down: the link's secret stands behind a #.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from openlatch.core.model import Person, normal_address
from openlatch.core.people.standing import PersonMove, moved
from openlatch.core.telling.notices import Notice
from openlatch.errors import Conflict, Invalid
from openlatch.operations.call import Call
from openlatch.operations.people.doors import check_person
from openlatch.operations.telling import links, notices
from openlatch.store.telling.links import Link
from openlatch.words import LinkPurpose

__all__ = [
    "TASK",
    "SignInLink",
    "accepted",
    "ask_for_password",
    "look",
    "refuse_without_mail",
    "send_address",
    "send_invitation",
    "send_password",
    "use",
]

TASK = "openlatch.password-letter"
LASTS = {
    LinkPurpose.INVITATION: timedelta(days=7),
    LinkPurpose.PASSWORD: timedelta(hours=1),
    LinkPurpose.ADDRESS: timedelta(hours=24),
}
MOST_LETTERS = 3
"""letters for a forgotten password that go to one person within an hour"""


@dataclass(frozen=True, slots=True)
class SignInLink:
    """What a link leads to, for whom; `trouble` says why it cannot be used any more, if it cannot."""

    purpose: LinkPurpose
    holder: str
    workspace: str
    name: str
    address: str
    role: str
    lapses_at: datetime
    zone: str
    trouble: str


def refuse_without_mail(call: Call) -> None:
    """Refuse what needs a letter where the service has nothing that carries one."""
    if call.services.post is None:
        raise Conflict(
            "No mail server is set, so no letter can be sent. Nothing was changed.",
            next_step="Have whoever runs the service set OPENLATCH_MAIL_URL and OPENLATCH_MAIL_FROM.",
        )


def send_invitation(call: Call, person: Person) -> None:
    """Send someone the link with which they choose a password and sign in for the first time."""
    title = f"You are invited to sign in as {person.role}"
    text = (
        f"{call.actor.name} invites you to look after who has access to the shared accounts of "
        f"{call.tx.workspace.name}. Choose a name and a password with this link, within 7 days."
    )
    _send(call, LinkPurpose.INVITATION, person, person.address, title, text)


def ask_for_password(call: Call, address: str) -> None:
    """Have a letter go to whoever signs in with an address: looked up by the worker, so that nobody can tell if."""
    call.tx.enqueue(TASK, at=None, address=normal_address(address))


def send_password(call: Call, address: str) -> None:
    """Send whoever signs in with an address the link with which they choose another password."""
    known = call.tx.people.by_address(address)
    if known is None:
        return
    person = known[0]
    if call.tx.links.made_since(person.id, LinkPurpose.PASSWORD, call.now - timedelta(hours=1)) >= MOST_LETTERS:
        return
    title = "Choose a new password"
    text = (
        "Someone asked for a new password for your sign-in. If it was you, choose one with this link, within an hour; "
        "your sessions and tokens then end. If it was not you, do nothing: your password stays as it is."
    )
    _send(call, LinkPurpose.PASSWORD, person, person.address, title, text)
    call.log("person.password-asked", "person", person.id)


def send_address(call: Call, address: str) -> None:
    """Send a link to another address of whoever is signed in; once it is used, they sign in with that one."""
    title = "Confirm your new address"
    text = f"Open this link within a day to confirm it. From then on you sign in with {address}."
    _send(call, LinkPurpose.ADDRESS, call.person, address, title, text)


def _send(call: Call, purpose: LinkPurpose, person: Person, address: str, title: str, text: str) -> None:
    path = links.make(call, purpose, person.id, address, LASTS[purpose], links.SIGN_IN_PATH)
    name = "" if person.name == person.address else person.name
    key = f"{purpose}:{person.id}:{call.services.new_id()}"
    notices.write(call, address, name, Notice(key, title, text, path))


def look(call: Call, text: str) -> SignInLink:
    """What a link leads to; whoever has it may look."""
    found = links.opened(call, text)
    return _seen(call, found.link, found.trouble)


def use(call: Call, text: str, name: str, password: str) -> tuple[SignInLink, Person]:
    """Use a link, once; returns what it was for, and whose it was. `password` is not needed for a new address."""
    link = links.answerable(call, text)
    purpose = _purpose(link)
    person = call.tx.people.get(link.subject_id)
    seen = _seen(call, link, "")
    call.tx.links.used(link.id, "used", call.now)
    if purpose is LinkPurpose.INVITATION:
        return seen, accepted(call, person, name, password)
    if purpose is LinkPurpose.PASSWORD:
        return seen, _password_chosen(call, person, password)
    return seen, _address_confirmed(call, person, link.address)


def accepted(call: Call, person: Person, name: str, password: str) -> Person:
    """Let someone in who was invited, with the name and the password that they have chosen."""
    check_person(call.tx.workspace, name, person.address, password)
    after = call.tx.people.change(person, state=moved(person, PersonMove.ACCEPT).state, name=name.strip())
    call.tx.people.set_password(after.id, call.services.passwords.hash(password))
    call.tx.links.withdraw(after.id, call.now)
    call.log("person.accepted", "person", after.id, name=after.name, role=after.role.value)
    return after


def _password_chosen(call: Call, person: Person, password: str) -> Person:
    if not person.active:
        raise Conflict("This person cannot sign in here any more. Nothing was changed.", next_step="Ask an owner.")
    check_person(call.tx.workspace, person.name, person.address, password)
    call.tx.people.set_password(person.id, call.services.passwords.hash(password))
    ended = {
        "sessions": call.tx.people.close_sessions(person.id),
        "tokens": call.tx.people.revoke_tokens(person.id, call.now),
    }
    call.tx.people.forget_attempts(person.address)
    call.log("person.password-changed", "person", person.id, how="by letter", **ended)
    title = "Your password was changed by a link in a letter"
    text = "If it was not you, tell an owner of this workspace at once: someone else can read your mail."
    notices.write(call, person.address, person.name, Notice(f"password:{person.id}:{call.now}", title, text))
    return person


def _address_confirmed(call: Call, person: Person, address: str) -> Person:
    if call.tx.people.at_address(address) is not None:
        raise Conflict(
            f"{address} signs in to this workspace already. Nothing was changed.", next_step="Use another address."
        )
    after = call.tx.people.change(person, address=address)
    call.log("person.address-changed", "person", after.id, before=person.address, after=address)
    title = "Your address here was changed"
    text = f"You sign in with {address} now. If it was not you, tell an owner of this workspace at once."
    notices.write(call, person.address, person.name, Notice(f"address:{person.id}:{call.now}", title, text))
    return after


def _purpose(link: Link) -> LinkPurpose:
    try:
        return LinkPurpose(link.purpose)
    except ValueError as error:
        raise Invalid(
            "This link is for something else.", next_step="Open it exactly as it is in the letter."
        ) from error


def _seen(call: Call, link: Link, trouble: str) -> SignInLink:
    person = call.tx.people.get(link.subject_id)
    workspace = call.tx.workspace
    return SignInLink(
        purpose=_purpose(link),
        holder=workspace.name,
        workspace=workspace.slug,
        name="" if person.name == person.address else person.name,
        address=link.address,
        role=person.role,
        lapses_at=link.lapses_at,
        zone=workspace.zone,
        trouble=trouble,
    )
