"""Accounts, and the parties that have access to them."""

from uuid import UUID

from openlatch.wire.base import Page, Ref, Search, Sent, Taken
from openlatch.words import Criticality, PartyKind, PartyStatus

__all__ = [
    "Account",
    "AccountDescription",
    "AccountList",
    "Party",
    "PartyList",
    "SponsorWish",
]


class Account(Sent):
    """A shared account; `shared_with` counts the parties that have access to it now."""

    id: UUID
    ref: str
    provider: Ref
    key: str
    name: str
    criticality: Criticality
    practice: bool
    locked: bool | None
    """whether nothing on it may be open to anyone, whatever its parts say; null where there is no such lock"""
    shared_with: int


class Party(Sent):
    """Someone or something that can have access; `on_accounts` counts the accounts it reaches now."""

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
    on_accounts: int | None = None
    sponsor: UUID | None = None


class SponsorWish(Taken):
    """Who of the workspace answers for a party, by their address; nobody, if it is empty."""

    address: Search


class AccountDescription(Taken):
    """How vital an account is, and whether it is for practice; what is left out stays."""

    criticality: Criticality | None = None
    practice: bool | None = None


class AccountList(Page[Account]):
    """Accounts, by name."""


class PartyList(Page[Party]):
    """Parties, by name."""
