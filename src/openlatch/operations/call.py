"""The one place where it is decided whether someone may do something, and what every operation is given."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from functools import wraps
from pathlib import Path
from typing import Any, Concatenate, ParamSpec, TypeVar
from uuid import UUID

from openlatch.core.model import Author, Person, Provider
from openlatch.core.people.roles import OF_ONESELF, OPERATIONS
from openlatch.core.people.sign_on import IdentityProvider, SignOn
from openlatch.core.providers.meaning import Words
from openlatch.core.providers.ports import Connector, Herald, Post
from openlatch.core.providers.security_events import EventStream, Issuer
from openlatch.core.record.events import SAID
from openlatch.core.record.ledger import Event
from openlatch.core.record.secrecy import address_holds_secret
from openlatch.errors import FactorMissing, Invalid, NotAllowed, NotConfirmed, NotSignedIn
from openlatch.operations.credentials import Keyring, Passwords, Vault
from openlatch.store import Transaction
from openlatch.words import Scope

__all__ = [
    "GATED",
    "SERVICE",
    "Actor",
    "Call",
    "Services",
    "as_service",
    "operation",
    "reachable",
    "require",
]

P = ParamSpec("P")
R = TypeVar("R")


@dataclass(frozen=True, slots=True)
class Services:
    """What operations need of the outside: the clock, new ids, the connectors, and the vault for secrets."""

    clock: Callable[[], datetime]
    new_id: Callable[[], UUID]
    connectors: Mapping[str, type[Connector]]
    vault: Vault
    confirm_within: timedelta = timedelta(minutes=30)
    """how long ago the password may have been given for a dangerous act"""
    session: timedelta = timedelta(hours=12)
    """after how long a session ends, however much it is used"""
    idle: timedelta = timedelta(hours=2)
    """after how long without a request a session ends"""
    post: Post | None = None
    """what carries letters; without one, people are told in the console only"""
    founding: str = ""
    """the code with which the first workspace can be founded; none where there was one when the service began"""
    console: str = ""
    """the address under which people reach the console, without a slash at its end"""
    herald: Herald | None = None
    """what tells other programs; without one, webhooks wait"""
    heads_file: Path | None = None
    """where heads of logs are written too, a line each; nothing is ever taken out of it"""
    heads_to: str = ""
    """to which address a letter goes with each head of a log, once a day"""
    sign_on: Callable[[SignOn, str], IdentityProvider] | None = None
    """what calls a service at which people sign in, with its secret"""
    event_issuer: Callable[[EventStream, str], Issuer] | None = None
    """what calls whoever signs the security events of a provider, with the secret that they are fetched with"""
    passwords: Passwords = field(default_factory=Passwords)

    def words(self, connector: str) -> Words:
        """Return what the words of a connector's protocol mean; none for a connector that is no longer installed."""
        return self.connectors[connector].words if connector in self.connectors else {}

    def connector(self, name: str, settings: Mapping[str, str], secret: str) -> Connector:
        """Return the connector of that name, set up; raises Invalid for a name or settings it does not know."""
        if name not in self.connectors:
            raise Invalid(
                f"There is no connector “{name}”. Nothing was changed.",
                next_step=f"Use one of: {', '.join(sorted(self.connectors))}.",
                errors=[{"at": "connector", "problem": "not known"}],
            )
        for setting, value in settings.items():
            if address_holds_secret(value):
                raise Invalid(
                    f"The setting “{setting}” has a password in its address. Nothing was changed.",
                    next_step="Leave it out there, and give it as the provider's secret: that is kept encrypted.",
                    errors=[{"at": "settings", "problem": "holds a password"}],
                )
        return self.connectors[name](settings, secret)


@dataclass(frozen=True, slots=True)
class Actor:
    """Who is acting: a person, with what their token reaches, or the service itself where `person` is None.

    `confirmed_at` is when they last gave their password in this session, or for this token. `lacks_factor` is whether
    the workspace demands a second factor of them that they do not have yet; `strong`, whether they signed in at a
    service that asks for one itself.
    """

    name: str
    person: Person | None = None
    scope: Scope = Scope.READ
    confirmed_at: datetime | None = None
    lacks_factor: bool = False
    strong: bool = False

    @property
    def author(self) -> Author:
        """Whoever acts, as it is kept."""
        return Author(self.name, self.person.id if self.person is not None else None)


SERVICE = Actor("Open Latch")
GATED: dict[str, Callable[..., Any]] = {}
"""Every operation, as whoever calls it has it, by its name in the table of roles."""


@dataclass(frozen=True, slots=True)
class Call:
    """One intention being carried out: the transaction, who acts, the instant that counts as now."""

    tx: Transaction
    services: Services
    actor: Actor
    now: datetime

    @property
    def person(self) -> Person:
        """Whoever of the workspace acts; raises NotSignedIn where that is nobody."""
        if self.actor.person is None:
            raise NotSignedIn("Nobody is signed in.", next_step="Sign in first.")
        return self.actor.person

    def connect(self, provider: Provider) -> Connector:
        secret = self.open(self.tx.providers.secret(provider.id))
        return self.services.connector(provider.connector, provider.settings, secret)

    def keyring(self) -> Keyring:
        """Return the keys of the workspace; the first one is made when it is needed first."""
        wrapped = self.tx.data_keys.all()
        if not wrapped:
            self.tx.data_keys.add(1, self.services.vault.new_data_key(), self.now)
            wrapped = self.tx.data_keys.all()
        return Keyring(self.services.vault, wrapped)

    def close(self, secret: str) -> bytes:
        """Return a secret as it may be stored."""
        return self.keyring().close(secret)

    def open(self, closed: bytes) -> str:
        """Return a secret that was closed before it was stored."""
        return self.keyring().open(closed)

    def event(self, act: str, subject: str, subject_id: UUID, **facts: Any) -> Event:
        """Return an event of now; `on_behalf_of` among the facts is for whom it is done, if not for whoever acts."""
        if act not in SAID:
            raise LookupError(f"act {act!r} has no words in core.events.SAID")
        me = self.actor.author
        behalf: Author | None = facts.pop("on_behalf_of", None)
        other = behalf if behalf is not None and behalf != me else Author("")
        return Event(
            id=self.services.new_id(),
            at=self.now,
            actor=me.name,
            act=act,
            subject=subject,
            subject_id=subject_id,
            facts=facts,
            on_behalf_of=other.name,
            actor_id=me.id,
            on_behalf_of_id=other.id,
        )

    def log(self, act: str, subject: str, subject_id: UUID, **facts: Any) -> None:
        """Append an event to the log, in the transaction of the change it tells of; see `event`."""
        self.log_all([self.event(act, subject, subject_id, **facts)])

    def log_all(self, events: Iterable[Event]) -> None:
        self.tx.events.append(events)


def as_service(tx: Transaction, services: Services) -> Call:
    """Return a call in which the service itself acts, as the worker does."""
    return Call(tx, services, SERVICE, services.clock())


def reachable(actor: Actor) -> tuple[str, ...]:
    """Return the names of the operations that an actor reaches."""
    return tuple(name for name in OPERATIONS if _refusal(actor, name) is None)


def operation(name: str) -> Callable[[Callable[Concatenate[Call, P], R]], Callable[Concatenate[Call, P], R]]:
    """Declare a function as the operation of that name; from then on it refuses whoever the table does not let in."""
    if name not in OPERATIONS:
        raise LookupError(f"operation {name!r} has no row in core.roles.OPERATIONS")

    def gate(function: Callable[Concatenate[Call, P], R]) -> Callable[Concatenate[Call, P], R]:
        @wraps(function)
        def guarded(call: Call, /, *args: P.args, **kwargs: P.kwargs) -> R:
            require(call, name)
            return function(call, *args, **kwargs)

        GATED[name] = guarded
        return guarded

    return gate


def require(call: Call, name: str) -> None:
    """Refuse whoever the table does not let in to the operation of that name, before anything is done for it."""
    refusal = _refusal(call.actor, name) or _unconfirmed(call, name)
    if refusal is not None:
        raise refusal


def _refusal(actor: Actor, name: str) -> NotSignedIn | NotAllowed | None:
    permission = OPERATIONS[name]
    if actor.person is None:
        return NotSignedIn("Nobody is signed in.", next_step="Sign in first.")
    if actor.person.role not in permission.roles:
        allowed = ", ".join(sorted(permission.roles))
        return NotAllowed(
            f"Your role, {actor.person.role}, does not allow {name}. Nothing was changed.",
            next_step=f"Ask someone who is one of: {allowed}.",
            operation=name,
            role=str(actor.person.role),
        )
    if actor.lacks_factor and name not in OF_ONESELF:
        return FactorMissing(
            f"Your role, {actor.person.role}, needs a second factor here, and you have none yet. Nothing was changed.",
            next_step="Add one under My account, or by: openlatch me add-codes",
            operation=name,
        )
    if permission.scope is Scope.CHANGE and actor.scope is not Scope.CHANGE:
        return NotAllowed(
            f"This token may only read, and {name} changes something. Nothing was changed.",
            next_step="Use a token with the scope “change”.",
            operation=name,
            scope=str(actor.scope),
        )
    return None


def _unconfirmed(call: Call, name: str) -> NotConfirmed | None:
    confirmed_at, within = call.actor.confirmed_at, call.services.confirm_within
    if not OPERATIONS[name].dangerous or (confirmed_at is not None and call.now - confirmed_at <= within):
        return None
    minutes = int(within.total_seconds()) // 60
    return NotConfirmed(
        f"This needs your password or a code, which you have not given in the last {minutes} minutes. "
        "Nothing was changed.",
        next_step="Give either, then do it again: openlatch confirm",
        operation=name,
    )
