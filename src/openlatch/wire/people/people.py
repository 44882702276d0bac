"""People, tokens, and signing in."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from pydantic import Field, StringConstraints

from openlatch.wire.base import Page, Sent, Taken, Text
from openlatch.words import LinkPurpose, PersonState, Role, Scope, Telling

__all__ = [
    "AddressWish",
    "Confirmation",
    "Ended",
    "Forgotten",
    "Holder",
    "HolderList",
    "Invitation",
    "LinkText",
    "LinkUse",
    "Me",
    "MeWish",
    "NewToken",
    "PasswordWish",
    "Person",
    "PersonList",
    "RoleWish",
    "Sending",
    "Session",
    "SessionList",
    "SignIn",
    "SignInHint",
    "SignInLink",
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
    """Someone who signs in to the workspace, is invited to, or did until that was disabled.

    `zone` (IANA) and `dates` (a language tag) are those in which they see days; empty for the workspace's. `seen_at` is
    when they were here last, to the minute.
    """

    id: UUID
    name: str
    address: str
    role: Role
    telling: Telling
    state: PersonState
    zone: str
    dates: str
    seen_at: datetime | None


Mailbox = Annotated[str, StringConstraints(strip_whitespace=True, pattern=r"^[^@\s\x00]+@[^@\s\x00]+$", max_length=200)]
Secret = Annotated[str, StringConstraints(min_length=1, max_length=500)]


class Invitation(Taken):
    """Someone who is invited to sign in to the workspace; they choose their own name and password."""

    address: Mailbox
    role: Role
    name: Text | None = None


class RoleWish(Taken):
    """Another role for somebody."""

    role: Role


class MeWish(Taken):
    """Another name, zone (IANA) or language of dates (a language tag such as en-GB) of one's own.

    What is left out stays; an empty zone or language is the workspace's.
    """

    name: Text | None = None
    zone: Annotated[str, StringConstraints(max_length=100)] | None = None
    dates: Annotated[str, StringConstraints(max_length=35)] | None = None


class PasswordWish(Taken):
    """Another password of one's own."""

    password: Secret


class AddressWish(Taken):
    """Another address of one's own, which has to be confirmed by a link that goes there."""

    address: Mailbox


class Session(Sent):
    """Where somebody is signed in to the console: with what, from which network address, and seen when last.

    `present` is the one that asks.
    """

    id: UUID
    device: str
    network: str
    created_at: datetime
    expires_at: datetime
    seen_at: datetime | None
    present: bool


class SessionList(Page[Session]):
    """One's own sessions, the latest first."""


class Ended(Sent):
    """How many of one's own sessions ended."""

    sessions: int


class Sending(Sent):
    """To which address a letter goes."""

    address: str


class Forgotten(Taken):
    """Whose password is forgotten; the answer is the same whether anybody signs in with that address or not."""

    workspace: Text
    address: Text


class LinkText(Taken):
    """A link of a letter about signing in: what stands behind the # in it."""

    link: Annotated[str, StringConstraints(min_length=1, max_length=500)]


class LinkUse(LinkText):
    """A link of a letter about signing in, with what is chosen by it: a name, a password, or neither."""

    name: Text | None = None
    password: Secret | None = None


class SignInLink(Sent):
    """What a link leads to, for whom; `trouble` says why it cannot be used any more, if it cannot."""

    purpose: LinkPurpose
    holder: str
    workspace: str
    name: str
    address: str
    role: Role
    lapses_at: datetime
    zone: str
    trouble: str


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
