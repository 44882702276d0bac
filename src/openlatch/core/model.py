"""The nouns of the inventory as frozen values. Instants are aware datetimes in UTC."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from enum import StrEnum
from types import MappingProxyType
from typing import Any
from uuid import UUID

from openlatch.core.hours import Hours
from openlatch.core.ids import ref_of
from openlatch.core.limits import Limits
from openlatch.core.moves import Moves
from openlatch.core.powers import in_order
from openlatch.words import (
    Criticality,
    EndReason,
    Kind,
    PartyKind,
    PartyStatus,
    PersonState,
    Power,
    ReadingState,
    Role,
    Side,
    State,
    Telling,
)

__all__ = [
    "BY_HAND",
    "ENTRY_MOVES",
    "OFFERED",
    "Abilities",
    "Account",
    "Author",
    "Circle",
    "Dependency",
    "Entry",
    "EntryMove",
    "Membership",
    "Party",
    "Person",
    "Provider",
    "Reading",
    "Workspace",
    "is_mailbox",
    "made_here",
    "normal_address",
]

BY_HAND = "by-hand"
"""What stands in the place of a connector where there is none."""


@dataclass(frozen=True, slots=True)
class Circle:
    """The domains and parties that the holder regards as its own; everyone else is outside."""

    domains: frozenset[str] = field(default_factory=frozenset)
    parties: frozenset[UUID] = field(default_factory=frozenset)

    def holds(self, party: Party) -> bool:
        """Return whether a party is in the circle, by itself or by an address exactly in one of its domains.

        A service account without any address is the holder's own.
        """
        if party.service and not party.addresses:
            return True
        return party.id in self.parties or any(
            normal_address(a).rpartition("@")[2] in self.domains for a in party.addresses
        )


@dataclass(frozen=True, slots=True)
class Workspace:
    """One holder's Open Latch; `zone` is an IANA time zone name, `policy` the number of the one in force (0: built in).

    The circle and the limit for unused access are those of that policy. Whoever has a role of `second_factor` needs a
    second factor. What happened is kept for so many days, 0 for ever: events of the log can be archived into files from
    then on, activity and readings are deleted.
    """

    id: UUID
    slug: str
    name: str
    zone: str = "UTC"
    circle: Circle = field(default_factory=Circle)
    unused_days: int = 90
    policy: int = 0
    second_factor: frozenset[Role] = frozenset()
    keep_events_days: int = 0
    keep_activity_days: int = 400
    keep_readings_days: int = 0


@dataclass(frozen=True, slots=True)
class Author:
    """Who did something: by id, with the name that they had then; `id` is None for the service, or if it is not known.

    Two people of one name are two authors. What was stored before ids were kept has a name alone.
    """

    name: str
    id: UUID | None = None

    def __str__(self) -> str:
        return self.name


@dataclass(frozen=True, slots=True)
class Person:
    """Someone who signs in to a workspace, or is invited to.

    `zone` (IANA) and `dates` (a language tag, RFC 5646) are those in which they want to see days; empty for the
    workspace's.
    """

    id: UUID
    name: str
    address: str
    role: Role
    telling: Telling = Telling.AT_ONCE
    state: PersonState = PersonState.ACTIVE
    zone: str = ""
    dates: str = ""
    seen_at: datetime | None = None

    @property
    def active(self) -> bool:
        """Whether they can sign in, be asked and be told."""
        return self.state is PersonState.ACTIVE

    @property
    def author(self) -> Author:
        """Return this person as whoever did something."""
        return Author(self.name, self.id)


@dataclass(frozen=True, slots=True)
class Abilities:
    """What a provider lets Open Latch do, as its connector declares it."""

    lists: frozenset[Kind] = frozenset()
    """the kinds of entry that a reading shows"""
    ends: frozenset[Kind] = frozenset()
    """the kinds of entry that can be ended from here"""
    at_once: bool = True
    """whether ending takes effect without the other side's device connecting again"""
    redone_by: Side = Side.HOLDER
    """who can give the same access again"""
    ends_teams: bool = True
    """whether what a team was given can be ended from here, like what a person was given"""
    consent: str = ""
    """whose agreement an ending needs, in words; empty where nobody's"""
    consent_for: frozenset[Power] = frozenset()
    """that agreement is needed only for entries with one of these powers; for all, if there are none"""
    narrows: frozenset[Kind] = frozenset()
    """the kinds of entry of which the provider can take away a part"""
    pauses: frozenset[Kind] = frozenset()
    """the kinds of entry that the provider can put to rest and wake again"""
    dates: frozenset[Kind] = frozenset()
    """the kinds of entry that the provider can give an end"""
    raises: frozenset[Kind] = frozenset()
    """the kinds of entry that can be given a wider level from here"""
    prolongs: frozenset[Kind] = frozenset()
    """the kinds of entry that can be given a later end from here, or none"""
    widens: frozenset[Kind] = frozenset()
    """the kinds of entry that can be given more parts, or other hours, from here"""
    enforces: frozenset[Kind] = frozenset()
    """the kinds of entry that let nobody in past their end, whether anyone takes them away or not"""
    past_end: str = ""
    """of others: what their end does there and what it leaves, as words that follow “It should have ended on a day;”"""
    discreet: bool = False
    """whether it answers alike for what has ended and for what we may not ask about: showing nothing proves nothing"""
    one_each: bool = False
    """whether a party has one entry on an account at most: what is given beside it is not kept as a second one"""
    gives: frozenset[Kind] = frozenset()
    """the kinds of entry that a party can be given from here"""
    gives_until: frozenset[Kind] = frozenset()
    """those of them that the provider ends by itself on the day that it is told"""
    gives_hours: frozenset[Kind] = frozenset()
    """those of them that can hold in some hours of the week only"""
    levels: Mapping[str, tuple[Power, ...]] = field(default_factory=dict)
    """the levels that the provider says it has, with what each gives"""
    permissions: tuple[tuple[str, tuple[Power, ...]], ...] = ()
    """permissions that can be given one by one, without a level, with what each gives, in the provider's order"""
    single: str = ""
    """what the level is called of what is given so; if empty, it is the permissions one after another"""
    limits: Limits = field(default_factory=Limits)
    """what the provider lets nobody pass"""
    adds_members: bool = False
    """whether someone can be added to a team from here"""
    removes_members: bool = False
    """whether someone can be removed from a team from here"""


@dataclass(frozen=True, slots=True)
class Provider:
    """An outside service, reached by the connector of that name; durations are whole minutes.

    `settings` are shown to people; the secret that goes with them is kept apart and never shown. `most_gone` is the
    percentage of the entries that may vanish in one reading without anyone being asked. What someone vouched for
    counts for `vouch_days`. One that was removed is kept for the names of what was there, and is never read again. The
    word of one that `says_who`, at most one in a workspace, goes first on who people are.
    """

    id: UUID
    name: str
    connector: str
    settings: Mapping[str, str]
    read_every: int = 15
    stale_after: int = 60
    most_gone: int = 30
    vouch_days: int = 90
    abilities: Abilities = field(default_factory=Abilities)
    last_complete: datetime | None = None
    next_reading: datetime | None = None
    paused: bool = False
    says_who: bool = False
    removed_at: datetime | None = None

    @property
    def ref(self) -> str:
        return ref_of(self.id)

    @property
    def by_hand(self) -> bool:
        """Whether no reading can see what is there."""
        return self.connector == BY_HAND

    def reads(self, kind: Kind) -> bool:
        """Whether a reading shows entries of a kind; those of other kinds can only be kept by hand."""
        return kind in self.abilities.lists

    def counts_from(self, now: datetime) -> datetime:
        """Return the instant since which someone must have vouched for an entry kept by hand."""
        return now - timedelta(days=self.vouch_days)

    def stale(self, now: datetime) -> bool:
        """Whether the last complete reading is older than the holder accepts."""
        if self.by_hand:
            return False
        return self.last_complete is None or now - self.last_complete > timedelta(minutes=self.stale_after)


@dataclass(frozen=True, slots=True)
class Reading:
    """One pass over a provider; `total` is what the provider announced, `counts` what the pass changed.

    `withheld` entries were no longer listed, too many to be believed: someone is asked, and a reading that is asked
    for with `accept_loss` ends them.
    """

    id: UUID
    provider_id: UUID
    state: ReadingState
    asked_by: str
    asked_at: datetime
    finished_at: datetime | None = None
    seen: int = 0
    total: int | None = None
    counts: Mapping[str, int] = field(default_factory=dict)
    trouble: str = ""
    accept_loss: bool = False
    withheld: int = 0
    remarks: tuple[str, ...] = ()
    """what could not be made out, each with its place; all else was read"""

    @property
    def ref(self) -> str:
        return ref_of(self.id)


@dataclass(frozen=True, slots=True)
class Dependency:
    """Something that runs through an entry and stops with it, such as a standing payment."""

    kind: str
    what: str
    next_at: datetime | None = None

    def written(self) -> str:
        """Return it as one line, as people and `parse` write it: payment: gate maintenance (next 2026-05-01T00:00Z)."""
        return f"{self.kind}: {self.what}" + (f" (next {self.next_at.isoformat()})" if self.next_at else "")

    @classmethod
    def parse(cls, text: str) -> Dependency:
        """Return what a line means; raises ValueError for one without a kind, or with a time that is none."""
        kind, colon, what = text.partition(": ")
        if not colon:
            raise ValueError("a dependency is written as kind: what")
        match = re.fullmatch(r"(.*) \(next (\d[^()]*)\)", what, re.DOTALL)
        if match is None:
            return cls(kind.strip(), what.strip())
        at = datetime.fromisoformat(match[2])
        return cls(kind.strip(), match[1].strip(), at if at.tzinfo else at.replace(tzinfo=UTC))


@dataclass(frozen=True, slots=True)
class Party:
    """Someone or something that can have access; an app has a publisher, and perhaps a home page.

    `sponsor` is the person of the workspace who answers for it. `service` says whether a program signs in with it, and
    no person; None if nobody has said.
    """

    id: UUID
    kind: PartyKind
    name: str
    addresses: tuple[str, ...] = ()
    status: PartyStatus = PartyStatus.UNKNOWN
    verified: bool = False
    publisher: str = ""
    home: str = ""
    version: int = 1
    sponsor: UUID | None = None
    service: bool | None = None

    @property
    def ref(self) -> str:
        return ref_of(self.id)


@dataclass(frozen=True, slots=True)
class Membership:
    """A party acts as another: as a member of a team, which may itself be in another, or through an app it connected.

    `how` is `member` or `app`; `since` is None where the provider does not tell.
    """

    id: UUID
    provider_id: UUID
    team_id: UUID
    member_id: UUID
    since: datetime | None = None
    ended_at: datetime | None = None
    how: str = "member"


@dataclass(frozen=True, slots=True)
class Account:
    """A shared account at a provider, known there by `key`.

    An account that is `locked` is open to nobody, whatever its single parts say; None where there is no such lock.
    """

    id: UUID
    provider_id: UUID
    key: str
    name: str
    criticality: Criticality = Criticality.NORMAL
    practice: bool = False
    locked: bool | None = None
    version: int = 1

    @property
    def ref(self) -> str:
        return ref_of(self.id)


class EntryMove(StrEnum):
    """What this service does to an entry; what a provider shows is taken as it is."""

    ASK = "ask"
    """its provider is asked to end it"""
    END = "end"


_ASKED: Mapping[tuple[State, EntryMove], State] = {
    (state, EntryMove.ASK): State.ENDING for state in State if state is not State.ENDED
}
_ENDED: Mapping[tuple[State, EntryMove], State] = {
    (state, EntryMove.END): State.ENDED for state in State if state is not State.ENDED
}
ENTRY_MOVES = Moves(
    MappingProxyType({**_ASKED, **_ENDED}),
    lambda state, how: ("It has ended already.", "There is nothing left to take back."),
)


@dataclass(frozen=True, slots=True)
class Entry:
    """One line of the inventory: one party's access to one account, known at the provider by `key`.

    `ends_at` None means that there is no end, unless `end_unknown` says that the end could not be read.
    `last_used` None means never used, unless `use_known` is False: then the provider does not tell. `uses` says when
    each power was used last, where the provider tells them apart. `powers` are what the level and the permissions
    mean; `stated` is what the provider itself says they are, and `unknown` are words that nobody has given a meaning.
    `unanswered_at` is when a review last asked about it in vain. `hangs_on` is the key of the entry without which this
    one cannot be used. An entry that no reading can see is kept `by_hand`, and carries who vouched for it last, and
    when.
    """

    id: UUID
    provider_id: UUID
    account_id: UUID
    party_id: UUID
    key: str
    kind: Kind
    level: str
    powers: tuple[Power, ...]
    subject: str = field(default="", kw_only=True)
    """the provider's own key of the party that it lets in; empty where no provider knows the party yet"""
    state: State = State.LIVE
    end_reason: EndReason | None = None
    permissions: tuple[str, ...] = ()
    stated: tuple[Power, ...] | None = None
    unknown: tuple[str, ...] = ()
    resources: tuple[str, ...] = ()
    given_at: datetime | None = None
    given_by: str = ""
    given_by_id: UUID | None = None
    """who of this workspace gave it, where it was given from here"""
    accepted_at: datetime | None = None
    last_used: datetime | None = None
    use_known: bool = False
    uses: Mapping[Power, datetime] | None = None
    ends_at: datetime | None = None
    end_unknown: bool = False
    hours: Hours | None = None
    reviewed_at: tuple[datetime, ...] = ()
    unanswered_at: datetime | None = None
    basis: str = ""
    hangs_on: str | None = None
    dependencies: tuple[Dependency, ...] = ()
    device: str = ""
    network: str = ""
    first_seen: datetime | None = None
    last_seen: datetime | None = None
    ended_at: datetime | None = None
    by_hand: bool = False
    vouched_at: datetime | None = None
    vouched_by: str = ""
    version: int = 1

    def moved(self, how: EntryMove, **changes: Any) -> Entry:
        """Return the entry after a move, one version on; refuses what the table does not have."""
        return replace(self, state=ENTRY_MOVES.after(self.state, how), version=self.version + 1, **changes)

    def ended(self, why: EndReason, at: datetime) -> Entry:
        """Return the entry as it is once it has ended."""
        return self.moved(EntryMove.END, end_reason=why, ended_at=at)

    @property
    def ref(self) -> str:
        return ref_of(self.id)

    @property
    def stands(self) -> bool:
        """Whether the entry still lets its party in, as far as is known."""
        return self.state is not State.ENDED

    @property
    def in_doubt(self) -> bool:
        """Whether it may let its party in still, though nobody here looks at it any more."""
        return self.end_reason is EndReason.PROVIDER_REMOVED

    def worn_off(self, provider: Provider, now: datetime) -> bool:
        """Whether it is recorded by hand, and nobody has vouched for it in the time that counts."""
        return self.by_hand and (self.vouched_at is None or self.vouched_at < provider.counts_from(now))

    def used_since(self, instant: datetime) -> tuple[Power, ...] | None:
        """Return the powers that were used at or after an instant, or None where the provider does not tell."""
        return None if self.uses is None else in_order(p for p, at in self.uses.items() if at >= instant)


def normal_address(address: str) -> str:
    """Return an address in the form in which two spellings of it are equal."""
    local, at, domain = address.strip().rpartition("@")
    return f"{local}{at}{domain}".casefold()


def is_mailbox(address: str) -> bool:
    """Return whether an address is one that a letter can go to: neither a handle nor a whole domain."""
    return "@" in address.strip("@")


OFFERED = "latch-offer:"
"""What the keys of entries begin with that stand for what Open Latch has offered."""


def made_here(entry: Entry) -> bool:
    """Return whether an entry stands for what Open Latch has offered, and is no offer that its provider shows."""
    return entry.kind is Kind.OFFER and entry.by_hand and entry.key.startswith(OFFERED)
