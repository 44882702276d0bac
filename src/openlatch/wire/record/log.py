"""What was done, and the log."""

from datetime import date
from typing import Annotated, Any
from uuid import UUID

from pydantic import AwareDatetime, Field

from openlatch.wire.base import Page, PageQuery, Ref, Search, Sent, Taken
from openlatch.words import How, Power

__all__ = [
    "Activity",
    "ActivityCounts",
    "ActivityList",
    "ActivityQuery",
    "ConsistencyQuery",
    "Event",
    "EventList",
    "LogConsistency",
    "LogHead",
    "LogProof",
    "LogQuery",
]


class Activity(Sent):
    """One thing that was done on an account: by the holder's own people, on someone's behalf, or by an app.

    `behalf_of` is null where it was done for the holder, or for oneself if `how` is own.
    """

    id: UUID
    at: AwareDatetime
    how: How
    party: Ref
    behalf_of: Ref | None
    account: Ref
    provider: str
    entry: str | None
    power: Power | None
    what: str


class ActivityCounts(Sent):
    """How much was done how."""

    own: int
    delegate: int
    app: int


class ActivityList(Page[Activity]):
    """What was done, the latest first; `counts` are over all of it."""

    counts: ActivityCounts


class ActivityQuery(PageQuery):
    """Which activity is wanted: on an account (id, short form or name), by or on behalf of a party, or done how."""

    account: Search = ""
    party: Search = ""
    how: How | None = None


class Event(Sent):
    """Something that happened; `number` and `link` are null until it is sealed (within seconds).

    `content` is what is sealed. For people, `says` is what whoever acted did, as a sentence without its subject, and
    `detail` what was so besides, in the zone of the workspace; `about` names the entry that it tells of.
    """

    id: UUID
    about: Ref | None
    number: int | None
    link: str | None
    says: str
    detail: str
    content: dict[str, Any]


class LogQuery(PageQuery):
    """Which events are wanted; `sealed` only those with a number, `oldest` in the order of their numbers."""

    actor: Annotated[Search, Field(description="only what was done by, or on behalf of, a name like this")] = ""
    what: Annotated[Search, Field(description="acts such as order.given, or what they are about, such as order")] = ""
    since: Annotated[date | None, Field(description="from this day on, in the zone of the workspace")] = None
    until: Annotated[date | None, Field(description="through this day")] = None
    subject: UUID | None = None
    account: Search = ""
    """only what is about this account, or about entries on it"""
    party: Search = ""
    """only what is about this party, or about entries of theirs"""
    entry: Search = ""
    """only what is about this entry, or about orders on it"""
    sealed: bool = False
    oldest: bool = False


class LogHead(Sent):
    """The end of the sealed log: its size, its last link, and how many events wait to be sealed.

    `grown` of its events are in the tree (RFC 9162) whose root is `root`: within seconds, all of them. `signed` says
    workspace, size (that of the tree), root and instant, as a compact JSON Web Signature with EdDSA.

    The oldest `archived` events are in files elsewhere, the last of them with the link `archived_link`; a copy begins
    after them, with `archived_wholes` as the roots of the whole subtrees that they make, the largest first.
    """

    size: int
    link: str
    sealed_at: AwareDatetime | None
    unsealed: int
    grown: int
    root: str
    archived: int
    archived_link: str
    archived_wholes: list[str]
    signed: str


class LogProof(Sent):
    """The proof that an event is in the log that a head stands for.

    `content` is what was sealed, `number` its place from 1, `path` the hashes of RFC 9162 (2.1.3), each 64 hex digits.
    """

    number: int
    content: dict[str, Any]
    path: list[str]
    head: LogHead


class LogConsistency(Sent):
    """The proof that the log of `size` events only added to what it was with `before` of them (RFC 9162, 2.1.4)."""

    before: int
    size: int
    path: list[str]
    head: LogHead


class ConsistencyQuery(Taken):
    """Of how many events the head is that someone has kept, and that of later; the present one if that is left out."""

    before: Annotated[int, Field(ge=0, le=2**53 - 1)]
    size: Annotated[int, Field(ge=0, le=2**53 - 1)] | None = None


class EventList(Page[Event]):
    """Events of the log."""
