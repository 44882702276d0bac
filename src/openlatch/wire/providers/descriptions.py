"""Trying a description of a provider before it is used: what it makes of answers, and what would be sent."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from pydantic import Field, StringConstraints

from openlatch.wire.base import Sent, Taken
from openlatch.words import Kind, PartyKind, Power, State

__all__ = ["DescribedEntry", "DescribedParty", "DescriptionTrial", "DescriptionWish", "WouldSend"]


class DescriptionWish(Taken):
    """A description, and what it is tried on: recorded answers, or the provider itself, which is only read.

    `answers` are by path and query as they are asked for. With neither answers nor an address it is only checked.
    """

    description: Annotated[str, StringConstraints(min_length=1, max_length=100_000)]
    url: Annotated[str, StringConstraints(strip_whitespace=True, max_length=2000)] = ""
    secret: Annotated[str, StringConstraints(max_length=10_000)] = ""
    answers: Annotated[dict[str, Any], Field(max_length=1000)] | None = None


class WouldSend(Sent):
    """A request that would be sent to the provider."""

    method: str
    url: str
    body: Any


class DescribedParty(Sent):
    """A party that the description makes."""

    key: str
    name: str
    kind: PartyKind
    addresses: list[str]


class DescribedEntry(Sent):
    """An entry that the description makes, and the request that would end it."""

    key: str
    account: str
    party: DescribedParty | None
    kind: Kind
    level: str
    powers: list[Power] | None
    permissions: list[str]
    state: State
    given_at: datetime | None
    last_used: datetime | None
    ends_at: datetime | None
    would_send: WouldSend | None


class DescriptionTrial(Sent):
    """What a description makes of what a provider answers: the first entries of all, and what no rule explains.

    `tried` is false where it was only checked. `trouble` says what did not fit, and by which line.
    """

    title: str
    tried: bool
    trouble: str
    accounts: int
    parties: int
    memberships: int
    total: int
    entries: list[DescribedEntry]
    unexplained: dict[str, int]
    unknown: list[str]
    asked: list[str]
