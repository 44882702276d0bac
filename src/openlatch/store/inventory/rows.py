"""Tables: accounts, parties, entries, and all that hangs on them."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import BigInteger, Computed, Identity, SmallInteger, Text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openlatch.core.powers import ORDER
from openlatch.store.base import Base, Owned, Several

__all__ = [
    "AccountRow",
    "ActivityRow",
    "DocumentRow",
    "EntryRow",
    "HeldLevelRow",
    "IdentifierRow",
    "ImportFormRow",
    "ImportPartRow",
    "ImportRow",
    "MembershipRow",
    "PartyRow",
    "SamenessRow",
    "TallyRow",
    "ViewRow",
]


class AccountRow(Owned):
    __tablename__ = "accounts"
    ref: Mapped[str]
    provider_id: Mapped[UUID]
    key: Mapped[str]
    name: Mapped[str]
    criticality: Mapped[str]
    practice: Mapped[bool]
    locked: Mapped[bool | None]
    version: Mapped[int]
    risk: Mapped[int] = mapped_column(SmallInteger, server_default="0")
    removed_at: Mapped[datetime | None]
    """its provider was removed"""


class PartyRow(Owned):
    __tablename__ = "parties"
    ref: Mapped[str]
    kind: Mapped[str]
    name: Mapped[str]
    addresses: Mapped[list[str]]
    status: Mapped[str]
    verified: Mapped[bool]
    publisher: Mapped[str]
    home: Mapped[str]
    version: Mapped[int]
    outside: Mapped[bool] = mapped_column(server_default="true")
    near: Mapped[str | None]
    near_how: Mapped[str | None]
    reported: Mapped[str | None]
    """what a provider has reported of it by a security event, and that is to be flagged"""
    reported_at: Mapped[datetime | None]
    risk: Mapped[int] = mapped_column(SmallInteger, server_default="0")
    sponsor: Mapped[UUID | None]
    service: Mapped[bool | None]
    """whether a program signs in with it, and no person; null where nobody has said"""
    joined_into: Mapped[UUID | None]
    """the party that it is now, where someone has said that the two are one"""


class SamenessRow(Owned):
    __tablename__ = "sameness"
    one: Mapped[UUID]
    other: Mapped[UUID]
    verdict: Mapped[str]
    reason: Mapped[str]
    decided_by: Mapped[str]
    decided_by_id: Mapped[UUID | None]
    decided_at: Mapped[datetime]
    before: Mapped[dict[str, Any]]
    """what has to be known to undo it"""
    undone_by: Mapped[str | None]
    undone_by_id: Mapped[UUID | None]
    undone_at: Mapped[datetime | None]


class IdentifierRow(Base):
    __tablename__ = "identifiers"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    scheme: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[str] = mapped_column(primary_key=True)
    party_id: Mapped[UUID]
    name: Mapped[str] = mapped_column(server_default="")
    """of the party under this key, as its provider shows it"""
    addresses: Mapped[list[str]] = mapped_column(server_default="{}")
    """those that its provider shows with this key"""
    digest: Mapped[bytes | None]
    """of what a reading observed last of the party under this key"""


class MembershipRow(Owned):
    __tablename__ = "memberships"
    provider_id: Mapped[UUID]
    team_id: Mapped[UUID]
    member_id: Mapped[UUID]
    since: Mapped[datetime | None]
    ended_at: Mapped[datetime | None]
    how: Mapped[str]


class ViewRow(Owned):
    __tablename__ = "views"
    person_id: Mapped[UUID]
    of: Mapped[str]
    name: Mapped[str]
    query: Mapped[str]


_BITS = " + ".join(f"case when '{power}' = any(powers) then {1 << n} else 0 end" for n, power in enumerate(ORDER))


class EntryRow(Owned):
    __tablename__ = "entries"
    ref: Mapped[str]
    provider_id: Mapped[UUID]
    account_id: Mapped[UUID]
    party_id: Mapped[UUID]
    key: Mapped[str]
    kind: Mapped[str]
    level: Mapped[str]
    powers: Mapped[list[str]]
    power_bits: Mapped[int] = mapped_column(SmallInteger, Computed(_BITS, persisted=True))
    """the powers as one number, for the rules"""
    subject: Mapped[str] = mapped_column(server_default="")
    state: Mapped[str]
    end_reason: Mapped[str | None]
    permissions: Mapped[list[str]]
    stated: Mapped[list[str] | None] = mapped_column(Several(Text))
    unknown: Mapped[list[str]]
    resources: Mapped[list[str]]
    given_at: Mapped[datetime | None]
    given_by: Mapped[str]
    given_by_id: Mapped[UUID | None]
    accepted_at: Mapped[datetime | None]
    last_used: Mapped[datetime | None]
    use_known: Mapped[bool]
    uses: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    ends_at: Mapped[datetime | None]
    end_unknown: Mapped[bool]
    hours: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    reviewed_at: Mapped[list[datetime]]
    unanswered_at: Mapped[datetime | None]
    basis: Mapped[str]
    hangs_on: Mapped[str | None]
    dependencies: Mapped[list[dict[str, Any]]]
    device: Mapped[str]
    network: Mapped[str]
    first_seen: Mapped[datetime | None]
    last_seen: Mapped[datetime | None]
    ended_at: Mapped[datetime | None]
    by_hand: Mapped[bool]
    vouched_at: Mapped[datetime | None]
    vouched_by: Mapped[str]
    version: Mapped[int]
    digest: Mapped[bytes | None]
    """of what a reading observed last, if nothing else has changed the entry since"""
    severity: Mapped[int] = mapped_column(SmallInteger)
    """the worst standing flag's rank, 0 for none; kept beside the entry so that a list can sort by it"""
    outside: Mapped[bool]
    risk: Mapped[int] = mapped_column(SmallInteger, server_default="0")


class HeldLevelRow(Base):
    """How many entries more or less have a level at a provider; the database adds it to what entries change."""

    __tablename__ = "held_levels"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(BigInteger, Identity(always=True), primary_key=True)
    provider_id: Mapped[UUID]
    level: Mapped[str]
    permissions: Mapped[list[str]]
    stated: Mapped[list[str] | None] = mapped_column(Several(Text))
    kind: Mapped[str]
    entries: Mapped[int] = mapped_column(BigInteger)


class TallyRow(Base):
    """What there are more or less of on an account or of a party; the database adds it to what entries change."""

    __tablename__ = "tallies"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(BigInteger, Identity(always=True), primary_key=True)
    subject: Mapped[str]
    subject_id: Mapped[UUID]
    entries: Mapped[int] = mapped_column(BigInteger)
    flagged: Mapped[int | None] = mapped_column(BigInteger)
    severe: Mapped[int | None] = mapped_column(BigInteger)


class ActivityRow(Owned):
    __tablename__ = "activity"
    provider_id: Mapped[UUID]
    key: Mapped[str]
    at: Mapped[datetime]
    account_id: Mapped[UUID]
    party_id: Mapped[UUID]
    how: Mapped[str]
    behalf_of: Mapped[UUID | None]
    entry_id: Mapped[UUID | None]
    power: Mapped[str | None]
    what: Mapped[str]


class ImportRow(Owned):
    __tablename__ = "imports"
    ref: Mapped[str]
    provider_id: Mapped[UUID]
    name: Mapped[str]
    state: Mapped[str]
    asked_by: Mapped[str]
    asked_by_id: Mapped[UUID | None]
    asked_at: Mapped[datetime]
    total: Mapped[int]
    done: Mapped[int]
    counts: Mapped[dict[str, Any]]
    trouble: Mapped[str]
    finished_at: Mapped[datetime | None]


class ImportPartRow(Base):
    __tablename__ = "import_parts"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    import_id: Mapped[UUID] = mapped_column(primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    body: Mapped[dict[str, Any]]


class ImportFormRow(Base):
    __tablename__ = "import_forms"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    provider_id: Mapped[UUID] = mapped_column(primary_key=True)
    signature: Mapped[str] = mapped_column(primary_key=True)
    form: Mapped[dict[str, Any]]


class DocumentRow(Base):
    __tablename__ = "documents"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    provider_id: Mapped[UUID] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    account_id: Mapped[UUID]
    resource: Mapped[str]
    zone: Mapped[str]
    statements: Mapped[list[dict[str, Any]]]
    digest: Mapped[bytes]
