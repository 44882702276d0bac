"""The feed protocol, version 1: how any provider can show its inventory to Open Latch and take endings from it.

Described for implementers in docs/feed/; the JSON Schemas there are made from these models.
"""

from __future__ import annotations

from functools import cache
from typing import Annotated, Literal, Self
from zoneinfo import available_timezones

from pydantic import (
    AfterValidator,
    AwareDatetime,
    BaseModel,
    ConfigDict,
    Field,
    IPvAnyNetwork,
    StringConstraints,
    model_validator,
)

from openlatch.words import Criticality, Kind, PartyKind, PartyStatus, Power, Side

__all__ = [
    "VERSION",
    "Amendment",
    "AmendmentOutcome",
    "Description",
    "Ending",
    "EndingOutcome",
    "FeedAccount",
    "FeedActivity",
    "FeedDocument",
    "FeedEntry",
    "FeedHindrance",
    "FeedHours",
    "FeedInvitee",
    "FeedLimits",
    "FeedMembership",
    "FeedPage",
    "FeedParty",
    "FeedSelector",
    "FeedStatement",
    "FeedWindow",
    "Giving",
    "GivingOutcome",
    "TeamChange",
    "TeamChangeOutcome",
    "Zone",
]

VERSION = "open-latch-feed/1"

Key = Annotated[str, StringConstraints(min_length=1, max_length=500, pattern=r"^[^\x00]*$")]
Words = Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$")]
Clock = Annotated[str, StringConstraints(pattern=r"^([01][0-9]|2[0-3]):[0-5][0-9]$")]


@cache
def _zones() -> frozenset[str]:
    """The names of all zones: listing them reads hundreds of files."""
    return frozenset(available_timezones())


def _known_zone(name: str) -> str:
    if name not in _zones():
        raise ValueError(f"“{name}” is not an IANA time zone")
    return name


Zone = Annotated[str, StringConstraints(max_length=100), AfterValidator(_known_zone)]


class FeedModel(BaseModel):
    """Shapes of the feed; an unknown field is ignored, so that a provider can be ahead of us."""

    model_config = ConfigDict(frozen=True, defer_build=True)


class FeedAbilities(FeedModel):
    """What the provider lets Open Latch do."""

    lists: list[Kind] = Field(default=[], description="kinds of entry that the inventory shows")
    ends: list[Kind] = Field(default=[], description="kinds of entry that can be ended through the feed")
    at_once: bool = Field(default=True, description="whether ending takes effect without the device connecting again")
    redone_by: Side = Field(default=Side.HOLDER, description="who can give it again")
    narrows: list[Kind] = Field(default=[], description="kinds of entry of which a part can be taken away there")
    pauses: list[Kind] = Field(default=[], description="kinds of entry that can be paused there")
    dates: list[Kind] = Field(default=[], description="kinds of entry that can be given an end there")
    raises: list[Kind] = Field(default=[], description="kinds of entry that can be given a wider level there")
    prolongs: list[Kind] = Field(default=[], description="kinds of entry that can be given a later end, or none")
    widens: list[Kind] = Field(default=[], description="kinds of entry that can be given more parts or other hours")
    enforces: list[Kind] = Field(default=[], description="kinds of entry that let nobody in past their end")
    one_each: bool = Field(default=False, description="whether a party has one entry on an account at most")
    gives: list[Kind] = Field(default=[], description="kinds of entry that a party can be given there")
    gives_until: list[Kind] = Field(default=[], description="those of them that can be given with an end")
    gives_hours: list[Kind] = Field(default=[], description="those of them that can be given with weekly hours")
    adds_members: bool = Field(default=False, description="whether a party can be added to a team there")
    removes_members: bool = Field(default=False, description="whether a party can be removed from a team there")
    consent_for: list[Power] = Field(default=[], description="only for entries with one of these powers; or all")
    consent: Words = Field(default="", description="whose agreement an ending needs, in words; empty if nobody's")


class FeedLimits(FeedModel):
    """What the provider lets nobody pass on any account; what is left out sets no limit."""

    most: Annotated[int, Field(ge=1)] | None = Field(default=None, description="parties that can be let in at once")
    outsiders: Annotated[int, Field(ge=0)] | None = Field(
        default=None, description="parties outside the holder's own domains that can be let in at once"
    )
    never: list[Power] = Field(default=[], description="powers that do not pass to whoever is let in")
    longest_days: Annotated[int, Field(ge=1, le=36500)] | None = None
    opt_in: bool = Field(default=False, description="whether a party must first have agreed to be invited")


class Description(FeedModel):
    """Answer to GET {base}: which protocol is spoken and what can be done."""

    feed: Literal["open-latch-feed/1"]
    name: Words
    abilities: FeedAbilities
    levels: dict[Words, list[Power]] = Field(default={}, description="its levels, with what each gives")
    permissions: dict[Words, list[Power]] = Field(
        default={}, description="permissions that can be given one by one, with what each gives"
    )
    single: Words = Field(default="", description="the level that access has which was given by permissions alone")
    limits: FeedLimits = FeedLimits()


class FeedAccount(FeedModel):
    """A shared account."""

    key: Key
    name: Words
    criticality: Criticality = Criticality.NORMAL
    practice: bool = False
    locked: bool | None = Field(
        default=None, description="whether documents open nothing on it to anyone; left out where there is no such lock"
    )


class FeedParty(FeedModel):
    """Someone or something that has access."""

    key: Key
    kind: PartyKind
    name: Words
    addresses: list[Key] = []
    status: PartyStatus = PartyStatus.UNKNOWN
    verified: bool = False
    publisher: Words = Field(default="", description="of an app: who made it")
    home: Words = Field(default="", description="of an app: the address of its own page")
    service: bool = Field(default=False, description="whether a program signs in with it, and no person")


class FeedWindow(FeedModel):
    """The same hours on some days; an end at or before the start is on the following day."""

    days: Annotated[list[Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]], Field(min_length=1)]
    start: Clock
    end: Clock


class FeedHours(FeedModel):
    """Weekly hours, on the wall clock of an IANA zone."""

    zone: Zone
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
    kind: Kind
    level: Words = Field(description="the provider's own name for it")
    powers: list[Power] | None = Field(
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
    uses: dict[Power, AwareDatetime] | None = Field(default=None, description="when each power was used last")
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


class FeedSelector(FeedModel):
    """Whom a statement is about: anyone, everyone at a domain, or a party or team by its key; exactly one of them."""

    anyone: Literal[True] | None = None
    domain: Annotated[str, StringConstraints(pattern=r"^[^@\s\x00]{1,250}$")] | None = None
    party: Key | None = None

    @model_validator(mode="after")
    def _one(self) -> Self:
        if sum(value is not None for value in (self.anyone, self.domain, self.party)) != 1:
            raise ValueError("name exactly one of anyone, domain and party")
        return self


class FeedStatement(FeedModel):
    """Allows or denies powers on one part of an account; a deny overrides every allow."""

    effect: Literal["allow", "deny"]
    to: Annotated[list[FeedSelector], Field(min_length=1, max_length=1000)]
    powers: Annotated[list[Power], Field(min_length=1)]
    networks: Annotated[list[IPvAnyNetwork], Field(max_length=1000)] | None = Field(
        default=None, description="only from these; left out, from everywhere; empty, from nowhere"
    )
    hours: Annotated[list[FeedWindow], Field(max_length=50)] | None = Field(
        default=None, description="only then, on the wall clock of the document's zone; left out, always"
    )
    level: Words = Field(default="", description="the provider's own name for it")
    given_at: AwareDatetime | None = None
    given_by: Words = ""
    basis: Words = ""
    last_used: AwareDatetime | None = None
    use_known: bool = False


class FeedDocument(FeedModel):
    """Who may do what with one part of an account. What no statement allows, nobody may."""

    key: Key
    account: Key
    resource: Words = Field(default="", description="the part; empty for the whole account")
    zone: Zone = "UTC"
    statements: Annotated[list[FeedStatement], Field(max_length=2000)] = []


class FeedActivity(FeedModel):
    """Something that was done lately with an access."""

    key: Key = Field(description="never used again")
    at: AwareDatetime
    account: Key
    party: Key = Field(description="who did it")
    behalf_of: Key | None = Field(default=None, description="the party in whose name, if the provider tells")
    entry: Key | None = Field(default=None, description="the access that was used")
    power: Power | None = None
    what: Words = Field(description="in a few words")


class FeedPage(FeedModel):
    """Answer to GET {base}/inventory and GET {base}/parties/{key}/inventory: one page."""

    total: Annotated[int, Field(ge=0)] | None = Field(default=None, description="entries over all pages")
    accounts: list[FeedAccount] = []
    parties: list[FeedParty] = []
    entries: list[FeedEntry] = []
    memberships: list[FeedMembership] = []
    documents: list[FeedDocument] = []
    activity: list[FeedActivity] = []
    next: Annotated[str, StringConstraints(min_length=1, max_length=2000)] | None = None


class Ending(FeedModel):
    """Body of POST {base}/endings, which carries an Idempotency-Key."""

    entry: Annotated[str, StringConstraints(min_length=1, pattern=r"^[^\x00]*$")]
    party: Key
    documents: list[Key] = Field(default=[], description="take the selector out of what these documents allow")
    to: FeedSelector | None = Field(default=None, description="the selector; with documents only")


class EndingOutcome(FeedModel):
    """Answer to POST {base}/endings."""

    outcome: Literal["ended", "already-ended", "accepted", "refused"]
    reason: Words = ""


class Amendment(FeedModel):
    """Body of POST {base}/changes, which carries an Idempotency-Key: what an entry is to be; null leaves as it is."""

    entry: Key
    party: Key
    level: Words | None = None
    resources: list[Words] | None = Field(
        default=None, description="all parts it should be on; empty: the whole account"
    )
    ends_at: AwareDatetime | None = None
    paused: bool | None = None
    hours: FeedHours | None = None
    lifts: list[Literal["end", "hours"]] = Field(default=[], description="limits that are taken away")


class AmendmentOutcome(FeedModel):
    """Answer to POST {base}/changes."""

    outcome: Literal["changed", "already-so", "accepted", "refused"]
    reason: Words = ""


class FeedHindrance(FeedModel):
    """Why someone could not be let in as things stand."""

    kind: Literal["not-registered", "not-verified", "not-opted-in", "limit-reached", "other"]
    reason: Words = Field(description="what is the matter, and what would help, in a sentence or two")


class FeedInvitee(FeedModel):
    """Answer to GET {base}/invitees?who=…: whom the provider knows by an address or a handle."""

    key: Key | None = Field(default=None, description="null where it knows nobody by that")
    name: Words = ""
    hindrances: list[FeedHindrance] = []


class Giving(FeedModel):
    """Body of POST {base}/givings, which carries an Idempotency-Key: access that a party is to be given.

    `party` is its key, or the address of someone whom the provider does not know yet.
    """

    account: Key
    party: Key
    kind: Kind
    level: Words
    permissions: list[Words] = []
    resources: list[Words] = Field(default=[], description="the parts that it is on; empty for the whole account")
    ends_at: AwareDatetime | None = None
    hours: FeedHours | None = None
    again: Key | None = Field(default=None, description="key of the entry by which the party had the same before")


class TeamChange(FeedModel):
    """Body of POST {base}/memberships, which carries an Idempotency-Key: a party is to be in a team, or not."""

    team: Key
    member: Key
    belongs: bool = Field(description="whether the party should be a member of the team from then on")


class TeamChangeOutcome(FeedModel):
    """Answer to POST {base}/memberships."""

    outcome: Literal["done", "already-so", "accepted", "refused"]
    reason: Words = ""


class GivingOutcome(FeedModel):
    """Answer to POST {base}/givings."""

    outcome: Literal["given", "already-so", "accepted", "refused"]
    reason: Words = ""
