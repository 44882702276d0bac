"""Signing in and out: passwords that are tried, sessions, tokens, and who a request comes from.

An attempt is counted before its password is looked at, and forgotten if that is right: however many come at once, no
more than so many are looked at. The password is worked out between two transactions, which holds up nobody.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import timedelta
from uuid import UUID

from openlatch.core.model import Person, normal_address
from openlatch.core.people.factors import lacks_factor, proved
from openlatch.errors import FactorNeeded, NotSignedIn, TooManyRequests
from openlatch.operations.call import Actor, Call, Services, operation
from openlatch.operations.credentials import Bearer
from openlatch.operations.people import factors
from openlatch.store.noun import missing
from openlatch.store.people.people import Borne, Session, Token
from openlatch.store.people.strangers import Strangers
from openlatch.words import Role, Scope

__all__ = [
    "Attempt",
    "attempt",
    "attempt_again",
    "attempt_nowhere",
    "by_session",
    "by_token",
    "close_session",
    "confirm",
    "count_asked",
    "failed",
    "give_up_token",
    "has_factor",
    "make_own_token",
    "make_token",
    "may_go_to",
    "not_looked_at",
    "note_use",
    "open_session",
    "revoke_token",
    "second_factor",
    "tidy",
    "tokens",
]

WINDOW = timedelta(minutes=15)
MOST_ATTEMPTS = 10
"""wrong passwords for one address within the window"""
MOST_FROM_ONE_NETWORK = 100
"""wrong passwords from one network address within the window, whoever they are for"""
MOST_ASKED = 60
"""letters, requests and challenges that one network asks for within the window, without signing in"""
MOST_FOR_ONE_ADDRESS = 5
"""requests that send a letter to one address within the window"""
REPLIES = timedelta(days=1)
"""How long a request can be sent again under its idempotency key."""


@dataclass(frozen=True, slots=True)
class Attempt:
    """A password that is about to be looked at: whose it has to be, and what is stored of that; None for nobody."""

    id: UUID
    counts_for: str
    person: Person | None
    stored: str | None
    last: bool
    """whether the next one is refused, if this one is wrong"""


def attempt(call: Call, address: str, network: str) -> Attempt:
    """Count an attempt to sign in; raises TooManyRequests where there were too many. The caller commits."""
    address = normal_address(address)
    call.tx.people.in_turn(address, network)
    since = call.now - WINDOW
    if network and call.tx.people.tried_from(network, since) >= MOST_FROM_ONE_NETWORK:
        raise _too_many(f"There were {MOST_FROM_ONE_NETWORK} wrong passwords from your network")
    pair = call.tx.people.by_address(address)
    person, stored = pair if pair is not None else (None, None)
    return _counted(call, Attempt(call.services.new_id(), address, person, stored, last=False), network)


def attempt_again(call: Call, bearer: Bearer, network: str) -> Attempt:
    """Count that whoever is signed in gives their password again.

    What others try for the same address does not count here: it keeps nobody from confirming who is signed in.
    """
    known = call.tx.people.by_address(call.person.address)
    call.tx.people.in_turn(str(bearer.id))
    stored = known[1] if known else None
    return _counted(call, Attempt(call.services.new_id(), str(bearer.id), call.person, stored, last=False), network)


def _counted(call: Call, made: Attempt, network: str) -> Attempt:
    before = call.tx.people.tried_since(made.counts_for, call.now - WINDOW)
    if before >= MOST_ATTEMPTS:
        raise _too_many(f"There were {MOST_ATTEMPTS} wrong passwords")
    call.tx.people.add_attempt(made.id, made.counts_for, network, call.now)
    return replace(made, last=before + 1 == MOST_ATTEMPTS)


def not_looked_at(call: Call, made: Attempt) -> None:
    """Take it back that an attempt counts, since the service had no time to look at its password."""
    call.tx.people.forget_attempt(made.id)


def _too_many(what: str) -> TooManyRequests:
    minutes = int(WINDOW.total_seconds()) // 60
    return TooManyRequests(
        f"{what} within {minutes} minutes. Nothing was changed.",
        next_step=f"Wait {minutes} minutes, then try again.",
        retry_after=int(WINDOW.total_seconds()),
    )


def second_factor(call: Call, person: Person, code: str, so_far: str = "Your password is right") -> bool:
    """Return whether a code beside what was right `so_far` was right too, or none is needed; it counts once.

    Raises FactorNeeded where one is needed and none came.
    """
    held = proved(call.tx.factors.of(person.id))
    if not held:
        return True
    if not code:
        ways = sorted({factor.kind.value for factor in held})
        raise FactorNeeded(
            f"{so_far}; a second factor is needed too.",
            next_step="Type the code that your app shows now, or a recovery code; or sign in with your passkey.",
            ways=ways,
        )
    return factors.code_fits(call, person, code)


def has_factor(call: Call, person: Person) -> bool:
    """Return whether someone has a second factor."""
    return bool(proved(call.tx.factors.of(person.id)))


def count_asked(strangers: Strangers, services: Services, workspace: str, network: str) -> None:
    """Count what anyone asks of a workspace without signing in; raises TooManyRequests where that is too often.

    A workspace that is not here counts as any other.
    """
    now, key = services.clock(), f"{workspace} asked from {network}"
    strangers.in_turn(key)
    if strangers.since(key, now - WINDOW) >= MOST_ASKED:
        raise _too_many(f"There were {MOST_ASKED} requests from your network")
    strangers.add(services.new_id(), key, now)


def attempt_nowhere(strangers: Strangers, services: Services, workspace: str, address: str, network: str) -> None:
    """Count an attempt to sign in to a workspace that is not here as one to any other, where none is ever right."""
    now, since = services.clock(), services.clock() - WINDOW
    from_here, at_this = f"{workspace} tried from {network}", f"{workspace} tried {normal_address(address)}"
    strangers.in_turn(from_here, at_this)
    if network and strangers.since(from_here, since) >= MOST_FROM_ONE_NETWORK:
        raise _too_many(f"There were {MOST_FROM_ONE_NETWORK} wrong passwords from your network")
    if strangers.since(at_this, since) >= MOST_ATTEMPTS:
        raise _too_many(f"There were {MOST_ATTEMPTS} wrong passwords")
    for key in (from_here, at_this):
        strangers.add(services.new_id(), key, now)


def may_go_to(call: Call, target: str) -> bool:
    """Count what is to go to an address that a stranger has named; returns whether it may, a few times whoever asks."""
    to_there, since = f"asked for {normal_address(target)}", call.now - WINDOW
    call.tx.people.in_turn(to_there)
    call.tx.people.add_attempt(call.services.new_id(), to_there, "", call.now)
    return call.tx.people.tried_since(to_there, since) <= MOST_FOR_ONE_ADDRESS


def failed(call: Call, made: Attempt) -> None:
    """Log that someone's password was tried in vain; of an address that nobody has, nothing is kept in the log."""
    if made.person is not None:
        call.log("person.sign-in-failed", "person", made.person.id)
        if made.last:
            call.log("person.locked-out", "person", made.person.id, minutes=int(WINDOW.total_seconds()) // 60)


def open_session(
    call: Call, person: Person, device: str, network: str, how: str = "password", *, strong: bool = False
) -> Bearer:
    """Open a console session for someone who has proved who they are; returns what goes into the cookie.

    `strong` is whether they did so at a service that asks for a second factor itself.
    """
    _refuse_unless_active(call.tx.people.get(person.id))
    call.tx.people.forget_attempts(person.address)
    bearer = Bearer.new(call.tx.workspace.id, call.services.new_id())
    session = Session(
        id=bearer.id,
        person_id=person.id,
        created_at=call.now,
        confirmed_at=call.now,
        expires_at=call.now + call.services.session,
        device=device,
        network=network,
        seen_at=call.now,
        strong=strong,
    )
    call.tx.people.open_session(session, bearer.hash)
    call.tx.people.seen(person.id, call.now)
    call.log("person.signed-in", "person", person.id, where="console", how=how, device=device, network=network)
    return bearer


def make_token(call: Call, person: Person, name: str, scope: Scope, days: int) -> tuple[Token, Bearer]:
    """Make a token for a person whose password was right; its secret is returned this once."""
    _refuse_unless_active(call.tx.people.get(person.id))
    call.tx.people.forget_attempts(person.address)
    return _token(call, person, name, scope, days)


@operation("tokens.make")
def make_own_token(call: Call, name: str, scope: Scope, days: int) -> tuple[Token, Bearer]:
    """Make a token for whoever is signed in, however they did; its secret is returned this once."""
    return _token(call, call.person, name, scope, days)


def _token(call: Call, person: Person, name: str, scope: Scope, days: int) -> tuple[Token, Bearer]:
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
        strong=call.actor.strong,
    )
    call.tx.people.add_token(token, bearer.hash)
    call.log("token.made", "token", token.id, person=person.name, name=name, scope=scope.value, ends=end.isoformat())
    return token, bearer


def by_session(call: Call, bearer: Bearer) -> Actor:
    """Return who a session cookie stands for, or raise NotSignedIn."""
    pair = call.tx.people.session_of(bearer.id, call.now)
    if pair is None or not bearer.fits(pair[1].hash):
        raise NotSignedIn("This session has ended.", next_step="Sign in again.")
    session, borne = pair
    if call.now - (session.seen_at or session.created_at) > call.services.idle:
        raise NotSignedIn("This session has ended, since it was not used for long.", next_step="Sign in again.")
    return _as(call, borne, Scope.CHANGE, strong=session.strong)


def by_token(call: Call, bearer: Bearer) -> Actor:
    """Return who a token stands for, or raise NotSignedIn."""
    pair = call.tx.people.token_of(bearer.id)
    if pair is None or not bearer.fits(pair[1].hash):
        raise NotSignedIn("This token is not known here.", next_step="Sign in again to get a new one.")
    token, borne = pair
    if token.revoked_at is not None or token.expires_at <= call.now:
        ended = "was revoked" if token.revoked_at else "has expired"
        raise NotSignedIn(f"This token {ended}.", next_step="Sign in again to get a new one.")
    return _as(call, borne, token.scope, strong=token.strong)


def _as(call: Call, borne: Borne, scope: Scope, *, strong: bool) -> Actor:
    person = borne.person
    _refuse_unless_active(person)
    # The name under which someone acts is with their address where someone else here has the same.
    name = f"{person.name} ({person.address})" if borne.alike else person.name
    demanded = frozenset() if strong else call.tx.workspace.second_factor
    lacks = person.role in demanded and lacks_factor(person, call.tx.factors.of(person.id), demanded)
    return Actor(name, person, scope, borne.confirmed_at, lacks_factor=lacks, strong=strong)


def _refuse_unless_active(person: Person) -> None:
    if not person.active:
        raise NotSignedIn(
            "You can no longer sign in to this workspace.", next_step="Ask one of its owners, if that is a mistake."
        )


def note_use(call: Call, bearer: Bearer, network: str, *, session: bool) -> None:
    """Keep that a session or token was used: in a transaction of its own, so that no long request holds up the next."""
    if session:
        held = call.tx.people.session(bearer.id, call.now)
        if held is not None and bearer.fits(held[1]):
            call.tx.people.session_seen(bearer.id, network, call.now)
            call.tx.people.seen(held[0].person_id, call.now)
        return
    parts = call.tx.people.token(bearer.id)
    if parts is not None and bearer.fits(parts[1]):
        call.tx.people.token_used(parts[0].id, call.now)
        call.tx.people.seen(parts[0].person_id, call.now)


def confirm(call: Call, bearer: Bearer) -> None:
    """Keep that whoever is signed in has given their password again; the caller has checked it."""
    call.tx.people.forget_attempts(str(bearer.id))
    call.tx.people.confirm(bearer.id, call.now)
    call.log("person.confirmed", "person", call.person.id)


def close_session(call: Call, bearer: Bearer) -> None:
    """End a console session; its bearer has shown that it is theirs."""
    held = call.tx.people.session(bearer.id, call.now)
    if held is not None and bearer.fits(held[1]):
        call.tx.people.close_session(bearer.id)
        call.log("person.signed-out", "person", held[0].person_id)


def give_up_token(call: Call, bearer: Bearer) -> None:
    """Have the token that is used refused from now on, whatever else it may do."""
    known = call.tx.people.token(bearer.id)
    if known is not None and bearer.fits(known[1]):
        _revoke(call, known[0])


def tidy(call: Call) -> None:
    """Delete sessions that ended, attempts of long ago, and replies that nobody will ask for again."""
    call.tx.people.forget_before(call.now, call.now - WINDOW)
    call.tx.factors.forget_before(call.now, call.now - factors.UNPROVED)
    call.tx.sign_ons.forget_before(call.now)
    call.tx.replies.forget_before(call.now - REPLIES)


@operation("tokens.browse")
def tokens(call: Call) -> tuple[Token, ...]:
    """The tokens of whoever is signed in."""
    return call.tx.people.tokens(call.person.id)


@operation("tokens.revoke")
def revoke_token(call: Call, token_id: UUID) -> None:
    """Revoke a token of one's own; an owner may revoke anyone's."""
    parts = call.tx.people.token(token_id)
    if parts is None or (parts[0].person_id != call.person.id and call.person.role is not Role.OWNER):
        raise missing("token", token_id)
    _revoke(call, parts[0])


def _revoke(call: Call, token: Token) -> None:
    if token.revoked_at is None:
        call.tx.people.revoke_token(token.id, call.now)
        call.log("token.revoked", "token", token.id, name=token.name)
