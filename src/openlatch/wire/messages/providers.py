"""Providers, readings, what their levels mean, and lists that are imported."""

from datetime import date, datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field, StringConstraints

from openlatch.wire.messages.base import Page, Sent, Taken, Text
from openlatch.words import Kind, Origin, Power, ReadingState, Side

__all__ = [
    "LISTS",
    "Abilities",
    "BreachReport",
    "Connector",
    "ConnectorList",
    "ConnectorSetting",
    "Level",
    "LevelCorrection",
    "LevelList",
    "NewProvider",
    "Provider",
    "ProviderList",
    "Reading",
    "ReadingList",
    "ReadingWish",
]


class Reading(Sent):
    """One pass over a provider; `total` is what the provider announced, `counts` what the pass changed.

    `withheld` entries were no longer shown, too many to be believed; a reading with `accept_loss` ends them.
    `remarks` are what could not be made out, such as members of a team that are not listed; all else was read.
    """

    id: UUID
    provider_id: UUID
    state: ReadingState
    asked_by: str
    asked_at: datetime
    finished_at: datetime | None
    seen: int
    total: int | None
    counts: dict[str, int]
    trouble: str
    withheld: int
    remarks: list[str] = Field(default=[])


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


class Level(Sent):
    """A level or permission in a provider's words, and what it means in plain powers.

    `origin` says who says so: `corrected` the holder, `stated` the provider with each entry, `built-in` the
    connector; `unknown` words have no meaning yet. `entries` counts the standing ones that carry it.
    """

    word: str
    kind: Literal["level", "permission"]
    powers: list[Power]
    origin: Origin
    entries: int
    corrected_by: str
    corrected_at: datetime | None


class LevelCorrection(Taken):
    """What a word means at a provider; `powers` null takes a correction back."""

    word: Annotated[str, StringConstraints(min_length=1, max_length=2000, pattern=r"^[^\x00]*$")]
    powers: list[Power] | None


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
    stale: bool
    abilities: Abilities
    by_hand: bool
    vouch_days: int
    worn_off: int
    latest: Reading | None


class ConnectorSetting(Sent):
    """A setting that a connector takes."""

    name: str
    what: str
    needed: bool


class Connector(Sent):
    """A connector that is installed: what it speaks, its settings, and what its secret is."""

    name: str
    speaks: str
    settings: list[ConnectorSetting]
    secret: str


class ConnectorList(Sent):
    """The connectors that are installed, by name."""

    items: list[Connector]


class NewProvider(Taken):
    """A provider to be read from now on; the secret is kept encrypted and never shown again."""

    name: Text
    connector: Text
    settings: dict[str, Annotated[str, StringConstraints(max_length=2000)]] = Field(default_factory=dict)
    secret: Annotated[str, StringConstraints(max_length=10000)] = ""
    read_every: Annotated[int, Field(ge=1, le=10080)] = 15
    stale_after: Annotated[int, Field(ge=1, le=44640)] = 60
    most_gone: Annotated[int, Field(ge=1, le=100, description="percent that may vanish at once")] = 30
    vouch_days: Annotated[int, Field(ge=1, le=3660, description="how long vouching holds, if kept by hand")] = 90


class ReadingWish(Taken):
    """How a provider is to be read; with `accept_loss`, whatever it no longer shows has ended."""

    accept_loss: bool = False


LISTS = {
    "csv": "text/csv",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


class ProviderList(Page[Provider]):
    """All providers."""


class LevelList(Page[Level]):
    """Words of one provider, the unknown ones first."""


class ReadingList(Page[Reading]):
    """Readings, the latest first."""
