"""What lists can be asked for, and what reviews and entries are made of, by the names of their fields.

A type checker refuses a name that is misspelt; a test sees that these are the fields of the service's own messages.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime
from typing import Any, Literal, TypedDict

from openlatch.words import (
    AccountOrder,
    Criticality,
    EntryOrder,
    Kind,
    Occasion,
    PartyKind,
    PartyOrder,
    PartyStatus,
    Power,
    ProviderOrder,
    Reviewers,
    Unanswered,
)

__all__ = [
    "AccountFile",
    "AccountFilter",
    "EntriesWanted",
    "EntryFile",
    "EntryFilter",
    "KeptFields",
    "PartyFile",
    "PartyFilter",
    "ProviderFile",
    "ProviderFilter",
    "ReadingFields",
    "ReviewChange",
    "ReviewFields",
]


class EntryFilter(TypedDict, total=False):
    """Which entries; several words in one field are separated by commas and mean "any of them"."""

    q: str
    state: str
    kind: Kind | str
    power: Power | str
    provider: str
    account: str
    party: str
    flagged: bool | None
    rule: str
    outside: bool | None
    mine: bool
    unknown: bool | None
    ends: Literal["", "none", "dated", "unknown"]
    risk: int


class EntriesWanted(EntryFilter, total=False):
    """Which entries, in which order, and how many of them at most."""

    sort: EntryOrder | str
    limit: int | None


class EntryFile(EntryFilter, total=False):
    """Which entries, in which order, and how the cells of a CSV file are separated."""

    sort: EntryOrder | str
    separator: Literal["comma", "semicolon", "tab"]


class AccountFilter(TypedDict, total=False):
    """Which accounts, in which order."""

    q: str
    provider: str
    criticality: Criticality | None
    practice: bool | None
    risk: int
    sort: AccountOrder | str


class AccountFile(AccountFilter, total=False):
    """Which accounts, in which order, and how the cells of a CSV file are separated."""

    separator: Literal["comma", "semicolon", "tab"]


class PartyFilter(TypedDict, total=False):
    """Which parties, in which order."""

    q: str
    kind: PartyKind | str
    status: PartyStatus | None
    outside: bool | None
    risk: int
    sort: PartyOrder | str


class PartyFile(PartyFilter, total=False):
    """Which parties, in which order, and how the cells of a CSV file are separated."""

    separator: Literal["comma", "semicolon", "tab"]


class ProviderFilter(TypedDict, total=False):
    """Which providers, in which order."""

    q: str
    connector: str
    trouble: bool | None
    sort: ProviderOrder | str


class ProviderFile(ProviderFilter, total=False):
    """Which providers, in which order, and how the cells of a CSV file are separated."""

    separator: Literal["comma", "semicolon", "tab"]


class ReadingFields(TypedDict, total=False):
    """How a provider is read: in minutes, percent and days."""

    read_every: int
    stale_after: int
    most_gone: int
    vouch_days: int


class KeptFields(TypedDict, total=False):
    """An entry that is kept by hand: the fields of wire.KeptEntry."""

    account: str
    party: str
    addresses: Sequence[str]
    party_kind: PartyKind
    party_status: PartyStatus
    kind: Kind
    level: str
    powers: Sequence[Power | str] | None
    permissions: Sequence[str]
    resources: Sequence[str]
    given_at: datetime | None
    given_by: str
    last_used: datetime | None
    ends_at: datetime | date | None
    basis: str
    key: str
    somebody_else: bool


class ReviewFields(TypedDict, total=False):
    """A review, but for its name: the fields of wire.NewReview."""

    where: Mapping[str, Any]
    recurs: str
    begins: date | str | None
    at: str
    on: Sequence[Occasion | str]
    reviewers: Reviewers | str
    named: Sequence[str]
    substitutes: Mapping[str, str]
    otherwise: str
    answer_days: int
    remind_days: int
    unanswered: Unanswered | str
    most: int
    risk_limit: int


class ReviewChange(ReviewFields, total=False):
    """What a review is to be; with `version`, only if nobody changed it since."""

    version: int | None
