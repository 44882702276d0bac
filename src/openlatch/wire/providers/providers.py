"""Providers, readings, what their levels mean, and lists that are imported."""

from datetime import date, datetime
from typing import Annotated
from uuid import UUID

from pydantic import Field, StringConstraints

from openlatch.wire.base import Page, Search, Sent, Taken, Text, Written
from openlatch.wire.providers.readings import Reading
from openlatch.words import Kind, ProviderOrder, ProviderState, Side

__all__ = [
    "LISTS",
    "Abilities",
    "BreachReport",
    "Hindrance",
    "NewProvider",
    "Provider",
    "ProviderExport",
    "ProviderFilter",
    "ProviderList",
    "ProviderRemoval",
    "ProviderRemovalWish",
    "ProviderVersion",
    "ProviderVersionList",
    "ProviderWish",
]


class BreachReport(Taken):
    """That a provider has reported a breach: the first day on which others may have been in, and what it said."""

    since: date
    what: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=1000)]


class Abilities(Sent):
    """What a provider shows and lets be done: kinds of entry, how soon, who has to agree, who can give it again."""

    lists: list[Kind]
    ends: list[Kind]
    at_once: bool
    redone_by: Side
    ends_teams: bool
    adds_members: bool = False
    removes_members: bool = False
    consent: str
    narrows: list[Kind]
    pauses: list[Kind]
    dates: list[Kind]
    raises: list[Kind]
    prolongs: list[Kind]
    widens: list[Kind]
    one_each: bool
    gives: list[Kind]


class Provider(Sent):
    """An outside service, and how fresh what is known of it is; durations are minutes.

    One that is kept `by_hand` is never read. `worn_off` counts entries, kept by hand because no reading shows their
    kind, for which nobody has vouched in `vouch_days`.
    """

    id: UUID
    ref: str
    name: str
    connector: str
    settings: dict[str, str]
    read_every: int
    stale_after: int
    most_gone: int
    last_complete: datetime | None
    next_reading: datetime | None
    paused: bool
    stale: bool
    abilities: Abilities
    by_hand: bool
    vouch_days: int
    worn_off: int
    state: ProviderState
    trouble: bool
    says_who: bool
    latest: Reading | None


class ProviderFilter(Taken):
    """Which providers are wanted, in which order."""

    q: Annotated[Search, Field(description="part of the name, or of how it is read")] = ""
    connector: Search = ""
    trouble: bool | None = None
    sort: ProviderOrder = ProviderOrder.NAME


class ProviderExport(ProviderFilter, Written):
    """Which providers are to be written to a file, and how."""


class NewProvider(Taken):
    """A provider to be read from now on; the secret is kept encrypted and never shown again."""

    name: Text
    connector: Text
    settings: dict[str, Annotated[str, StringConstraints(max_length=100_000)]] = Field(default_factory=dict)
    secret: Annotated[str, StringConstraints(max_length=10000)] = ""
    read_every: Annotated[int, Field(ge=1, le=10080)] = 15
    stale_after: Annotated[int, Field(ge=1, le=44640)] = 60
    most_gone: Annotated[int, Field(ge=1, le=100, description="percent that may vanish at once")] = 30
    vouch_days: Annotated[int, Field(ge=1, le=3660, description="how long vouching counts, if recorded by hand")] = 90


class ProviderWish(Taken):
    """What is to be different of a provider; what is left out stays, and the secret is never shown again.

    Other settings (all of them), or another secret, are tried before they are kept.
    """

    name: Text | None = None
    settings: dict[str, Annotated[str, StringConstraints(max_length=100_000)]] | None = None
    secret: Annotated[str, StringConstraints(max_length=10000)] | None = None
    read_every: Annotated[int, Field(ge=1, le=10080)] | None = None
    stale_after: Annotated[int, Field(ge=1, le=44640)] | None = None
    most_gone: Annotated[int, Field(ge=1, le=100, description="percent that may vanish at once")] | None = None
    vouch_days: Annotated[int, Field(ge=1, le=3660, description="how long vouching counts, if by hand")] | None = None
    says_who: bool | None = None


class Hindrance(Sent):
    """What goes on at a provider and stands in the way of removing it: short forms, a sentence, and what to do."""

    matter: str
    refs: list[str]
    says: str
    next_step: str


class ProviderRemoval(Sent):
    """What removing a provider comes to: `says` in sentences, and the numbers that they are made of.

    `nowhere_else` counts parties that have no entry at another provider, `to_end` entries with a last day to come;
    `reviews` are those that ask about this provider by its name. Nothing can be removed while there are `hindrances`.
    """

    provider: str
    entries: int
    accounts: int
    memberships: int
    nowhere_else: int
    to_end: int
    reviews: list[str]
    hindrances: list[Hindrance]
    says: list[str]


class ProviderRemovalWish(Taken):
    """How many entries stand at a provider, as it was looked at; if there are others, nothing is removed."""

    entries: Annotated[int, Field(ge=0)] | None = None


LISTS = {
    "csv": "text/csv",
    "jsonl": "application/jsonl",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


class ProviderVersion(Sent):
    """How a provider was reached from some day on; `at` is null for what was set before versions were kept."""

    number: int
    settings: dict[str, str]
    changed: list[str]
    by: str
    by_id: UUID | None
    at: datetime | None
    present: bool


class ProviderVersionList(Page[ProviderVersion]):
    """How a provider was reached, the latest first."""


class ProviderList(Page[Provider]):
    """All providers that were asked for."""
