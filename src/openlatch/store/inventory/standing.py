"""What the entries of some accounts or parties come to: with how many each is shared, how bad, when last used."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from openlatch.core.powers import ADMITTING
from openlatch.store.inventory.rows import EntryRow, MembershipRow
from openlatch.store.rules.rows import FlagRow
from openlatch.words import Kind, Severity

__all__ = ["AccountStanding", "PartyStanding", "of_accounts", "of_parties"]


@dataclass(frozen=True, slots=True)
class AccountStanding:
    """What is on an account now: parties by what they can, known secrets, the worst flag, the last use and review."""

    worst: Severity | None = None
    shared_with: int = 0
    administrators: int = 0
    outsiders: int = 0
    secrets: int = 0
    last_used: datetime | None = None
    last_reviewed: datetime | None = None


@dataclass(frozen=True, slots=True)
class PartyStanding:
    """What a party has now: its own entries by accounts, the teams it is in, the worst flag, and its last use."""

    worst: Severity | None = None
    on_accounts: int = 0
    teams: int = 0
    last_used: datetime | None = None


def of_accounts(session: Session, account_ids: Iterable[UUID], now: datetime) -> dict[UUID, AccountStanding]:
    """Return what is on each of some accounts."""
    ids = list(account_ids)
    parties = func.count(EntryRow.party_id.distinct())
    facts = (
        func.max(EntryRow.severity),
        parties,
        parties.filter(EntryRow.powers.overlap([power.value for power in ADMITTING])),
        parties.filter(EntryRow.outside),
        func.count().filter(EntryRow.kind == Kind.SECRET.value),
        func.max(EntryRow.last_used),
        func.max(EntryRow.reviewed_at[func.cardinality(EntryRow.reviewed_at)]),
    )
    counted = _standing(session, facts, EntryRow.account_id, ids)
    own = _flagged(session, ids, now)
    return {
        each_id: AccountStanding(_worst(severity, own.get(each_id, 0)), *more)
        for each_id in ids
        for severity, *more in [counted.get(each_id, (0, 0, 0, 0, 0, None, None))]
    }


def of_parties(session: Session, party_ids: Iterable[UUID], now: datetime) -> dict[UUID, PartyStanding]:
    """Return what each of some parties has."""
    ids = list(party_ids)
    facts = (func.max(EntryRow.severity), func.count(EntryRow.account_id.distinct()), func.max(EntryRow.last_used))
    held = _standing(session, facts, EntryRow.party_id, ids)
    of_teams = (
        select(MembershipRow.member_id, func.count(MembershipRow.team_id.distinct()))
        .where(
            MembershipRow.member_id == func.any(ids), MembershipRow.ended_at.is_(None), MembershipRow.how == "member"
        )
        .group_by(MembershipRow.member_id)
    )
    teams: dict[UUID, int] = {row[0]: row[1] for row in session.execute(of_teams)}
    own = _flagged(session, ids, now)
    return {
        each_id: PartyStanding(_worst(severity, own.get(each_id, 0)), accounts, teams.get(each_id, 0), used)
        for each_id in ids
        for severity, accounts, used in [held.get(each_id, (0, 0, None))]
    }


def _standing(session: Session, facts: tuple[Any, ...], subject: Any, ids: list[UUID]) -> dict[UUID, tuple[Any, ...]]:
    """The facts of all that stands of each subject."""
    query = select(subject, *facts).where(subject == func.any(ids), EntryRow.state != "ended")
    rows = session.execute(query.group_by(subject))
    return {row[0]: tuple(row[1:]) for row in rows}


def _flagged(session: Session, ids: list[UUID], now: datetime) -> dict[UUID, int]:
    """The worst flag that stands on each subject itself and is not accepted, by its rank."""
    query = select(FlagRow.subject_id, func.max(FlagRow.severity)).where(
        FlagRow.subject_id == func.any(ids),
        FlagRow.cleared_at.is_(None),
        or_(FlagRow.accepted_until.is_(None), FlagRow.accepted_until <= now),
    )
    return {row[0]: row[1] for row in session.execute(query.group_by(FlagRow.subject_id))}


def _worst(*ranks: int) -> Severity | None:
    return Severity.ranked(max(ranks)) if max(ranks) else None
