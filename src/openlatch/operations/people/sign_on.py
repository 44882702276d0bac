"""Single sign-on: services at which people of a workspace sign in, and who comes back from there.

Whoever is sent there comes back with a code. What only the browser has that began it, and what only we have kept, are
both needed to exchange it: a code or an address that someone else has got hold of signs nobody in.
"""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from datetime import timedelta
from typing import Any
from urllib.parse import urlsplit
from uuid import UUID

import orjson

from openlatch.core.model import Person
from openlatch.core.people.sign_on import Claims, IdentityProvider, Question, SignOn, Stranger, claims_of, let_in
from openlatch.core.people.standing import PersonMove, is_only_owner, moved
from openlatch.errors import Conflict, Invalid, NotConfirmed, NotSignedIn
from openlatch.operations.call import Call, Services, operation
from openlatch.operations.rules.flags import evaluate_later
from openlatch.store.people.sign_ons import Begun
from openlatch.words import PersonState, Role

__all__ = [
    "Answer",
    "Leaving",
    "Wish",
    "add",
    "asked",
    "away_too_long",
    "back",
    "browse",
    "change",
    "keep",
    "leave",
    "names",
    "new_question",
    "prove_again",
    "provider",
    "remove",
    "said",
    "take",
    "welcome",
]

ANSWERED_WITHIN = timedelta(minutes=10)
MOST = 10
"""services of one workspace"""


@dataclass(frozen=True, slots=True)
class Wish:
    """How a service is to be set up: see SignOn."""

    name: str
    issuer: str
    client_id: str
    claim: str
    roles: Mapping[str, Role]
    second_factor: bool


@dataclass(frozen=True, slots=True)
class Leaving:
    """Someone on their way to a service: where they go, and what their browser keeps until they are back."""

    began: UUID
    browser: str
    url: str


@dataclass(frozen=True, slots=True)
class Answer:
    """What someone comes back with: what their browser has kept, and what the service has sent along (RFC 9207)."""

    began: UUID
    browser: str
    state: str
    code: str
    issuer: str


# Set up by an owner


@operation("sign_ons.browse")
def browse(call: Call) -> tuple[SignOn, ...]:
    """Every service at which people of this workspace sign in."""
    return call.tx.sign_ons.all()


@operation("sign_ons.add")
def add(call: Call, wish: Wish, secret: str) -> SignOn:
    """Let people sign in at a service, once it can be read."""
    back(call.services)
    if len(call.tx.sign_ons.all()) >= MOST:
        raise Conflict(f"There are {MOST} single sign-ons. Nothing was changed.", next_step="Remove one first.")
    made = SignOn(id=call.services.new_id(), made_at=call.now, **_checked(call, wish, None))
    provider(call.services, made, secret).check()
    call.tx.sign_ons.add(made, call.close(secret))
    call.log("sign-on.added", "sign-on", made.id, **_told(made))
    return made


@operation("sign_ons.change")
def change(call: Call, text: str, wish: Wish, secret: str | None) -> SignOn:
    """Set a service up in another way, once it can be read; without a secret, it keeps the one that it has.

    Refuses (Conflict) another issuer: that is another service, which knows people by other subjects.
    """
    before = call.tx.sign_ons.find(text)
    after = replace(before, **_checked(call, wish, before))
    if after.issuer != before.issuer:
        raise Conflict(
            f"{after.issuer} is another service than {before.issuer}, and knows people by other subjects. "
            "Nothing was changed.",
            next_step="Add it beside this one, and remove this one once people sign in there.",
        )
    if after == before and secret is None:
        return before
    provider(call.services, after, call.open(call.tx.sign_ons.secret(before.id)) if secret is None else secret).check()
    call.tx.sign_ons.save(after, None if secret is None else call.close(secret))
    call.log(
        "sign-on.changed", "sign-on", after.id, before=_told(before), after=_told(after), secret=secret is not None
    )
    return after


@operation("sign_ons.remove")
def remove(call: Call, text: str) -> int:
    """Let nobody sign in at a service any more; returns how many people it knew. Their sessions stay."""
    sign_on = call.tx.sign_ons.find(text)
    count = call.tx.sign_ons.remove(sign_on.id)
    call.log("sign-on.removed", "sign-on", sign_on.id, **_told(sign_on), knew=count)
    return count


def _checked(call: Call, wish: Wish, before: SignOn | None) -> dict[str, Any]:
    name, issuer, claim = wish.name.strip(), wish.issuer.strip(), wish.claim.strip()
    where = urlsplit(issuer)
    wrong = []
    if where.scheme not in ("https", "http") or not where.hostname or where.query or where.fragment or where.username:
        wrong.append({"at": "issuer", "problem": "is not an address such as https://login.example"})
    if wish.roles and not claim:
        wrong.append({"at": "claim", "problem": "is needed to know who gets which role"})
    if claim and not wish.roles:
        wrong.append({"at": "roles", "problem": "are needed: which value of the claim gives which role"})
    others = [other for other in call.tx.sign_ons.all() if before is None or other.id != before.id]
    if name.casefold() in {other.name.casefold() for other in others}:
        wrong.append({"at": "name", "problem": "is that of another one"})
    if wrong:
        raise Invalid(
            f"The {wrong[0]['at']} {wrong[0]['problem']}. Nothing was changed.",
            next_step="Correct it and try again.",
            errors=wrong,
        )
    return {**asdict(wish), "name": name, "issuer": issuer, "claim": claim, "roles": dict(wish.roles)}


def _told(sign_on: SignOn) -> dict[str, Any]:
    told = asdict(sign_on)
    return {name: value for name, value in told.items() if name not in ("id", "made_at")}


# As people sign in


def back(services: Services) -> str:
    """Return the address of the console to which people come back; a service has to know it beforehand."""
    where = urlsplit(services.console)
    if not where.hostname or (where.scheme != "https" and where.hostname not in ("localhost", "127.0.0.1", "::1")):
        raise Conflict(
            "Single sign-on needs the console to be reached over https, and it is not. Nothing was changed.",
            next_step="Have whoever runs the service set OPENLATCH_CONSOLE_URL.",
        )
    return f"{services.console}/signed-on"


def names(call: Call) -> tuple[SignOn, ...]:
    """Return the services at which anyone may try to sign in to this workspace."""
    return call.tx.sign_ons.all()


def provider(services: Services, sign_on: SignOn, secret: str) -> IdentityProvider:
    """Return what talks to a service."""
    assert services.sign_on is not None  # noqa: S101 - the wiring brings it
    return services.sign_on(sign_on, secret)


def asked(call: Call, text: str) -> tuple[SignOn, str]:
    """Return the service that is meant, with its secret."""
    sign_on = call.tx.sign_ons.find(text)
    return sign_on, call.open(call.tx.sign_ons.secret(sign_on.id))


def leave(call: Call, sign_on: SignOn, question: Question, url: str) -> Leaving:
    """Keep what someone is asked who goes to a service."""
    browser = secrets.token_urlsafe(32)
    closed = call.close(orjson.dumps(asdict(question)).decode())
    begun = Begun(call.services.new_id(), sign_on.id, _hash(browser), closed, call.now + ANSWERED_WITHIN)
    call.tx.sign_ons.begin(begun)
    return Leaving(begun.id, browser, url)


def take(call: Call, answer: Answer) -> tuple[Begun, SignOn, str, Question]:
    """Return what was asked of whoever comes back, once: with the service and its secret; else raise NotSignedIn."""
    begun = call.tx.sign_ons.take(answer.began, _hash(answer.browser), call.now)
    if begun is None:
        raise away_too_long()
    sign_on, secret = asked(call, str(begun.sign_on_id))
    return begun, sign_on, secret, Question(**orjson.loads(call.open(begun.question)))


def said(services: Services, sign_on: SignOn, secret: str, question: Question, answer: Answer) -> Mapping[str, object]:
    """Return what a service says of whoever came back from it, if they came back with what was asked for."""
    if not secrets.compare_digest(question.state.encode(), answer.state.encode()):
        raise _again("You have come back with something that was not asked for here.")
    if answer.issuer and answer.issuer != sign_on.issuer:
        raise _again(f"You have come back from another service than {sign_on.name}.")
    return provider(services, sign_on, secret).claims(question, back(services), answer.code, services.clock())


def keep(call: Call, begun: Begun, person: Person) -> None:
    """Keep that someone has proved who they are at a service, until they have given their second factor besides."""
    call.tx.sign_ons.begin(replace(begun, person_id=person.id))


def welcome(call: Call, sign_on: SignOn, told: Mapping[str, object]) -> Person:
    """Return who signs in, by what a service says of them; whoever it knows first is linked, added or taken further."""
    claims = claims_of(sign_on, told)
    linked = _linked(call, sign_on, claims)
    if linked is not None and linked.active and (not sign_on.roles or claims.role is linked.role):
        return linked
    call.tx.people.lock()
    linked = _linked(call, sign_on, claims)
    at_address = call.tx.people.at_address(claims.address) if claims.address else None
    taken = at_address is not None and bool(call.tx.sign_ons.subjects(sign_on.id, at_address.id) - {claims.subject})
    known = let_in(sign_on, claims, linked, at_address, taken=taken)
    person = (
        _added(call, sign_on, known) if isinstance(known, Stranger) else _taken_further(call, sign_on, known, claims)
    )
    if linked is None or linked.id != person.id:
        call.tx.sign_ons.link(sign_on.id, claims.subject, person.id, call.now)
        call.log("sign-on.linked", "person", person.id, at=sign_on.name, known_as=claims.subject)
    return person


def prove_again(call: Call, answer: Answer) -> None:
    """Take it that whoever is signed in has proved anew who they are, at a service; else raise NotConfirmed."""
    _, service, secret, question = take(call, answer)
    claims = claims_of(service, said(call.services, service, secret, question, answer))
    if not question.fresh or call.tx.sign_ons.linked(service.id, claims.subject) != call.person.id:
        raise NotConfirmed(
            f"{service.name} does not say that it is still you. Nothing was changed.",
            next_step="Sign in there as yourself, or prove it by another way.",
        )


def _linked(call: Call, sign_on: SignOn, claims: Claims) -> Person | None:
    person_id = call.tx.sign_ons.linked(sign_on.id, claims.subject)
    return None if person_id is None else call.tx.people.get(person_id)


def _added(call: Call, sign_on: SignOn, stranger: Stranger) -> Person:
    claims = stranger.claims
    person = Person(call.services.new_id(), claims.name or claims.address, claims.address, stranger.role)
    call.tx.people.add(person, None, call.now)
    call.log("person.added", "person", person.id, name=person.name, role=person.role.value, by=sign_on.name)
    evaluate_later(call)
    return person


def _taken_further(call: Call, sign_on: SignOn, person: Person, claims: Claims) -> Person:
    """Someone who is here: what they are invited to they have taken up, and their role is what the service says."""
    if person.state is PersonState.INVITED:
        name = claims.name or person.name
        person = call.tx.people.change(person, state=moved(person, PersonMove.ACCEPT).state, name=name)
        call.tx.links.withdraw(person.id, call.now)
        call.log("person.accepted", "person", person.id, name=person.name, role=person.role.value, by=sign_on.name)
    role = claims.role
    if role is None or role is person.role or is_only_owner(call.tx.people.all(), person):
        return person
    call.log("person.role-changed", "person", person.id, before=person.role.value, after=role.value, by=sign_on.name)
    return call.tx.people.change(person, role=role)


def new_question(*, fresh: bool) -> Question:
    """Return what someone is asked next, in words that nobody can guess."""
    state, nonce, verifier = (secrets.token_urlsafe(32) for _ in range(3))
    return Question(state, nonce, verifier, fresh)


def _hash(browser: str) -> bytes:
    return hashlib.sha256(browser.encode()).digest()


def away_too_long() -> NotSignedIn:
    """What is said to whoever comes back with something of which nothing is known, or not any more."""
    return _again("You were away for too long, or have come back with this before.")


def _again(why: str) -> NotSignedIn:
    return NotSignedIn(f"{why} Nobody was signed in.", next_step="Sign in again.")
