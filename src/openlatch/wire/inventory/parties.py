"""Accounts, and the parties that have access to them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated
from uuid import UUID

from pydantic import Field

from openlatch.wire.base import Page, PageQuery, Ref, Search, Sent, Taken, Written
from openlatch.words import AccountOrder, Criticality, PartyKind, PartyOrder, PartyStatus, Severity

__all__ = [
    "Account",
    "AccountDescription",
    "AccountExport",
    "AccountFilter",
    "AccountList",
    "AccountQuery",
    "Party",
    "PartyExport",
    "PartyFilter",
    "PartyList",
    "PartyOverview",
    "PartyQuery",
    "ServiceWish",
    "SponsorWish",
]

AtLeast = Annotated[int, Field(ge=0, le=100, description="only those with this risk or more")]


class Account(Sent):
    """A shared account, and what is on it now. `worst` is the severity of the worst flag on it or on anything on it;
    null where there is none. `last_used` is when anyone was last seen using it, `last_reviewed` when any access to it
    was last reviewed; null where that was never, or is not known.
    """

    id: UUID
    ref: str
    provider: Ref
    key: str
    name: str
    criticality: Criticality
    practice: bool
    locked: Annotated[bool | None, Field(description="whether nothing on it may be open to anyone; null: no such lock")]
    risk: Annotated[int, Field(description="from 0 to 100")]
    worst: Severity | None
    shared_with: Annotated[int, Field(description="the number of parties that have access, or an offer of it")]
    administrators: Annotated[int, Field(description="those of them that can let others in")]
    outsiders: Annotated[int, Field(description="those of them that are outside the circle")]
    secrets: Annotated[int, Field(description="how often a password, key or code of it is known to someone")]
    last_used: datetime | None
    last_reviewed: datetime | None


class Party(Sent):
    """Someone or something that can have access."""

    id: UUID
    ref: str
    kind: PartyKind
    name: str
    addresses: list[str]
    status: PartyStatus
    verified: bool
    publisher: str
    home: str
    outside: bool
    service: bool = False
    sponsor: UUID | None = None


class PartyOverview(Party):
    """A party, and what it has now. `worst` is the severity of the worst flag on it or on its access; `last_used` is
    when it was last seen using any of it; null where that was never, or is not known.
    """

    risk: Annotated[int, Field(description="from 0 to 100")]
    worst: Severity | None
    on_accounts: Annotated[int, Field(description="accounts on which it has access of its own, not through a team")]
    teams: Annotated[int, Field(description="teams that it is in itself")]
    last_used: datetime | None


class SponsorWish(Taken):
    """Who of the workspace answers for a party, by their address; nobody, if it is empty."""

    address: Search


class ServiceWish(Taken):
    """Whether a program signs in with a party, and no person."""

    service: bool


class AccountDescription(Taken):
    """How vital an account is, and whether it is for practice; what is left out stays."""

    criticality: Criticality | None = None
    practice: bool | None = None


class AccountFilter(Taken):
    """Which accounts are wanted, in which order."""

    q: Annotated[Search, Field(description="part of the name")] = ""
    provider: Search = ""
    criticality: Criticality | None = None
    practice: bool | None = None
    risk: AtLeast = 0
    sort: AccountOrder = AccountOrder.NAME


class AccountQuery(AccountFilter, PageQuery):
    """Which page of which accounts is wanted."""


class AccountExport(AccountFilter, Written):
    """Which accounts are to be written to a file, and how."""


class PartyFilter(Taken):
    """Which parties are wanted, in which order."""

    q: Annotated[Search, Field(description="part of a name or an address")] = ""
    kind: Annotated[Search, Field(description="kinds, separated by commas")] = ""
    status: PartyStatus | None = None
    outside: bool | None = None
    risk: AtLeast = 0
    sort: PartyOrder = PartyOrder.NAME


class PartyQuery(PartyFilter, PageQuery):
    """Which page of which parties is wanted."""


class PartyExport(PartyFilter, Written):
    """Which parties are to be written to a file, and how."""


class AccountList(Page[Account]):
    """Accounts, in the order that was asked for."""


class PartyList(Page[PartyOverview]):
    """Parties, in the order that was asked for."""
