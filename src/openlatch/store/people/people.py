"""People of a workspace, their sessions and tokens. Secrets are stored as hashes only."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any, TypeVar
from uuid import UUID

from sqlalchemy import Select, and_, bindparam, delete, exists, func, insert, select, update
from sqlalchemy.orm import aliased

from openlatch.core.model import Person
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun, missing
from openlatch.store.people.rows import FailedSignInRow, PersonRow, SignInRow, TokenRow
from openlatch.words import PersonState, Scope, Telling

__all__ = ["Borne", "People", "Session", "Token"]

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Session:
    """Someone's sign-in to the console: with what, from which network address, and when it was seen last.

    `strong` is whether they signed in at a service that asks for a second factor itself.
    """

    id: UUID
    person_id: UUID
    created_at: datetime
    confirmed_at: datetime
    expires_at: datetime
    device: str
    network: str
    seen_at: datetime | None = None
    strong: bool = False


@dataclass(frozen=True, slots=True)
class Token:
    """A token as people see it: everything but the secret, which is shown once and not kept."""

    id: UUID
    person_id: UUID
    name: str
    scope: Scope
    created_at: datetime
    expires_at: datetime
    last_used_at: datetime | None
    revoked_at: datetime | None
    strong: bool = False
    """whether it was made by whoever had signed in at a service that asks for a second factor itself"""


_PERSON = Codec(PersonRow, Person)
_SESSION = Codec(SignInRow, Session)
_TOKEN = Codec(TokenRow, Token)
_HERE = PersonRow.state != PersonState.REMOVED.value


@dataclass(frozen=True, slots=True)
class Borne:
    """Whom a session or token stands for, with the hash of its secret.

    `confirmed_at` is when they gave their password last with it, `alike` whether someone else here has their name.
    """

    hash: bytes
    confirmed_at: datetime
    person: Person
    alike: bool


def _borne(codec: Codec[Any]) -> Select[Any]:
    """A statement that finds a session or token with whoever it stands for, made once: most requests begin with it."""
    row: Any = codec.row
    other = aliased(PersonRow)
    same = and_(func.lower(other.name) == func.lower(PersonRow.name), other.id != PersonRow.id)
    theirs = and_(PersonRow.workspace_id == row.workspace_id, PersonRow.id == row.person_id)
    columns = (*codec.columns, *_PERSON.columns, row.secret_hash, row.confirmed_at, exists().where(same))
    return select(*columns).join_from(row, PersonRow, theirs).where(row.id == bindparam("bearer"))


_SESSION_BORNE, _TOKEN_BORNE = _borne(_SESSION), _borne(_TOKEN)


class People(Noun):
    """Queries over people, their sessions and tokens."""

    def add(self, person: Person, password_hash: str | None, now: datetime) -> None:
        """Store someone new; without a password they are only invited."""
        self._add(_PERSON, [person], password_hash=password_hash, created_at=now)

    def change(self, person: Person, **changes: Any) -> Person:
        """Store what is different of someone, and nothing else of them; returns them as they are then."""
        columns = {name: _PERSON.column(name, value) for name, value in changes.items()}
        self._session.execute(update(PersonRow).where(PersonRow.id == person.id).values(**columns))
        return replace(person, **changes)

    def all(self) -> tuple[Person, ...]:
        """Return everyone who is not removed."""
        query = select(PersonRow).where(_HERE).order_by(func.lower(PersonRow.name), PersonRow.id)
        return tuple(map(_PERSON.read, self._session.scalars(query.execution_options(populate_existing=True))))

    def able(self) -> tuple[Person, ...]:
        """Return everyone who can sign in, and so can be asked and told."""
        return tuple(person for person in self.all() if person.active)

    def ever(self) -> dict[UUID, Person]:
        """Return everyone by their id, those too who were removed: for what they did and were asked."""
        return {row.id: _PERSON.read(row) for row in self._session.scalars(select(PersonRow))}

    def get(self, person_id: UUID) -> Person:
        """Return someone by their id, whether they are still here or not."""
        row = self._session.get(PersonRow, (self._workspace_id, person_id), populate_existing=True)
        if row is None:
            raise missing("person", person_id)
        return _PERSON.read(row)

    def find(self, text: str) -> Person:
        """Return whoever is meant by an id or an address, of those who are here; names identify nobody."""
        wanted = text.strip().lower()
        for person in self.all():
            if wanted in (str(person.id), person.address):
                return person
        raise missing("person", text)

    def lock(self) -> None:
        """Keep others from changing who is here until this transaction is over."""
        self._session.execute(select(PersonRow.id).order_by(PersonRow.id).with_for_update())

    def names(self, person_ids: Iterable[UUID]) -> dict[UUID, str]:
        """Return what people are called, also those that were removed."""
        return self._called(PersonRow, PersonRow.name, person_ids)

    def at_address(self, address: str) -> Person | None:
        """Return whoever has that address here, whether they can sign in or not."""
        row = self._session.scalar(select(PersonRow).where(PersonRow.address == address, _HERE))
        return None if row is None else _PERSON.read(row)

    def by_address(self, address: str) -> tuple[Person, str] | None:
        """Return whoever can sign in with that address, and the hash of their password."""
        active = PersonRow.state == PersonState.ACTIVE.value
        row = self._session.scalar(select(PersonRow).where(PersonRow.address == address, active))
        return None if row is None or row.password_hash is None else (_PERSON.read(row), row.password_hash)

    def by_addresses(self, addresses: Iterable[str]) -> dict[str, Person]:
        """Return who can sign in with these addresses, by these."""
        wanted = list(addresses)
        active = and_(PersonRow.state == PersonState.ACTIVE.value, PersonRow.password_hash.is_not(None))
        query = select(PersonRow).where(PersonRow.address == func.any(wanted), active)
        return {row.address: _PERSON.read(row) for row in self._session.scalars(query)} if wanted else {}

    def set_password(self, person_id: UUID, password_hash: str) -> None:
        """Keep the hash of someone's new password."""
        changed = update(PersonRow).where(PersonRow.id == person_id)
        self._session.execute(changed.values(password_hash=password_hash))

    def tell(self, person_id: UUID, telling: Telling) -> None:
        """Keep how someone wants to be told."""
        self._session.execute(update(PersonRow).where(PersonRow.id == person_id).values(telling=telling.value))

    def seen(self, person_id: UUID, now: datetime) -> None:
        """Keep that someone was here."""
        self._session.execute(update(PersonRow).where(PersonRow.id == person_id).values(seen_at=now))

    # Sessions

    def open_session(self, session: Session, secret_hash: bytes) -> None:
        """Store a new session."""
        self._add(_SESSION, [session], secret_hash=secret_hash)

    def session(self, session_id: UUID, now: datetime) -> tuple[Session, bytes] | None:
        """Return a session and its secret's hash, if it still holds."""
        row = self._session.get(SignInRow, (self._workspace_id, session_id))
        return None if row is None or row.expires_at <= now else (_SESSION.read(row), row.secret_hash)

    def session_of(self, session_id: UUID, now: datetime) -> tuple[Session, Borne] | None:
        """Return a session with whom it stands for, if it still holds."""
        found = self._borne(_SESSION_BORNE, _SESSION, session_id)
        return None if found is None or found[0].expires_at <= now else found

    def token_of(self, token_id: UUID) -> tuple[Token, Borne] | None:
        """Return a token with whom it stands for."""
        return self._borne(_TOKEN_BORNE, _TOKEN, token_id)

    def _borne(self, statement: Select[Any], codec: Codec[T], bearer: UUID) -> tuple[T, Borne] | None:
        row = self._session.execute(statement, {"bearer": bearer}).first()
        if row is None:
            return None
        end = len(codec.columns) + len(_PERSON.columns)
        secret_hash, confirmed_at, alike = row[end:]
        person = _PERSON.of(row[len(codec.columns) : end])
        return codec.of(row), Borne(secret_hash, confirmed_at, person, alike)

    def sessions(self, person_id: UUID, now: datetime) -> tuple[Session, ...]:
        """Return someone's sessions that hold, the latest first."""
        mine = (SignInRow.person_id == person_id, SignInRow.expires_at > now)
        return tuple(
            map(_SESSION.read, self._session.scalars(select(SignInRow).where(*mine).order_by(SignInRow.id.desc())))
        )

    def session_seen(self, session_id: UUID, network: str, now: datetime) -> None:
        """Keep when a session was used last, and from where."""
        values = {"seen_at": now, "network": network}
        self._session.execute(update(SignInRow).where(SignInRow.id == session_id).values(**values))

    def confirm(self, bearer_id: UUID, now: datetime) -> None:
        """Keep that the password was given again, in a session or for a token."""
        for row in (SignInRow, TokenRow):
            self._session.execute(update(row).where(row.id == bearer_id).values(confirmed_at=now))

    def close_session(self, session_id: UUID) -> None:
        """End a session."""
        self._session.execute(delete(SignInRow).where(SignInRow.id == session_id))

    def close_sessions(self, person_id: UUID, but: UUID | None = None) -> int:
        """End someone's sessions, or all but one; returns how many."""
        others = (SignInRow.person_id == person_id, SignInRow.id != but) if but else (SignInRow.person_id == person_id,)
        return len(self._session.execute(delete(SignInRow).where(*others).returning(SignInRow.id)).all())

    # Tokens

    def add_token(self, token: Token, secret_hash: bytes) -> None:
        """Store a new token."""
        self._add(_TOKEN, [token], secret_hash=secret_hash, confirmed_at=token.created_at)

    def token(self, token_id: UUID) -> tuple[Token, bytes, datetime] | None:
        """Return a token, its secret's hash, and when the password was given last for it."""
        row = self._session.get(TokenRow, (self._workspace_id, token_id))
        return None if row is None else (_TOKEN.read(row), row.secret_hash, row.confirmed_at)

    def tokens(self, person_id: UUID) -> tuple[Token, ...]:
        rows = self._session.scalars(select(TokenRow).where(TokenRow.person_id == person_id).order_by(TokenRow.id))
        return tuple(map(_TOKEN.read, rows))

    def revoke_token(self, token_id: UUID, now: datetime) -> None:
        self._session.execute(update(TokenRow).where(TokenRow.id == token_id).values(revoked_at=now))

    def revoke_tokens(self, person_id: UUID, now: datetime) -> int:
        """Revoke every token of someone that still holds; returns how many."""
        holding = (TokenRow.person_id == person_id, TokenRow.revoked_at.is_(None), TokenRow.expires_at > now)
        statement = update(TokenRow).where(*holding).values(revoked_at=now).returning(TokenRow.id)
        return len(self._session.execute(statement).all())

    def token_used(self, token_id: UUID, now: datetime) -> None:
        self._session.execute(update(TokenRow).where(TokenRow.id == token_id).values(last_used_at=now))

    # Attempts to sign in

    def in_turn(self, *keys: str) -> None:
        """Have attempts at the same address or from the same network be counted one after the other."""
        for key in sorted(keys):
            lock = func.hashtextextended(f"{self._workspace_id} sign-in {key}", 0)
            self._session.execute(select(func.pg_advisory_xact_lock(lock)))

    def tried_since(self, address: str, since: datetime) -> int:
        """Return how often a password was tried for an address, and not found right, since an instant."""
        query = select(func.count()).where(FailedSignInRow.address == address, FailedSignInRow.at > since)
        return self._session.scalar(query) or 0

    def tried_from(self, network: str, since: datetime) -> int:
        """Return how often passwords were tried from a network address, and not found right, since an instant."""
        query = select(func.count()).where(FailedSignInRow.network == network, FailedSignInRow.at > since)
        return self._session.scalar(query) or 0

    def add_attempt(self, attempt_id: UUID, address: str, network: str, now: datetime) -> None:
        """Count an attempt, before its password is looked at: it counts unless that is right."""
        row = {"workspace_id": self._workspace_id, "id": attempt_id, "address": address, "network": network, "at": now}
        self._session.execute(insert(FailedSignInRow).values(**row))

    def forget_before(self, now: datetime, failures: datetime) -> None:
        self._session.execute(delete(SignInRow).where(SignInRow.expires_at <= now))
        self._session.execute(delete(FailedSignInRow).where(FailedSignInRow.at < failures))

    def forget_attempt(self, attempt_id: UUID) -> None:
        """Forget one attempt, whose password nobody has looked at."""
        self._session.execute(delete(FailedSignInRow).where(FailedSignInRow.id == attempt_id))

    def forget_attempts(self, address: str) -> None:
        """Forget what was tried for an address, now that its password was right."""
        self._session.execute(delete(FailedSignInRow).where(FailedSignInRow.address == address))
