"""People of a workspace, their sign-ins and tokens. Secrets are stored as hashes only."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, func, insert, select, update

from openlatch.core.model import Person
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun, missing
from openlatch.store.people.rows import FailedSignInRow, PersonRow, SignInRow, TokenRow
from openlatch.words import Scope, Telling

__all__ = ["People", "Token"]


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


_PERSON = Codec(PersonRow, Person)
_TOKEN = Codec(TokenRow, Token)


class People(Noun):
    """Queries over people, sign-ins and tokens."""

    def add(self, person: Person, password_hash: str, now: datetime) -> None:
        self._add(_PERSON, [person], password_hash=password_hash, created_at=now)

    def all(self) -> tuple[Person, ...]:
        return tuple(map(_PERSON.read, self._session.scalars(select(PersonRow).order_by(PersonRow.name))))

    def get(self, person_id: UUID) -> Person:
        row = self._session.get(PersonRow, (self._workspace_id, person_id))
        if row is None:
            raise missing("person", person_id)
        return _PERSON.read(row)

    def namesakes(self, person: Person) -> bool:
        """Return whether anybody else has the name that a person has."""
        same = func.lower(PersonRow.name) == person.name.lower()
        query = select(PersonRow.id).where(same, PersonRow.id != person.id).limit(1)
        return self._session.scalar(query) is not None

    def by_address(self, address: str) -> tuple[Person, str] | None:
        """Return the person with that address and the hash of their password."""
        row = self._session.scalar(select(PersonRow).where(PersonRow.address == address))
        return None if row is None else (_PERSON.read(row), row.password_hash)

    def tell(self, person_id: UUID, telling: Telling) -> None:
        """Keep how somebody wants to be told."""
        self._session.execute(update(PersonRow).where(PersonRow.id == person_id).values(telling=telling.value))

    def open_sign_in(self, sign_in_id: UUID, person_id: UUID, secret_hash: bytes, now: datetime, end: datetime) -> None:
        self._session.execute(
            insert(SignInRow).values(
                workspace_id=self._workspace_id,
                id=sign_in_id,
                person_id=person_id,
                secret_hash=secret_hash,
                created_at=now,
                confirmed_at=now,
                expires_at=end,
            )
        )

    def sign_in(self, sign_in_id: UUID, now: datetime) -> tuple[UUID, bytes, datetime] | None:
        """Return the person, the secret's hash, and when the password was given last, if a sign-in still holds."""
        row = self._session.get(SignInRow, (self._workspace_id, sign_in_id))
        return None if row is None or row.expires_at <= now else (row.person_id, row.secret_hash, row.confirmed_at)

    def confirm(self, bearer_id: UUID, now: datetime) -> None:
        """Keep that the password was given again, in a sign-in or for a token."""
        for row in (SignInRow, TokenRow):
            self._session.execute(update(row).where(row.id == bearer_id).values(confirmed_at=now))

    def close_sign_in(self, sign_in_id: UUID) -> None:
        self._session.execute(delete(SignInRow).where(SignInRow.id == sign_in_id))

    def add_token(self, token: Token, secret_hash: bytes) -> None:
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

    def token_used(self, token_id: UUID, now: datetime) -> None:
        self._session.execute(update(TokenRow).where(TokenRow.id == token_id).values(last_used_at=now))

    def failed_since(self, address: str, since: datetime) -> int:
        query = select(func.count()).where(FailedSignInRow.address == address, FailedSignInRow.at > since)
        return self._session.scalar(query) or 0

    def add_failed(self, failed_id: UUID, address: str, now: datetime) -> None:
        values = {"workspace_id": self._workspace_id, "id": failed_id, "address": address, "at": now}
        self._session.execute(insert(FailedSignInRow).values(**values))

    def forget_before(self, now: datetime, failures: datetime) -> None:
        self._session.execute(delete(SignInRow).where(SignInRow.expires_at <= now))
        self._session.execute(delete(FailedSignInRow).where(FailedSignInRow.at < failures))

    def forget_failed(self, address: str) -> None:
        self._session.execute(delete(FailedSignInRow).where(FailedSignInRow.address == address))
