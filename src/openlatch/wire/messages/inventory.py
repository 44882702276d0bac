"""The inventory: entries, their flags, and views of them."""

from datetime import date, datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import AwareDatetime, Field, StringConstraints

from openlatch.wire.messages.base import (
    Page,
    PageQuery,
    Ref,
    Search,
    Sent,
    Taken,
    Text,
)
from openlatch.wire.messages.flags import Advice, Flag, RiskLine
from openlatch.wire.messages.orders import Order
from openlatch.wire.messages.parties import Party
from openlatch.words import Action, Kind, PartyKind, PartyStatus, Power, State

__all__ = [
    "App",
    "AppList",
    "Dependency",
    "Entry",
    "EntryFilter",
    "EntryList",
    "EntryQuery",
    "ExportQuery",
    "GoneWish",
    "Hours",
    "KeptEntry",
    "NewSecret",
    "NewView",
    "PossibleAct",
    "Summary",
    "View",
    "ViewList",
    "Vouched",
]


class Hours(Sent):
    """Weekly hours in which a grant holds, on the wall clock of an IANA zone, in plain words."""

    zone: str
    text: str
    written: Annotated[str, Field(description="as a list that is imported has them")]


class KeptEntry(Taken):
    """An entry to keep by hand; one of the same key, or of the same kind, account and party, is corrected by it.

    An address that comes close to a known one is refused, unless `somebody_else` says that it is not theirs.
    """

    account: Text
    party: Search = ""
    addresses: list[Text] = Field(default_factory=list)
    party_kind: PartyKind = PartyKind.PERSON
    party_status: PartyStatus = PartyStatus.UNKNOWN
    kind: Kind = Kind.DELEGATE
    level: Search = ""
    powers: list[Power] | None = None
    permissions: list[Text] = Field(default_factory=list)
    resources: list[Text] = Field(default_factory=list)
    given_at: AwareDatetime | None = None
    given_by: Search = ""
    last_used: AwareDatetime | None = None
    ends_at: AwareDatetime | date | None = None
    """an instant, or the last day in the workspace's zone"""
    basis: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""
    key: Search = ""
    somebody_else: bool = False


class Vouched(Sent):
    """Who vouched for an entry that is kept by hand, when, and whether that still counts."""

    at: datetime
    by: str
    worn_off: bool


class GoneWish(Taken):
    """Why an entry that is kept by hand is known to have ended."""

    reason: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""


class NewSecret(Taken):
    """That somebody was told a password, key or code of an account: a known party, or a name, an address, or both.

    Without `powers`, whoever knows it is taken to be able to do all that anybody can who is let in. An address that
    comes close to a known one is refused, unless `somebody_else` says that it is not theirs.
    """

    account: Text
    who: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=320, pattern=r"^[^\x00]*$")]
    what: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200, pattern=r"^[^\x00]*$")] = ""
    powers: list[Power] = Field(default=[], max_length=8)
    reason: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""
    somebody_else: bool = False


class View(Sent):
    """A view of the inventory that somebody saved: a search, filters and an order, as the query of an address."""

    id: UUID
    name: str
    query: str


class NewView(Taken):
    """A view to save; one of the same name is replaced."""

    name: Text
    query: Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$")]


class Dependency(Sent):
    """Something that runs through an entry and stops with it."""

    kind: str
    what: str
    next_at: datetime | None


class PossibleAct(Sent):
    """An act that can be ordered about an entry; with `here` its provider is asked for it, else a person sees to it."""

    action: Action
    here: bool


class Entry(Sent):
    """One line of the inventory: one party's access to one account.

    `ends_at` null means no end, unless `end_unknown`; `last_used` null means never, unless not `use_known`.
    `used_powers` are those used within the holder's limit, `uses` when each was last; null where the provider does
    not tell. `unknown` are levels and permissions that nobody has given a meaning: what they allow is not in `powers`.
    `flags` are the standing ones on it and on its party, worst first. `risk` is from 0 to 100; what adds up to it,
    and what is advised, are given of a single entry only. `key` and `subject` are the provider's own: of the
    entry, and of whoever it lets in (empty where no provider knows them yet).
    """

    id: UUID
    ref: str
    provider: Ref
    account: Ref
    party: Party
    kind: Kind
    level: str
    powers: list[Power]
    used_powers: list[Power] | None
    uses: dict[Power, datetime] | None
    unknown: list[str]
    state: State
    end_reason: str | None
    permissions: list[str]
    resources: list[str]
    given_at: datetime | None
    given_by: str
    accepted_at: datetime | None
    last_used: datetime | None
    use_known: bool
    ends_at: datetime | None
    end_unknown: bool
    hours: Hours | None
    reviewed_at: list[datetime]
    basis: str
    hangs_on: str | None
    dependencies: list[Dependency]
    device: str
    network: str
    first_seen: datetime | None
    last_seen: datetime | None
    ended_at: datetime | None
    vouched: Vouched | None
    by_hand: bool
    key: str
    subject: str = ""
    flags: list[Flag]
    risk: int
    risk_lines: list[RiskLine]
    advice: Advice | None
    acts: list[PossibleAct] = Field(default=[])
    order: Order | None = None


class EntryFilter(Taken):
    """Which entries are wanted; several words in one field are separated by commas and mean "any of them"."""

    q: Search = ""
    state: Annotated[str, Field(description="states, separated by commas; `standing` is all but ended")] = "standing"
    kind: Search = ""
    power: Search = ""
    provider: Search = ""
    account: Search = ""
    party: Search = ""
    flagged: bool | None = None
    rule: Search = ""
    outside: bool | None = None
    mine: Annotated[bool, Field(description="only one's own, by one's address")] = False
    unknown: Annotated[bool | None, Field(description="only those with a word that has no meaning yet")] = None
    ends: Literal["", "none", "dated", "unknown"] = ""
    risk: Annotated[int, Field(ge=0, le=100, description="only those with this risk or more")] = 0


class EntryQuery(EntryFilter, PageQuery):
    """Which page of which entries is wanted, in which order."""

    sort: Literal["severity", "risk", "party", "account", "last-used", "given", "ends"] = "severity"


class ExportQuery(EntryFilter):
    """Which entries are to be written to a file, in which order and format."""

    sort: Literal["severity", "risk", "party", "account", "last-used", "given", "ends"] = "severity"
    format: Literal["csv", "jsonl", "xlsx"] = "csv"


class Summary(Sent):
    """How many entries a filter leaves, and how many of them carry a flag (`severe`: high or critical)."""

    entries: int
    accounts: int
    parties: int
    flagged: int
    severe: int


class App(Sent):
    """A connected app with what it holds on each account; `accounts` counts those it is on."""

    party: Party
    accounts: int
    entries: list[Entry]


class EntryList(Page[Entry]):
    """Entries, in the order that was asked for."""


class ViewList(Page[View]):
    """Views of one person, by name."""


class AppList(Page[App]):
    """Connected apps, by name."""
