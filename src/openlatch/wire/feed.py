"""The feed protocol, version 1: how any provider can show its inventory to Open Latch and take endings from it.

Described for implementers in docs/feed/; the JSON Schemas there are made from these models.
"""

from __future__ import annotations

from typing import Annotated, Literal
from zoneinfo import available_timezones

from pydantic import AfterValidator, AwareDatetime, BaseModel, ConfigDict, Field, StringConstraints

__all__ = [
    "VERSION",
    "Description",
    "Ending",
    "EndingOutcome",
    "FeedAccount",
    "FeedEntry",
    "FeedHours",
    "FeedMembership",
    "FeedPage",
    "FeedParty",
]

VERSION = "open-latch-feed/1"

Key = Annotated[str, StringConstraints(min_length=1, max_length=500, pattern=r"^[^\x00]*$")]
Words = Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$")]
Clock = Annotated[str, StringConstraints(pattern=r"^([01][0-9]|2[0-3]):[0-5][0-9]$")]
PowerWord = Literal["view", "edit", "publish", "export", "spend", "withdraw", "admit", "own"]
KindWord = Literal["delegate", "grant", "app", "session", "offer", "secret", "open"]


def _known_zone(name: str) -> str:
    if name not in available_timezones():
        raise ValueError(f"“{name}” is not an IANA time zone")
    return name


class FeedModel(BaseModel):
    """Shapes of the feed; an unknown field is ignored, so that a provider can be ahead of us."""

    model_config = ConfigDict(frozen=True)


class FeedAbilities(FeedModel):
    """What the provider lets Open Latch do."""

    lists: list[KindWord] = Field(default=[], description="kinds of entry that the inventory shows")
    ends: list[KindWord] = Field(default=[], description="kinds of entry that can be ended through the feed")
    at_once: bool = Field(default=True, description="whether ending takes effect without the device connecting again")
    redone_by: Literal["holder", "party", "either"] = Field(default="holder", description="who can give it again")
    consent_for: list[PowerWord] = Field(default=[], description="only for entries with one of these powers; or all")
    consent: Words = Field(default="", description="whose agreement an ending needs, in words; empty if nobody's")


class Description(FeedModel):
    """Answer to GET {base}: which protocol is spoken and what can be done."""

    feed: Literal["open-latch-feed/1"]
    name: Words
    abilities: FeedAbilities


class FeedAccount(FeedModel):
    """A shared account."""

    key: Key
    name: Words
    criticality: Literal["minor", "normal", "vital"] = "normal"
    practice: bool = False


class FeedParty(FeedModel):
    """Someone or something that has access."""

    key: Key
    kind: Literal["person", "team", "app", "anyone"]
    name: Words
    addresses: list[Key] = []
    status: Literal["current", "left", "unknown"] = "unknown"
    verified: bool = False
    publisher: Words = Field(default="", description="of an app: who made it")
    home: Words = Field(default="", description="of an app: the address of its own page")


class FeedWindow(FeedModel):
    """The same hours on some days; an end at or before the start is on the following day."""

    days: Annotated[list[Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]], Field(min_length=1)]
    start: Clock
    end: Clock


class FeedHours(FeedModel):
    """Weekly hours, on the wall clock of an IANA zone."""

    zone: Annotated[str, StringConstraints(max_length=100), AfterValidator(_known_zone)]
    windows: Annotated[list[FeedWindow], Field(min_length=1, max_length=50)]


class FeedDependency(FeedModel):
    """Something that runs through an entry and stops with it."""

    kind: Words = Field(description="one word, such as payment")
    what: Words
    next_at: AwareDatetime | None = None


class FeedEntry(FeedModel):
    """One access that stands now. What has ended is left out."""

    key: Key = Field(description="stays the same over the whole life of the access, and is never used again")
    account: Key
    party: Key
    kind: KindWord
    level: Words = Field(description="the provider's own name for it")
    powers: list[PowerWord] | None = Field(
        default=None, description="what it lets its party do; left out where only the level and permissions are known"
    )
    state: Literal["offered", "live", "paused"] = "live"
    permissions: list[Words] = []
    resources: list[Words] = []
    given_at: AwareDatetime | None = None
    given_by: Words = ""
    accepted_at: AwareDatetime | None = None
    last_used: AwareDatetime | None = None
    use_known: bool = Field(default=False, description="whether the provider records use; if so, no last_used is never")
    uses: dict[PowerWord, AwareDatetime] | None = Field(default=None, description="when each power was used last")
    ends_at: AwareDatetime | None = None
    end_unknown: bool = False
    hours: FeedHours | None = Field(default=None, description="weekly hours in which it holds")
    reviewed_at: list[AwareDatetime] = []
    basis: Words = ""
    hangs_on: Key | None = Field(default=None, description="key of the entry without which this one cannot be used")
    dependencies: list[FeedDependency] = []
    device: Words = ""
    network: Words = ""


class FeedMembership(FeedModel):
    """A party in a team, which may be a member of another team; or who connected an app, and so acts through it."""

    team: Key = Field(description="key of the team, or of the app")
    member: Key
    since: AwareDatetime | None = None
    how: Literal["member", "app"] = "member"


class FeedPage(FeedModel):
    """Answer to GET {base}/inventory and GET {base}/parties/{key}/inventory: one page."""

    total: Annotated[int, Field(ge=0)] | None = Field(default=None, description="entries over all pages")
    accounts: list[FeedAccount] = []
    parties: list[FeedParty] = []
    entries: list[FeedEntry] = []
    memberships: list[FeedMembership] = []
    next: Annotated[str, StringConstraints(min_length=1, max_length=2000)] | None = None


class Ending(FeedModel):
    """Body of POST {base}/endings, which carries an Idempotency-Key."""

    entry: Key
    party: Key


class EndingOutcome(FeedModel):
    """Answer to POST {base}/endings."""

    outcome: Literal["ended", "already-ended", "accepted", "refused"]
    reason: Words = ""
