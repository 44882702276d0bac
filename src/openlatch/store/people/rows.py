"""Tables: workspaces, the people who sign in, their tokens, and answers that may be asked for again."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import BigInteger, Uuid
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.orm import Mapped, mapped_column

from openlatch.store.base import Base, Owned

__all__ = [
    "ChallengeRow",
    "DataKeyRow",
    "FactorRow",
    "FailedSignInRow",
    "PersonRow",
    "RecoveryCodeRow",
    "ReplyRow",
    "SignInRow",
    "SignOnLinkRow",
    "SignOnQuestionRow",
    "SignOnRow",
    "StrangerRow",
    "TokenRow",
    "WorkspaceRow",
]


class WorkspaceRow(Base):
    __tablename__ = "workspaces"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    slug: Mapped[str]
    name: Mapped[str]
    zone: Mapped[str]
    circle_domains: Mapped[list[str]]
    unused_days: Mapped[int]
    policy: Mapped[int]
    circle_parties: Mapped[list[UUID]] = mapped_column(ARRAY(Uuid))
    second_factor: Mapped[list[str]] = mapped_column(server_default="{}")
    keep_events_days: Mapped[int] = mapped_column(server_default="0")
    keep_activity_days: Mapped[int] = mapped_column(server_default="400")
    keep_readings_days: Mapped[int] = mapped_column(server_default="0")
    created_at: Mapped[datetime]


class PersonRow(Owned):
    __tablename__ = "people"
    name: Mapped[str]
    address: Mapped[str]
    role: Mapped[str]
    password_hash: Mapped[str | None]
    """none of whoever has not taken up their invitation"""
    telling: Mapped[str] = mapped_column(server_default="at-once")
    state: Mapped[str] = mapped_column(server_default="active")
    zone: Mapped[str] = mapped_column(server_default="")
    dates: Mapped[str] = mapped_column(server_default="")
    seen_at: Mapped[datetime | None]
    created_at: Mapped[datetime]


class SignInRow(Owned):
    __tablename__ = "sign_ins"
    person_id: Mapped[UUID]
    secret_hash: Mapped[bytes]
    created_at: Mapped[datetime]
    confirmed_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    seen_at: Mapped[datetime | None]
    device: Mapped[str] = mapped_column(server_default="")
    network: Mapped[str] = mapped_column(server_default="")
    strong: Mapped[bool] = mapped_column(server_default="false")


class TokenRow(Owned):
    __tablename__ = "tokens"
    person_id: Mapped[UUID]
    name: Mapped[str]
    secret_hash: Mapped[bytes]
    scope: Mapped[str]
    created_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    confirmed_at: Mapped[datetime]
    last_used_at: Mapped[datetime | None]
    revoked_at: Mapped[datetime | None]
    strong: Mapped[bool] = mapped_column(server_default="false")


class FailedSignInRow(Owned):
    __tablename__ = "failed_sign_ins"
    address: Mapped[str]
    """whose password was tried; for a session that gives its password again, that session"""
    network: Mapped[str] = mapped_column(server_default="")
    at: Mapped[datetime]


class StrangerRow(Base):
    __tablename__ = "strangers"
    id: Mapped[UUID] = mapped_column(primary_key=True)
    digest: Mapped[bytes]
    """of what it counts for"""
    at: Mapped[datetime]


class FactorRow(Owned):
    __tablename__ = "factors"
    person_id: Mapped[UUID]
    kind: Mapped[str]
    name: Mapped[str]
    secret: Mapped[bytes]
    """of codes, what they are made of, encrypted; of a passkey, its public key"""
    key_id: Mapped[bytes | None]
    """by which a passkey says which one it is"""
    uses: Mapped[int] = mapped_column(BigInteger)
    created_at: Mapped[datetime]
    proved_at: Mapped[datetime | None]
    last_used_at: Mapped[datetime | None]


class RecoveryCodeRow(Owned):
    __tablename__ = "recovery_codes"
    person_id: Mapped[UUID]
    code_hash: Mapped[bytes]


class ChallengeRow(Owned):
    __tablename__ = "challenges"
    person_id: Mapped[UUID | None]
    """who is to add a passkey; none where one is to sign in"""
    challenge: Mapped[bytes]
    expires_at: Mapped[datetime]


class SignOnRow(Owned):
    __tablename__ = "sign_ons"
    name: Mapped[str]
    issuer: Mapped[str]
    client_id: Mapped[str]
    claim: Mapped[str]
    roles: Mapped[dict[str, Any]] = mapped_column(JSONB)
    second_factor: Mapped[bool]
    secret: Mapped[bytes]
    """with which we prove who we are there, encrypted"""
    made_at: Mapped[datetime]


class SignOnLinkRow(Base):
    __tablename__ = "sign_on_links"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    sign_on_id: Mapped[UUID] = mapped_column(primary_key=True)
    subject: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[UUID]
    made_at: Mapped[datetime]


class SignOnQuestionRow(Owned):
    __tablename__ = "sign_on_questions"
    sign_on_id: Mapped[UUID]
    browser_hash: Mapped[bytes]
    """of what only the browser has that began it"""
    question: Mapped[bytes]
    """encrypted: with it, a code could be exchanged"""
    person_id: Mapped[UUID | None]
    """who has proved who they are, and needs a second factor besides"""
    expires_at: Mapped[datetime]


class DataKeyRow(Base):
    __tablename__ = "data_keys"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    wrapped: Mapped[bytes]
    made_at: Mapped[datetime]


class ReplyRow(Base):
    __tablename__ = "replies"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    person_id: Mapped[UUID] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    fingerprint: Mapped[str]
    status: Mapped[int]
    body: Mapped[bytes]
    """closed: an answer may have shown a secret"""
    created_at: Mapped[datetime]
