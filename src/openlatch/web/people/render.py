"""People, holders and tokens as messages of the API."""

from __future__ import annotations

from uuid import UUID

from openlatch.core import model
from openlatch.operations.people.factors import CodesBegun, FactorSight
from openlatch.operations.people.letters import SignInLink
from openlatch.operations.people.me import SignedIn
from openlatch.operations.people.passkeys import Asked
from openlatch.operations.reviews.waiting import Waiting
from openlatch.store.people.people import Session, Token
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = [
    "asked_of",
    "codes_of",
    "factors_of",
    "holder_of",
    "person_of",
    "session_of",
    "sign_in_link_of",
    "token_of",
    "workspace_of",
]


def person_of(person: model.Person) -> wire.Person:
    return filled(wire.Person, person)


def holder_of(who: SignedIn, waits: Waiting) -> wire.Holder:
    return filled(
        wire.Holder,
        waits,
        workspace=who.workspace.slug,
        name=who.workspace.name,
        person=who.person.name,
        role=who.person.role,
    )


def workspace_of(workspace: model.Workspace, *, sends_letters: bool) -> wire.Workspace:
    return filled(
        wire.Workspace,
        workspace,
        circle_domains=sorted(workspace.circle.domains),
        second_factor=sorted(workspace.second_factor),
        sends_letters=sends_letters,
    )


def token_of(token: Token) -> wire.Token:
    return filled(wire.Token, token)


def session_of(session: Session, present: UUID) -> wire.Session:
    return filled(wire.Session, session, present=session.id == present)


def sign_in_link_of(link: SignInLink, *, signed_in: bool = False) -> wire.SignInLink:
    return filled(wire.SignInLink, link, signed_in=signed_in)


def factors_of(sight: FactorSight) -> wire.FactorList:
    return filled(wire.FactorList, sight, items=[filled(wire.Factor, factor) for factor in sight.factors])


def codes_of(begun: CodesBegun) -> wire.CodesBegun:
    return filled(wire.CodesBegun, begun, id=begun.factor.id)


def asked_of(asked: Asked) -> wire.PasskeyAsked:
    return filled(wire.PasskeyAsked, asked)
