"""People, tokens, and signing in."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from pydantic import Field, StringConstraints

from openlatch.wire.base import Page, Sent, Taken, Text
from openlatch.words import Role, Scope, Telling

__all__ = [
    "Confirmation",
    "Holder",
    "HolderList",
    "Me",
    "NewPerson",
    "NewToken",
    "Person",
    "PersonList",
    "SignIn",
    "SignInHint",
    "SwitchWish",
    "Token",
    "TokenList",
    "TokenSecret",
    "Workspace",
    "WorkspaceWish",
]


class SignInHint(Sent):
    """What the sign-in page may know beforehand: the workspace, if the service holds only one."""

    workspace: str | None
    name: str | None


class Confirmation(Taken):
    """One's own password, given again."""

    password: Annotated[str, StringConstraints(min_length=1, max_length=500)]


class SignIn(Taken):
    """A person signing in to the console."""

    workspace: Text
    address: Text
    password: Annotated[str, StringConstraints(min_length=1, max_length=500)]


class NewToken(SignIn):
    """A person asking for a token, so that a program can act for them for a while."""

    name: Text = "command line"
    scope: Scope = Scope.CHANGE
    days: Annotated[int, Field(ge=1, le=365)] = 30


class Token(Sent):
    """A token without its secret."""

    id: UUID
    name: str
    scope: Scope
    created_at: datetime
    expires_at: datetime
    last_used_at: datetime | None
    revoked_at: datetime | None


class TokenSecret(Token):
    """A token just made; its secret is shown this once."""

    secret: str


class Person(Sent):
    """Someone who signs in to the workspace."""

    id: UUID
    name: str
    address: str
    role: Role
    telling: Telling


class NewPerson(Taken):
    """Someone who is to sign in to the workspace."""

    name: Text
    address: Annotated[
        str, StringConstraints(strip_whitespace=True, pattern=r"^[^@\s\x00]+@[^@\s\x00]+$", max_length=200)
    ]
    role: Role
    password: Annotated[str, StringConstraints(min_length=12, max_length=500)]


class Workspace(Sent):
    """The workspace: its name, its zone (IANA), what it regards as its own, and its limits."""

    id: UUID
    slug: str
    name: str
    zone: str
    circle_domains: list[str]
    unused_days: int


class WorkspaceWish(Taken):
    """Another name or zone (IANA) for the workspace; what is left out stays."""

    name: Text | None = None
    zone: Text | None = None


class Holder(Sent):
    """A holder in whose name somebody is signed in, as what, and what waits for them there."""

    workspace: str
    name: str
    person: str
    role: Role
    requests: int
    offers: int
    items: int
    stuck: int
    total: int


class HolderList(Sent):
    """Every holder in whose name one is signed in, the present one first."""

    items: list[Holder]


class SwitchWish(Taken):
    """The short name of the workspace of the holder in whose name one wants to act."""

    workspace: Text


class Me(Sent):
    """Who is signed in where; `may` lists the operations that this sign-in reaches."""

    person: Person
    workspace: Workspace
    may: list[str]
    csrf: str | None = None


class PersonList(Page[Person]):
    """Everyone who signs in to the workspace."""


class TokenList(Page[Token]):
    """Tokens of one person."""
