"""People, tokens, and signing in."""

from datetime import datetime
from typing import Annotated, Any, Self
from uuid import UUID

from pydantic import Field, StringConstraints, model_validator

from openlatch.wire.base import Page, Sent, Taken, Text
from openlatch.words import FactorKind, LinkPurpose, PersonState, Role, Scope, Telling

__all__ = [
    "AddressWish",
    "CodesBegun",
    "Confirmation",
    "Ended",
    "Factor",
    "FactorList",
    "FactorProof",
    "FirstWorkspace",
    "Forgotten",
    "Holder",
    "HolderList",
    "Invitation",
    "LinkText",
    "LinkUse",
    "Me",
    "MeWish",
    "NewFactor",
    "NewOwnToken",
    "NewPasskey",
    "NewToken",
    "PasskeyAnswer",
    "PasskeyAsked",
    "PasskeySignIn",
    "PasskeyWish",
    "PasswordWish",
    "Person",
    "PersonList",
    "RecoveryCodes",
    "RoleWish",
    "Sending",
    "Session",
    "SessionList",
    "SignIn",
    "SignInHint",
    "SignInLink",
    "SignOn",
    "SignOnAnswer",
    "SignOnLeave",
    "SignOnLeaving",
    "SignOnList",
    "SignOnName",
    "SignOnNames",
    "SignOnQuery",
    "SignOnSignIn",
    "SignOnWish",
    "SwitchWish",
    "Token",
    "TokenList",
    "TokenSecret",
    "Workspace",
    "WorkspaceWish",
]


class SignInHint(Sent):
    """What the sign-in page may know beforehand: the workspace, if the service holds only one, or that there is none
    yet.
    """

    workspace: str | None
    name: str | None
    founded: Annotated[bool, Field(description="whether there is any workspace")]


Secret = Annotated[str, StringConstraints(min_length=1, max_length=500)]
Code = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40)]


class PasskeyAnswer(Taken):
    """What a passkey has signed: the id under which it was asked, and what the browser returned (WebAuthn, as JSON)."""

    asked: UUID
    credential: dict[str, Any]


class SignOnAnswer(Taken):
    """What someone comes back with from a single sign-on: what their browser has kept, and what was sent along."""

    began: UUID
    browser: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    state: Annotated[str, StringConstraints(max_length=200)] = ""
    code: Annotated[str, StringConstraints(max_length=4000)] = ""
    issuer: Annotated[str, StringConstraints(max_length=2000)] = ""


class Confirmation(Taken):
    """A proof that it is still oneself: one of one's password, a code, what a passkey has signed, or what one came back
    with from a single sign-on.
    """

    password: Secret | None = None
    code: Code | None = None
    passkey: PasskeyAnswer | None = None
    sign_on: SignOnAnswer | None = None

    @model_validator(mode="after")
    def _one(self) -> Self:
        if sum(given is not None for given in (self.password, self.code, self.passkey, self.sign_on)) != 1:
            raise ValueError("has to be one of password, code, passkey and sign_on")
        return self


class FirstWorkspace(Taken):
    """The first workspace of a service, its owner, and the code that the service printed when it was started."""

    code: Code
    workspace: Annotated[Text, Field(description="its short name, in small letters, digits and hyphens")]
    name: Text
    zone: Annotated[Text, Field(description="an IANA time zone, such as Europe/London")]
    circle: Annotated[
        list[Text], Field(default_factory=list, max_length=100, description="the domains of the holder's own")
    ]
    owner: Text
    address: Text
    password: Secret


class SignIn(Taken):
    """A person signing in to the console; `code` is of their app, or a recovery code, where they have either."""

    workspace: Text
    address: Text
    password: Secret
    code: Code | None = None


class PasskeyWish(Taken):
    """In which workspace someone is to be asked for their passkey."""

    workspace: Text


class PasskeySignIn(PasskeyAnswer):
    """Someone signing in to the console with a passkey."""

    workspace: Text


class PasskeyAsked(Sent):
    """What a passkey is asked: under which id the answer comes back, and what the browser is given (WebAuthn, JSON)."""

    id: UUID
    options: str


class SignOnName(Sent):
    """A single sign-on, as whoever is not signed in sees it."""

    id: UUID
    name: str


class SignOnNames(Sent):
    """The single sign-ons at which people of a workspace may sign in."""

    items: list[SignOnName]


class SignOnQuery(Taken):
    """Of which workspace the single sign-ons are."""

    workspace: Text


class SignOnLeave(Taken):
    """At which single sign-on someone wants to sign in; `fresh`, where they have to prove anew who they are."""

    workspace: Text
    sign_on: UUID
    fresh: bool = False


class SignOnLeaving(Sent):
    """Where someone goes to sign in, and what their browser keeps until they are back, within ten minutes."""

    began: UUID
    browser: str
    url: str


class SignOnSignIn(SignOnAnswer):
    """Someone who came back from a single sign-on; `factor` is a code of their app, or a recovery code.

    Where that is needed, the answer to the first try says so; it is then sent with `began` and `browser` alone.
    """

    workspace: Text
    factor: Code | None = None


class SignOn(Sent):
    """A service at which people of the workspace sign in (OpenID Connect): see NewSignOn."""

    id: UUID
    ref: str
    name: str
    issuer: str
    client_id: str
    claim: str
    roles: dict[str, Role]
    second_factor: bool


class SignOnList(Sent):
    """Every single sign-on, and the address that each has to know as the one to which people come back.

    `back` is empty where the console is not reached over https, so that there can be none.
    """

    items: list[SignOn]
    back: str


class SignOnWish(Taken):
    """How a single sign-on is to be set up: what it calls itself, and the client under which it knows this service.

    `roles` says which role is given by which value of the claim `claim`, such as `groups`; without any, it lets in who
    is here or invited already, by the address that it has made sure of. `second_factor` is whether it asks for one
    itself. Without a `secret`, one that is there keeps its own.
    """

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    issuer: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=500)]
    client_id: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=500)]
    secret: Annotated[str, StringConstraints(max_length=2000)] | None = None
    claim: Annotated[str, StringConstraints(max_length=200)] = ""
    roles: dict[Text, Role] = Field(default_factory=dict, max_length=100)
    second_factor: bool = False


class NewOwnToken(Taken):
    """A token that someone who is signed in makes for themselves; they have proved lately who they are."""

    name: Text = "command line"
    scope: Scope = Scope.CHANGE
    days: Annotated[int, Field(ge=1, le=365)] = 30


class NewToken(SignIn, NewOwnToken):
    """A person asking for a token, so that a program can act for them for a while."""


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


class Factor(Sent):
    """A second factor of one's own, which counts since `proved_at`."""

    id: UUID
    kind: FactorKind
    name: str
    proved_at: datetime
    last_used_at: datetime | None


class FactorList(Sent):
    """One's own second factors, how many recovery codes are left, and whether one has to have a factor here."""

    items: list[Factor]
    recovery_left: int
    demanded: bool


class NewFactor(Taken):
    """What a second factor is called, such as the device that it is on."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]


class CodesBegun(Sent):
    """What an app makes codes of: as text, as an address (otpauth), and as a QR code, in rows of 1 and 0.

    It counts once a first code was right, within an hour.
    """

    id: UUID
    secret: str
    uri: str
    square: list[str]


class FactorProof(Taken):
    """The code that an app shows now."""

    code: Code


class NewPasskey(PasskeyAnswer, NewFactor):
    """A passkey that the browser has made, and what it is called."""


class RecoveryCodes(Sent):
    """Recovery codes, each good for one sign-in; they are shown this once. None where there were some left."""

    codes: list[str]


Mailbox = Annotated[str, StringConstraints(strip_whitespace=True, pattern=r"^[^@\s\x00]+@[^@\s\x00]+$", max_length=200)]


class Invitation(Taken):
    """Someone who is invited to sign in to the workspace; they choose their own name and password."""

    address: Mailbox
    role: Role
    name: Text | None = None


class RoleWish(Taken):
    """Another role for someone."""

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
    """Where someone is signed in to the console: with what, from which network address, and seen when last.

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
    """Whose password is forgotten; the answer is the same whether anyone signs in with that address or not."""

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
    """What a link leads to, for whom; `trouble` says why it cannot be used any more, if it cannot.

    `signed_in` says, once it was used, whether that signed them in: not where a second factor is needed beside it.
    """

    purpose: LinkPurpose
    holder: str
    workspace: str
    name: str
    address: str
    role: Role
    lapses_at: datetime
    zone: str
    trouble: str
    signed_in: bool = False


class Workspace(Sent):
    """The workspace: its name, its zone (IANA), what it regards as its own, and its limits.

    Whoever has a role of `second_factor` needs a second factor. What happened is kept for so many days, 0 for ever:
    events of the log can be archived into files from then on, activity and readings are deleted.
    """

    id: UUID
    slug: str
    name: str
    zone: str
    circle_domains: list[str]
    unused_days: int
    second_factor: list[Role]
    keep_events_days: int
    keep_activity_days: int
    keep_readings_days: int
    sends_letters: bool


class WorkspaceWish(Taken):
    """What is to be set of the workspace; what is left out stays as it is."""

    name: Text | None = None
    zone: Text | None = None
    second_factor: Annotated[list[Role], Field(max_length=len(Role))] | None = None
    keep_events_days: Annotated[int, Field(ge=0, le=36500)] | None = None
    keep_activity_days: Annotated[int, Field(ge=0, le=36500)] | None = None
    keep_readings_days: Annotated[int, Field(ge=0, le=36500)] | None = None


class Holder(Sent):
    """A holder in whose name someone is signed in, as what, and what waits for them there."""

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
    """Who is signed in where; `may` lists the operations that this sign-in reaches.

    `lacks_factor` is whether the workspace demands a second factor of them that they do not have yet: then they reach
    what it takes to add one, and nothing else.
    """

    person: Person
    workspace: Workspace
    may: list[str]
    lacks_factor: bool = False
    csrf: str | None = None


class PersonList(Page[Person]):
    """Everyone who signs in to the workspace; `second_factor` are those who have a second factor."""

    second_factor: list[UUID]


class TokenList(Page[Token]):
    """Tokens of one person."""
