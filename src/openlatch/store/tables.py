"""The tables. Every one carries `workspace_id`, and row-level security keeps workspaces apart (see migrations)."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import BigInteger, Computed, DateTime, LargeBinary, SmallInteger, Text, Uuid
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from openlatch.core.powers import ORDER

__all__: list[str] = []


class Base(DeclarativeBase):
    """Common ground: text is `text`, instants carry their zone, structures are jsonb."""

    type_annotation_map = {  # noqa: RUF012 - SQLAlchemy reads it so
        str: Text,
        datetime: DateTime(timezone=True),
        dict[str, Any]: JSONB,
        list[dict[str, Any]]: JSONB,
        list[str]: ARRAY(Text),
        list[datetime]: ARRAY(DateTime(timezone=True)),
        bytes: LargeBinary,
    }


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
    created_at: Mapped[datetime]


class Owned(Base):
    """A row that belongs to one workspace and has an id of its own there."""

    __abstract__ = True
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True)


class PersonRow(Owned):
    __tablename__ = "people"
    name: Mapped[str]
    address: Mapped[str]
    role: Mapped[str]
    password_hash: Mapped[str]
    telling: Mapped[str] = mapped_column(server_default="at-once")
    created_at: Mapped[datetime]


class SignInRow(Owned):
    __tablename__ = "sign_ins"
    person_id: Mapped[UUID]
    secret_hash: Mapped[bytes]
    created_at: Mapped[datetime]
    confirmed_at: Mapped[datetime]
    expires_at: Mapped[datetime]


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


class FailedSignInRow(Owned):
    __tablename__ = "failed_sign_ins"
    address: Mapped[str]
    at: Mapped[datetime]


class ProviderRow(Owned):
    __tablename__ = "providers"
    name: Mapped[str]
    connector: Mapped[str]
    settings: Mapped[dict[str, Any]]
    secret: Mapped[bytes]
    read_every: Mapped[int]
    stale_after: Mapped[int]
    most_gone: Mapped[int]
    vouch_days: Mapped[int]
    abilities: Mapped[dict[str, Any]]
    last_complete: Mapped[datetime | None]
    down_until: Mapped[datetime | None]
    next_reading: Mapped[datetime | None]


class WordRow(Base):
    __tablename__ = "words"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    provider_id: Mapped[UUID] = mapped_column(primary_key=True)
    word: Mapped[str] = mapped_column(primary_key=True)
    powers: Mapped[list[str]]
    corrected_by: Mapped[str]
    corrected_at: Mapped[datetime]


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
    risk: Mapped[int] = mapped_column(SmallInteger, server_default="0")
    sponsor: Mapped[UUID | None]
    joined_into: Mapped[UUID | None]
    """the party that it is now, where somebody has said that the two are one"""


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
    stated: Mapped[list[str] | None] = mapped_column(ARRAY(Text))
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


class ReadingRow(Owned):
    __tablename__ = "readings"
    provider_id: Mapped[UUID]
    state: Mapped[str]
    asked_by: Mapped[str]
    asked_at: Mapped[datetime]
    finished_at: Mapped[datetime | None]
    seen: Mapped[int]
    total: Mapped[int | None]
    counts: Mapped[dict[str, Any]]
    trouble: Mapped[str]
    accept_loss: Mapped[bool]
    withheld: Mapped[int]
    remarks: Mapped[list[str]] = mapped_column(server_default="{}")


class ReadingPageRow(Base):
    __tablename__ = "reading_pages"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    reading_id: Mapped[UUID] = mapped_column(primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    body: Mapped[dict[str, Any]]
    seen_at: Mapped[datetime]


class FlagRow(Owned):
    __tablename__ = "flags"
    ref: Mapped[str]
    rule: Mapped[str]
    subject: Mapped[str]
    subject_id: Mapped[UUID]
    severity: Mapped[int] = mapped_column(SmallInteger)
    facts: Mapped[str]
    """JSON, letter for letter as it was found: a flag has changed when these letters have"""
    reason: Mapped[str]
    policy: Mapped[int]
    raised_at: Mapped[datetime]
    cleared_at: Mapped[datetime | None]
    accepted_by: Mapped[str | None]
    accepted_at: Mapped[datetime | None]
    accepted_until: Mapped[datetime | None]
    accepted_why: Mapped[str | None]
    accepted_severity: Mapped[int | None] = mapped_column(SmallInteger)


class PolicyRow(Base):
    __tablename__ = "policies"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    text: Mapped[str]
    note: Mapped[str]
    adopted_by: Mapped[str]
    adopted_at: Mapped[datetime]
    changes: Mapped[list[str]] = mapped_column(JSONB)


class UpcomingRow(Base):
    __tablename__ = "upcoming"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    subject_id: Mapped[UUID] = mapped_column(primary_key=True)
    subject: Mapped[str]
    at: Mapped[datetime]


class AccountRiskRow(Base):
    __tablename__ = "account_risks"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    account_id: Mapped[UUID] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(primary_key=True)
    risk: Mapped[int] = mapped_column(SmallInteger)


class OrderRow(Owned):
    __tablename__ = "orders"
    ref: Mapped[str]
    entry_id: Mapped[UUID | None]
    provider_id: Mapped[UUID | None]
    """with the team and the member: what it is about, where that is no entry"""
    team_id: Mapped[UUID | None]
    member_id: Mapped[UUID | None]
    action: Mapped[str]
    state: Mapped[str]
    plan: Mapped[dict[str, Any]]
    steps: Mapped[list[dict[str, Any]]]
    reason: Mapped[str]
    ordered_by: Mapped[str]
    ordered_by_id: Mapped[UUID | None]
    ordered_at: Mapped[datetime]
    idempotency_key: Mapped[str]
    entry_state: Mapped[str]
    attempts: Mapped[int]
    why: Mapped[str]
    again_at: Mapped[datetime | None]
    finished_at: Mapped[datetime | None]
    receipt: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    batch_id: Mapped[UUID | None]
    version: Mapped[int]


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


class PrintRow(Owned):
    __tablename__ = "prints"
    ref: Mapped[str]
    kind: Mapped[str]
    subject: Mapped[str]
    state: Mapped[str]
    asked_by: Mapped[str]
    asked_at: Mapped[datetime]
    finished_at: Mapped[datetime | None]
    name: Mapped[str]
    content: Mapped[bytes | None] = mapped_column(deferred=True)
    trouble: Mapped[str]


class BatchRow(Owned):
    __tablename__ = "batches"
    ref: Mapped[str]
    kind: Mapped[str]
    action: Mapped[str]
    wanted: Mapped[dict[str, Any]]
    party_id: Mapped[UUID | None]
    reason: Mapped[str]
    ordered_by: Mapped[str]
    ordered_by_id: Mapped[UUID | None]
    ordered_at: Mapped[datetime]
    begins_at: Mapped[datetime | None]
    cancelled_at: Mapped[datetime | None]
    over_at: Mapped[datetime | None]


class BatchItemRow(Base):
    __tablename__ = "batch_items"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    batch_id: Mapped[UUID] = mapped_column(primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    phase: Mapped[int]
    entry_id: Mapped[UUID | None]
    action: Mapped[str]
    text: Mapped[str]
    who: Mapped[str]
    order_id: Mapped[UUID | None]
    came_to: Mapped[str]
    trouble: Mapped[str]
    done_at: Mapped[datetime | None]
    done_by: Mapped[str]
    membership_id: Mapped[UUID | None]
    left_open: Mapped[dict[str, Any] | None]


class ReviewPlanRow(Owned):
    __tablename__ = "review_plans"
    ref: Mapped[str]
    name: Mapped[str]
    body: Mapped[dict[str, Any]]
    paused: Mapped[bool]
    next_at: Mapped[datetime | None]
    created_by: Mapped[str]
    seen: Mapped[int] = mapped_column(BigInteger)
    """the place in the log up to which events have been heeded"""
    version: Mapped[int]
    removed_at: Mapped[datetime | None]


class RoundRow(Owned):
    __tablename__ = "rounds"
    ref: Mapped[str]
    plan_id: Mapped[UUID]
    plan: Mapped[dict[str, Any]]
    why: Mapped[str]
    occurrence: Mapped[datetime]
    opened_at: Mapped[datetime]
    due_at: Mapped[datetime]
    policy: Mapped[int]
    state: Mapped[str]
    paused_at: Mapped[datetime | None]
    settled_by: Mapped[str]
    settled_at: Mapped[datetime | None]
    closed_at: Mapped[datetime | None]
    compared: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    version: Mapped[int]


class RoundItemRow(Base):
    __tablename__ = "round_items"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    round_id: Mapped[UUID] = mapped_column(primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    entry_id: Mapped[UUID]
    account_id: Mapped[UUID]
    party_id: Mapped[UUID]
    facts: Mapped[dict[str, Any]]
    reviewer: Mapped[UUID | None]
    decision: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    order_id: Mapped[UUID | None]
    trouble: Mapped[str]
    gone: Mapped[bool]
    left_open: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    version: Mapped[int]


class RoundReportRow(Base):
    __tablename__ = "round_reports"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    round_id: Mapped[UUID] = mapped_column(primary_key=True)
    content: Mapped[dict[str, Any]]
    signed: Mapped[str]


class CalendarRow(Base):
    __tablename__ = "calendars"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    person_id: Mapped[UUID] = mapped_column(primary_key=True)
    secret_hash: Mapped[bytes]
    made_at: Mapped[datetime]


class NoticeRow(Owned):
    __tablename__ = "notices"
    person_id: Mapped[UUID | None]
    address: Mapped[str]
    name: Mapped[str]
    key: Mapped[str]
    title: Mapped[str]
    text: Mapped[str]
    link: Mapped[str]
    made_at: Mapped[datetime]
    due_at: Mapped[datetime | None]
    """when it is to be sent; never, if it is told in the console only"""
    sent_at: Mapped[datetime | None]
    letter_id: Mapped[UUID | None]
    attempts: Mapped[int]
    trouble: Mapped[str]


class LinkRow(Owned):
    __tablename__ = "links"
    purpose: Mapped[str]
    subject_id: Mapped[UUID]
    address: Mapped[str]
    made_at: Mapped[datetime]
    lapses_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]
    used_at: Mapped[datetime | None]
    answer: Mapped[str]


class OfferRow(Owned):
    __tablename__ = "offers"
    ref: Mapped[str]
    address: Mapped[str]
    name: Mapped[str]
    party_id: Mapped[UUID]
    basis: Mapped[str]
    starts_at: Mapped[datetime | None]
    made_by: Mapped[str]
    made_by_id: Mapped[UUID | None]
    made_at: Mapped[datetime]
    lapses_at: Mapped[datetime]
    confirmed: Mapped[list[str]]
    state: Mapped[str]
    left_at: Mapped[datetime | None]
    answered_at: Mapped[datetime | None]
    replaces: Mapped[UUID | None]
    request_id: Mapped[UUID | None]
    version: Mapped[int]


class OfferPartRow(Owned):
    __tablename__ = "offer_parts"
    offer_id: Mapped[UUID]
    place: Mapped[int]
    entry_id: Mapped[UUID]
    live_id: Mapped[UUID | None]
    next_at: Mapped[datetime | None]
    """when some of its powers end, before the rest does"""
    part: Mapped[dict[str, Any]]


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


class ProposalRow(Owned):
    __tablename__ = "proposals"
    ref: Mapped[str]
    title: Mapped[str]
    made_by: Mapped[str]
    made_at: Mapped[datetime]
    applied_by: Mapped[str]
    applied_at: Mapped[datetime | None]
    batch_id: Mapped[UUID | None]
    runs: Mapped[int]


class ProposalRunRow(Base):
    __tablename__ = "proposal_runs"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    proposal_id: Mapped[UUID] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    body: Mapped[dict[str, Any]]
    asked_by: Mapped[str]
    asked_at: Mapped[datetime]
    finished_at: Mapped[datetime | None]
    outcome: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    trouble: Mapped[str]


class RequestRow(Owned):
    __tablename__ = "requests"
    ref: Mapped[str]
    address: Mapped[str]
    name: Mapped[str]
    account: Mapped[str]
    account_id: Mapped[UUID | None]
    needs: Mapped[list[str]]
    level: Mapped[str]
    reason: Mapped[str]
    ends_at: Mapped[datetime | None]
    asked_at: Mapped[datetime]
    lapses_at: Mapped[datetime]
    state: Mapped[str]
    answer: Mapped[str]
    answered_by: Mapped[str]
    answered_at: Mapped[datetime | None]
    offer_id: Mapped[UUID | None]
    version: Mapped[int]


class WebhookRow(Owned):
    __tablename__ = "webhooks"
    ref: Mapped[str]
    url: Mapped[str]
    secret: Mapped[bytes]
    acts: Mapped[list[str]]
    seen: Mapped[int] = mapped_column(BigInteger)
    """the place in the log up to which it was told"""
    paused: Mapped[bool]
    attempts: Mapped[int]
    again_at: Mapped[datetime | None]
    trouble: Mapped[str]
    sent_at: Mapped[datetime | None]
    made_by: Mapped[str]
    made_at: Mapped[datetime]


class KeyRow(Base):
    __tablename__ = "keys"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    public: Mapped[dict[str, Any]]
    secret: Mapped[bytes]
    made_at: Mapped[datetime]


class EventRow(Owned):
    __tablename__ = "events"
    at: Mapped[datetime]
    actor: Mapped[str]
    act: Mapped[str]
    subject: Mapped[str]
    subject_id: Mapped[UUID]
    content: Mapped[dict[str, Any]]
    number: Mapped[int | None] = mapped_column(BigInteger)
    link: Mapped[str | None]


class SealRow(Base):
    __tablename__ = "seals"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    size: Mapped[int] = mapped_column(BigInteger)
    link: Mapped[str]
    sealed_at: Mapped[datetime]


class ReplyRow(Base):
    __tablename__ = "replies"
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    person_id: Mapped[UUID] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    fingerprint: Mapped[str]
    status: Mapped[int]
    body: Mapped[str]
    created_at: Mapped[datetime]
