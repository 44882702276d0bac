"""Signing in at someone else's (OpenID Connect Core 1.0): whom a service lets in by what it says of them, and as what.

Whoever was let in once is known again by the subject under which the service knows them, and by nothing else: names
and addresses change hands.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Protocol
from uuid import UUID

from openlatch.core.ids import ref_of
from openlatch.core.model import Person, normal_address
from openlatch.errors import NotSignedIn
from openlatch.words import PersonState, Role

__all__ = ["Claims", "IdentityProvider", "Question", "SignOn", "Stranger", "claims_of", "let_in", "role_of"]

_MOST_NAME = 200


@dataclass(frozen=True, slots=True)
class SignOn:
    """A service at which people of a workspace sign in (an OpenID provider), and what it decides here.

    `roles` says which role is given by which value of the claim `claim`; without any, it lets in who is here already.
    `second_factor` is whether that service asks for a second factor itself, so that none is asked for here.
    """

    id: UUID
    name: str
    issuer: str
    client_id: str
    claim: str
    roles: Mapping[str, Role]
    second_factor: bool
    made_at: datetime

    @property
    def ref(self) -> str:
        """The short form of its id."""
        return ref_of(self.id)


@dataclass(frozen=True, slots=True)
class Question:
    """What a service is asked: by which words its answer is known again, and for whom it has to be good."""

    state: str
    nonce: str
    verifier: str
    fresh: bool
    """whether they have to prove anew who they are, though they are signed in there"""


class IdentityProvider(Protocol):
    """An OpenID provider, as the service talks to it."""

    def check(self) -> None:
        """Read what it says of itself; raises ProviderDown, ProviderRefused or ProviderUnreadable."""

    def address(self, question: Question, back: str) -> str:
        """Return where someone goes to be asked; they come `back` to an address of the console."""

    def claims(self, question: Question, back: str, code: str, now: datetime) -> Mapping[str, object]:
        """Return what it says of whoever came back with a code, proved to be its word, of now and for this."""


@dataclass(frozen=True, slots=True)
class Claims:
    """What a service says of someone: under which subject it knows them, and what it says that may be believed.

    `address` is empty unless the service says that it has made sure of it.
    """

    subject: str
    address: str
    name: str
    role: Role | None


@dataclass(frozen=True, slots=True)
class Stranger:
    """Someone who is not here yet and is let in as what the service says."""

    claims: Claims
    role: Role


def claims_of(sign_on: SignOn, said: Mapping[str, object]) -> Claims:
    """Return what is believed of what a service says of someone."""
    address = said.get("email")
    sure = isinstance(address, str) and said.get("email_verified") is True
    name = said.get("name")
    return Claims(
        subject=str(said["sub"]),
        address=normal_address(str(address)) if sure else "",
        name=" ".join(name.split())[:_MOST_NAME] if isinstance(name, str) else "",
        role=role_of(sign_on, said),
    )


def role_of(sign_on: SignOn, said: Mapping[str, object]) -> Role | None:
    """Return the role that reaches most, of those that what is said gives; None for none.

    A dot in the name of the claim leads into an object, as in `realm_access.roles`, unless a claim has that very name.
    """
    value: object = said.get(sign_on.claim)
    if value is None:
        value = said
        for step in sign_on.claim.split("."):
            value = value.get(step) if isinstance(value, Mapping) else None
    values = value if isinstance(value, list | tuple) else [value]
    given = {sign_on.roles[text] for text in values if isinstance(text, str) and text in sign_on.roles}
    return next((role for role in Role if role in given), None)


def let_in(
    sign_on: SignOn, claims: Claims, linked: Person | None, at_address: Person | None, *, taken: bool
) -> Person | Stranger:
    """Return who signs in: whoever is linked to the subject, or has the address, or a stranger who is given a role.

    `at_address` is whoever of this workspace has the address of which the service is sure, and `taken` whether they
    are linked to another subject of that service: then the address has changed hands. Raises NotSignedIn for everybody
    else, with why.
    """
    if sign_on.roles and claims.role is None:
        raise _refused(
            f"{sign_on.name} gives you no role in this workspace.",
            f"Have whoever runs {sign_on.name} put you into a group that does, or ask an owner of this workspace.",
        )
    known = linked if linked is not None and linked.state is not PersonState.REMOVED else at_address
    if known is not None:
        if known.state is PersonState.DISABLED:
            raise _refused("You can no longer sign in to this workspace.", "Ask one of its owners, if it is a mistake.")
        if known is at_address and taken:
            raise _refused(
                f"{claims.address} belongs to someone here who is another person at {sign_on.name}.",
                "Ask an owner of this workspace to remove them first, if they are gone, and to invite you.",
            )
        return known
    if linked is not None:
        raise _refused("You were removed from this workspace.", "Ask one of its owners to invite you again.")
    if claims.role is None or not claims.address:
        raise _refused(
            f"{sign_on.name} knows you, but you are not among the people of this workspace."
            if claims.address
            else f"{sign_on.name} has not verified your address, and you have not signed in with it before.",
            "Ask an owner of this workspace to invite you with the address that you have there.",
        )
    return Stranger(claims, claims.role)


def _refused(why: str, next_step: str) -> NotSignedIn:
    return NotSignedIn(f"{why} Nothing was changed.", next_step=next_step)
