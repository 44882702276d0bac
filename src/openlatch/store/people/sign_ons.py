"""Services at which people sign in, under which subjects those know them, and what they are asked meanwhile."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, insert, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from openlatch.core.people.sign_on import SignOn
from openlatch.store.codec import Codec
from openlatch.store.noun import Noun, the_one
from openlatch.store.people.rows import SignOnLinkRow, SignOnQuestionRow, SignOnRow

__all__ = ["Begun", "SignOns"]

_SIGN_ON = Codec(SignOnRow, SignOn)


@dataclass(frozen=True, slots=True)
class Begun:
    """A sign-in that was begun: at which service, by which browser, what was asked (closed), and who has proved it."""

    id: UUID
    sign_on_id: UUID
    browser_hash: bytes
    question: bytes
    expires_at: datetime
    person_id: UUID | None = None


_BEGUN = Codec(SignOnQuestionRow, Begun)


class SignOns(Noun):
    """Queries over the services at which people sign in; their secrets are stored encrypted."""

    def names(self, ids: Iterable[UUID]) -> dict[UUID, str]:
        return self._called(SignOnRow, SignOnRow.name, ids)

    def add(self, sign_on: SignOn, secret: bytes) -> None:
        """Store a new one."""
        self._add(_SIGN_ON, [sign_on], secret=secret)

    def save(self, sign_on: SignOn, secret: bytes | None) -> None:
        """Store one as it is now; without a secret, it keeps the one that it has."""
        values = _SIGN_ON.values(sign_on) | ({} if secret is None else {"secret": secret})
        self._session.execute(update(SignOnRow).where(SignOnRow.id == sign_on.id).values(**values))

    def all(self) -> tuple[SignOn, ...]:
        """Return every one, by name."""
        query = select(SignOnRow).order_by(SignOnRow.name, SignOnRow.id)
        return tuple(map(_SIGN_ON.read, self._session.scalars(query.execution_options(populate_existing=True))))

    def find(self, text: str) -> SignOn:
        """Return the one that someone means, by id, short form or name; raises NotFound."""
        return the_one("single sign-on", text, self.all(), lambda sign_on: (sign_on.id, sign_on.name, sign_on.issuer))

    def secret(self, sign_on_id: UUID) -> bytes:
        """Return what it is called with, closed."""
        return self._session.execute(select(SignOnRow.secret).where(SignOnRow.id == sign_on_id)).scalar_one()

    def remove(self, sign_on_id: UUID) -> int:
        """Delete one, with whom it knows; returns how many those were."""
        mine = delete(SignOnLinkRow).where(SignOnLinkRow.sign_on_id == sign_on_id).returning(SignOnLinkRow.subject)
        count = len(self._session.execute(mine).all())
        self._session.execute(delete(SignOnRow).where(SignOnRow.id == sign_on_id))
        return count

    # Whom they know

    def linked(self, sign_on_id: UUID, subject: str) -> UUID | None:
        """Return who is known to a service under a subject."""
        that = (SignOnLinkRow.sign_on_id == sign_on_id, SignOnLinkRow.subject == subject)
        return self._session.scalar(select(SignOnLinkRow.person_id).where(*that))

    def subjects(self, sign_on_id: UUID, person_id: UUID) -> frozenset[str]:
        """Return under which subjects a service knows someone."""
        that = (SignOnLinkRow.sign_on_id == sign_on_id, SignOnLinkRow.person_id == person_id)
        return frozenset(self._session.scalars(select(SignOnLinkRow.subject).where(*that)))

    def link(self, sign_on_id: UUID, subject: str, person_id: UUID, now: datetime) -> None:
        """Keep that a service knows someone under a subject from now on."""
        values = {
            "workspace_id": self._workspace_id,
            "sign_on_id": sign_on_id,
            "subject": subject,
            "person_id": person_id,
            "made_at": now,
        }
        key = (SignOnLinkRow.workspace_id, SignOnLinkRow.sign_on_id, SignOnLinkRow.subject)
        statement = upsert(SignOnLinkRow).values(**values)
        changed = {"person_id": person_id, "made_at": now}
        self._session.execute(statement.on_conflict_do_update(index_elements=[*key], set_=changed))

    # What they are asked

    def begin(self, begun: Begun) -> None:
        """Keep what was asked, until it is answered."""
        self._session.execute(insert(SignOnQuestionRow).values(workspace_id=self._workspace_id, **_BEGUN.values(begun)))

    def take(self, begun_id: UUID, browser_hash: bytes, now: datetime) -> Begun | None:
        """Return what was asked, once, for the browser that began it; None where it has expired."""
        that = (SignOnQuestionRow.id == begun_id, SignOnQuestionRow.browser_hash == browser_hash)
        row = self._session.scalar(delete(SignOnQuestionRow).where(*that).returning(SignOnQuestionRow))
        return _BEGUN.read(row) if row is not None and row.expires_at > now else None

    def forget_before(self, now: datetime) -> None:
        """Delete what was asked and never answered."""
        self._session.execute(delete(SignOnQuestionRow).where(SignOnQuestionRow.expires_at <= now))
