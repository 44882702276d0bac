"""The inventory: entries, their flags, and views of them."""

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field

from openlatch.wire.base import Page, PageQuery, Ref, Search, Sent, Taken, Written
from openlatch.wire.inventory.parties import Party
from openlatch.wire.orders.orders import Order
from openlatch.wire.rules.flags import Advice, Flag
from openlatch.wire.rules.risks import RiskLine
from openlatch.words import Action, EntryOrder, Kind, Power, State

__all__ = [
    "Dependency",
    "Entry",
    "EntryFilter",
    "EntryList",
    "EntryQuery",
    "ExportQuery",
    "Hours",
    "PossibleAct",
    "Summary",
    "Vouched",
]


class Hours(Sent):
    """Weekly hours in which a grant holds, on the wall clock of an IANA zone, in plain words."""

    zone: str
    text: str
    written: Annotated[str, Field(description="as a list that is imported has them")]


class Vouched(Sent):
    """Who vouched for an entry that is recorded by hand, when, and whether that still counts."""

    at: datetime
    by: str
    worn_off: bool


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

    sort: EntryOrder = EntryOrder.SEVERITY


class ExportQuery(EntryFilter, Written):
    """Which entries are to be written to a file, in which order and how."""

    sort: EntryOrder = EntryOrder.SEVERITY


class Summary(Sent):
    """How many entries a filter leaves, and how many of them have a flag (`severe`: high or critical)."""

    entries: int
    accounts: int
    parties: int
    flagged: int
    severe: int


class EntryList(Page[Entry]):
    """Entries, in the order that was asked for."""
