"""Second factors, recovery codes and challenges. What codes are made of is encrypted; recovery codes are hashed."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, func, insert, select, update

from openlatch.core.people.factors import Factor
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun, missing
from openlatch.store.people.rows import ChallengeRow, FactorRow, RecoveryCodeRow

__all__ = ["Factors"]

_FACTOR = Codec(FactorRow, Factor)


class Factors(Noun):
    """Queries over the second factors of people."""

    def add(self, factor: Factor, secret: bytes, key_id: bytes | None = None) -> None:
        """Store a new factor with what it is checked by."""
        self._add(_FACTOR, [factor], secret=secret, key_id=key_id)

    def of(self, person_id: UUID) -> tuple[Factor, ...]:
        """Return someone's factors, those too that are not proved yet, the oldest first."""
        mine = select(FactorRow).where(FactorRow.person_id == person_id).order_by(FactorRow.created_at, FactorRow.id)
        return tuple(map(_FACTOR.read, self._session.scalars(mine)))

    def proved(self) -> frozenset[UUID]:
        """Return everybody who has a factor that counts."""
        return frozenset(self._session.scalars(select(FactorRow.person_id).where(FactorRow.proved_at.is_not(None))))

    def locked(self, person_id: UUID) -> tuple[tuple[Factor, bytes], ...]:
        """Return someone's factors with what they are checked by, and keep others from using them meanwhile."""
        mine = select(FactorRow).where(FactorRow.person_id == person_id).order_by(FactorRow.id).with_for_update()
        rows = self._session.scalars(mine.execution_options(populate_existing=True))
        return tuple((_FACTOR.read(row), row.secret) for row in rows)

    def by_key(self, key_id: bytes) -> tuple[Factor, bytes] | None:
        """Return the passkey of that id with its public key, and keep others from using it meanwhile."""
        row = self._session.scalar(select(FactorRow).where(FactorRow.key_id == key_id).with_for_update())
        return None if row is None else (_FACTOR.read(row), row.secret)

    def keys_of(self, person_id: UUID) -> tuple[bytes, ...]:
        """Return the ids of someone's passkeys."""
        query = select(FactorRow.key_id).where(FactorRow.person_id == person_id, FactorRow.key_id.is_not(None))
        return tuple(key for key in self._session.scalars(query) if key is not None)

    def used(self, factor_id: UUID, uses: int, now: datetime) -> None:
        """Keep that a factor was right just now; one that was not proved before is from then on."""
        values = {"uses": uses, "last_used_at": now, "proved_at": func.coalesce(FactorRow.proved_at, now)}
        self._session.execute(update(FactorRow).where(FactorRow.id == factor_id).values(**values))

    def remove(self, factor_id: UUID) -> None:
        """Delete a factor."""
        if self._session.execute(delete(FactorRow).where(FactorRow.id == factor_id).returning(FactorRow.id)).first():
            return
        raise missing("second factor", factor_id)

    def remove_of(self, person_id: UUID) -> int:
        """Delete all that someone has: factors and recovery codes; returns how many factors that were."""
        self.set_recovery(person_id, {})
        mine = delete(FactorRow).where(FactorRow.person_id == person_id).returning(FactorRow.id)
        return len(self._session.execute(mine).all())

    # Recovery codes

    def set_recovery(self, person_id: UUID, hashes: dict[UUID, bytes]) -> None:
        """Store someone's recovery codes, by new ids; those of before hold no more."""
        self._session.execute(delete(RecoveryCodeRow).where(RecoveryCodeRow.person_id == person_id))
        of = {"workspace_id": self._workspace_id, "person_id": person_id}
        rows = [{**of, "id": code_id, "code_hash": code_hash} for code_id, code_hash in hashes.items()]
        if rows:
            self._session.execute(insert(RecoveryCodeRow), rows)

    def recovery_left(self, person_id: UUID) -> int:
        """Return how many recovery codes someone has left."""
        query = select(func.count()).where(RecoveryCodeRow.person_id == person_id)
        return self._session.scalar(query) or 0

    def use_recovery(self, person_id: UUID, code_hash: bytes) -> bool:
        """Use a recovery code, once; returns whether it was one."""
        that = (RecoveryCodeRow.person_id == person_id, RecoveryCodeRow.code_hash == code_hash)
        return (
            self._session.execute(delete(RecoveryCodeRow).where(*that).returning(RecoveryCodeRow.id)).first()
            is not None
        )

    # What passkeys are asked to sign

    def challenge(self, challenge_id: UUID, person_id: UUID | None, challenge: bytes, expires_at: datetime) -> None:
        """Keep what a passkey is asked to sign."""
        row = {"id": challenge_id, "person_id": person_id, "challenge": challenge, "expires_at": expires_at}
        self._session.execute(insert(ChallengeRow).values(workspace_id=self._workspace_id, **row))

    def answer(self, challenge_id: UUID, person_id: UUID | None, now: datetime) -> bytes | None:
        """Return what a passkey was asked to sign, once, for whom it was asked; None where it has expired."""
        that = (ChallengeRow.id == challenge_id, ChallengeRow.person_id.is_not_distinct_from(person_id))
        statement = delete(ChallengeRow).where(*that).returning(ChallengeRow.challenge, ChallengeRow.expires_at)
        row = self._session.execute(statement).first()
        return row.challenge if row is not None and row.expires_at > now else None

    def forget_before(self, now: datetime, unproved: datetime) -> None:
        """Delete challenges that have expired, and factors that were begun before an instant and never proved."""
        self._session.execute(delete(ChallengeRow).where(ChallengeRow.expires_at <= now))
        begun = (FactorRow.proved_at.is_(None), FactorRow.created_at < unproved)
        self._session.execute(delete(FactorRow).where(*begun))
