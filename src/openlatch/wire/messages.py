"""The messages of API v1. What the service sends may grow; what it takes is checked strictly."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Generic, Literal, TypeVar
from uuid import UUID

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, StringConstraints

__all__ = [
    "LISTS",
    "Abilities",
    "Account",
    "AccountDescription",
    "AccountList",
    "App",
    "AppList",
    "Chain",
    "Complaint",
    "Consequence",
    "Cut",
    "CutPiece",
    "CutQuery",
    "Dependency",
    "Entry",
    "EntryFilter",
    "EntryList",
    "EntryQuery",
    "Event",
    "EventList",
    "ExportQuery",
    "Flag",
    "FlagList",
    "FlagQuery",
    "GoneWish",
    "Hours",
    "Hurt",
    "ImportColumn",
    "ImportOutcome",
    "ImportQuery",
    "KeptEntry",
    "Level",
    "LevelCorrection",
    "LevelList",
    "LogHead",
    "LogQuery",
    "Me",
    "NewOrder",
    "NewPerson",
    "NewProvider",
    "NewToken",
    "NewView",
    "Order",
    "OrderList",
    "OrderQuery",
    "Page",
    "PageQuery",
    "Party",
    "PartyList",
    "Person",
    "PersonList",
    "Plan",
    "PlanQuery",
    "Problem",
    "Provider",
    "ProviderList",
    "Reach",
    "Reading",
    "ReadingList",
    "ReadingWish",
    "Receipt",
    "Ref",
    "SearchQuery",
    "SignIn",
    "SignInHint",
    "Step",
    "Summary",
    "Token",
    "TokenList",
    "TokenSecret",
    "Via",
    "View",
    "ViewList",
    "Vouched",
    "Workspace",
]

T = TypeVar("T")

KindWord = Literal["delegate", "grant", "app", "session", "offer", "secret", "open"]
StateWord = Literal["offered", "live", "paused", "ending", "ended"]
PowerWord = Literal["view", "edit", "publish", "export", "spend", "withdraw", "admit", "own"]
SeverityWord = Literal["low", "medium", "high", "critical"]
OrderStateWord = Literal["drafted", "waiting", "running", "told", "proved", "stuck", "cancelled"]
ActionWord = Literal["end", "give-up"]
RoleWord = Literal["owner", "manager", "reviewer", "auditor", "member"]
Text = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200, pattern=r"^[^\x00]*$")]
Search = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200, pattern=r"^[^\x00]*$")]


class Sent(BaseModel):
    """Something that the service sends."""

    model_config = ConfigDict(frozen=True)


class Taken(BaseModel):
    """Something that the service takes: a field it does not know is a mistake, not a wish."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class Problem(Sent):
    """An error, as in RFC 9457; `code` is stable, `next` says what to do, `errors` lists places and problems."""

    type: str
    title: str
    status: int
    detail: str
    code: str
    next: str = ""
    errors: list[dict[str, str]] = []
    facts: dict[str, Any] = {}


class Page(Sent, Generic[T]):
    """Some items of a list, and the cursor that continues it, or null at the end."""

    items: list[T]
    next: str | None = None


class Ref(Sent):
    """A thing that something else is about: its id, the short form, and its name."""

    id: UUID
    ref: str
    name: str


class PageQuery(Taken):
    """Which part of a list is wanted."""

    limit: Annotated[int, Field(ge=1, le=500)] = 100
    cursor: Annotated[str, StringConstraints(max_length=2000)] | None = None


class SearchQuery(PageQuery):
    """A list, searched by part of a name or address."""

    q: Search = ""
    provider: Search = ""


# People and signing in


class SignInHint(Sent):
    """What the sign-in page may know beforehand: the workspace, if the service holds only one."""

    workspace: str | None
    name: str | None


class SignIn(Taken):
    """A person signing in to the console."""

    workspace: Text
    address: Text
    password: Annotated[str, StringConstraints(min_length=1, max_length=500)]


class NewToken(SignIn):
    """A person asking for a token, so that a program can act for them for a while."""

    name: Text = "command line"
    scope: Literal["read", "change"] = "change"
    days: Annotated[int, Field(ge=1, le=365)] = 30


class Token(Sent):
    """A token without its secret."""

    id: UUID
    name: str
    scope: Literal["read", "change"]
    created_at: datetime
    expires_at: datetime
    last_used_at: datetime | None
    revoked_at: datetime | None


class TokenSecret(Token):
    """A token just made; its secret is shown this once."""

    secret: str


class Person(Sent):
    """Someone who signs in to the workspace."""

    id: UUID
    name: str
    address: str
    role: RoleWord


class NewPerson(Taken):
    """Someone who is to sign in to the workspace."""

    name: Text
    address: Annotated[
        str, StringConstraints(strip_whitespace=True, pattern=r"^[^@\s\x00]+@[^@\s\x00]+$", max_length=200)
    ]
    role: RoleWord
    password: Annotated[str, StringConstraints(min_length=12, max_length=500)]


class Workspace(Sent):
    """The workspace: its name, its zone (IANA), what it regards as its own, and its limits."""

    id: UUID
    slug: str
    name: str
    zone: str
    circle_domains: list[str]
    unused_days: int


class Me(Sent):
    """Who is signed in where; `may` lists the operations that this sign-in reaches."""

    person: Person
    workspace: Workspace
    may: list[str]
    csrf: str | None = None


# The inventory


class Reading(Sent):
    """One pass over a provider; `total` is what the provider announced, `counts` what the pass changed.

    `withheld` entries were no longer shown, too many to be believed; a reading with `accept_loss` ends them.
    """

    id: UUID
    provider_id: UUID
    state: Literal["queued", "running", "complete", "partial", "failed"]
    asked_by: str
    asked_at: datetime
    finished_at: datetime | None
    seen: int
    total: int | None
    counts: dict[str, int]
    trouble: str
    withheld: int


class Abilities(Sent):
    """What a provider shows and lets be ended: kinds of entry, how soon, who has to agree, who can give it again.

    What it can narrow, pause and date is what can be done there; nothing here commands these yet.
    """

    lists: list[KindWord]
    ends: list[KindWord]
    at_once: bool
    redone_by: Literal["holder", "party", "either"]
    ends_teams: bool
    consent: str
    narrows: list[KindWord]
    pauses: list[KindWord]
    dates: list[KindWord]


class Level(Sent):
    """A level or permission in a provider's words, and what it means in plain powers.

    `origin` says who says so: `corrected` the holder, `stated` the provider with each entry, `built-in` the
    connector; `unknown` words have no meaning yet. `entries` counts the standing ones that carry it.
    """

    word: str
    kind: Literal["level", "permission"]
    powers: list[PowerWord]
    origin: Literal["corrected", "stated", "built-in", "unknown"]
    entries: int
    corrected_by: str
    corrected_at: datetime | None


class LevelCorrection(Taken):
    """What a word means at a provider; `powers` null takes a correction back."""

    word: Annotated[str, StringConstraints(min_length=1, max_length=2000, pattern=r"^[^\x00]*$")]
    powers: list[PowerWord] | None


class Hours(Sent):
    """Weekly hours in which a grant holds, on the wall clock of an IANA zone, in plain words."""

    zone: str
    text: str
    written: Annotated[str, Field(description="as a list that is imported has them")]


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
    settings: dict[str, Annotated[str, StringConstraints(max_length=2000)]] = {}
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
"""The content types of lists that can be imported, by the ends of their files' names."""


class ImportQuery(Taken):
    """How a list is to be taken."""

    dry_run: bool = True
    columns: Annotated[
        str,
        Field(max_length=10000, description='fields by header as JSON, such as {"Who": "party"}; "" leaves one out'),
    ] = ""


class Complaint(Sent):
    """What is wrong with a list; `line` 1 is the header, 0 the file itself."""

    line: int
    column: str
    problem: str


class ImportColumn(Sent):
    """How a column was taken: as which field (empty: left out), or `derived`: worked out, and so left out."""

    header: str
    field: str
    derived: bool


class ImportOutcome(Sent):
    """What an import changed, or with a dry run would change; with complaints it changed nothing."""

    done: bool
    counts: dict[str, int]
    columns: list[ImportColumn]
    complaints: list[Complaint]
    fields: dict[str, str]


class KeptEntry(Taken):
    """An entry to keep by hand; one of the same key, or of the same kind, account and party, is corrected by it."""

    account: Text
    party: Search = ""
    addresses: list[Text] = []
    party_kind: Literal["person", "team", "app", "anyone"] = "person"
    party_status: Literal["current", "left", "unknown"] = "unknown"
    kind: KindWord = "delegate"
    level: Search = ""
    powers: list[PowerWord] | None = None
    permissions: list[Text] = []
    resources: list[Text] = []
    given_at: AwareDatetime | None = None
    given_by: Search = ""
    last_used: AwareDatetime | None = None
    ends_at: AwareDatetime | date | None = None
    """an instant, or the last day in the workspace's zone"""
    basis: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""
    key: Search = ""


class Vouched(Sent):
    """Who vouched for an entry that is kept by hand, when, and whether that still counts."""

    at: datetime
    by: str
    worn_off: bool


class GoneWish(Taken):
    """Why an entry that is kept by hand is known to have ended."""

    reason: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""


class Account(Sent):
    """A shared account; `shared_with` counts the parties that have access to it now."""

    id: UUID
    ref: str
    provider: Ref
    key: str
    name: str
    criticality: Literal["minor", "normal", "vital"]
    practice: bool
    locked: bool | None
    """whether nothing on it may be open to anyone, whatever its parts say; null where there is no such lock"""
    shared_with: int


class Party(Sent):
    """Someone or something that can have access; `on_accounts` counts the accounts it reaches now."""

    id: UUID
    ref: str
    kind: Literal["person", "team", "app", "anyone"]
    name: str
    addresses: list[str]
    status: Literal["current", "left", "unknown"]
    verified: bool
    publisher: str
    home: str
    outside: bool
    on_accounts: int | None = None


class AccountDescription(Taken):
    """How vital an account is, and whether it is for practice; what is left out stays."""

    criticality: Literal["minor", "normal", "vital"] | None = None
    practice: bool | None = None


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


class Flag(Sent):
    """A rule that holds for an entry: since when, how bad, by which facts, and what would clear it."""

    id: UUID
    rule: str
    title: str
    why: str
    severity: SeverityWord
    reason: str
    facts: dict[str, str | int]
    clears: str
    raised_at: datetime
    cleared_at: datetime | None
    entry: Ref
    party: str
    account: str


class Entry(Sent):
    """One line of the inventory: one party's access to one account.

    `ends_at` null means no end, unless `end_unknown`; `last_used` null means never, unless not `use_known`.
    `used_powers` are those used within the holder's limit, `uses` when each was last; null where the provider does
    not tell. `unknown` are levels and permissions that nobody has given a meaning: what they allow is not in `powers`.
    `flags` are the standing ones, worst first.
    """

    id: UUID
    ref: str
    provider: Ref
    account: Ref
    party: Party
    kind: KindWord
    level: str
    powers: list[PowerWord]
    used_powers: list[PowerWord] | None
    uses: dict[PowerWord, datetime] | None
    unknown: list[str]
    state: StateWord
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
    flags: list[Flag]
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


class EntryQuery(EntryFilter, PageQuery):
    """Which page of which entries is wanted, in which order."""

    sort: Literal["severity", "party", "account", "last-used", "given", "ends"] = "severity"


class ExportQuery(EntryFilter):
    """Which entries are to be written to a file, in which order and format."""

    sort: Literal["severity", "party", "account", "last-used", "given", "ends"] = "severity"
    format: Literal["csv", "jsonl", "xlsx"] = "csv"


class Summary(Sent):
    """How many entries a filter leaves, and how many of them carry a flag (`severe`: high or critical)."""

    entries: int
    accounts: int
    parties: int
    flagged: int
    severe: int


class FlagQuery(PageQuery):
    """Which flags are wanted; `severity` means that one or worse."""

    rule: Search = ""
    severity: Literal["", "low", "medium", "high", "critical"] = ""
    entry: Search = ""
    cleared: bool = False


# Taking back


class Via(Sent):
    """One step of a chain: acting as this party, `how` (such as `member`)."""

    id: UUID
    party: Ref
    how: str


class Chain(Sent):
    """One entry that a party comes to; `via` is empty where it holds the entry itself.

    `idle` says that ending this entry alone would change nothing for the party: it has the same otherwise too.
    """

    entry: Entry
    via: list[Via]
    idle: bool


class Reach(Sent):
    """Everything that a party can do, and through which chains, the shortest first."""

    party: Party
    chains: list[Chain]


class CutQuery(Taken):
    """From which account a party should lose which power."""

    account: Text
    power: PowerWord


class CutPiece(Sent):
    """Something to end: an `entry`, or a `membership` in a team."""

    kind: Literal["entry", "membership"]
    id: UUID
    ref: str
    text: str


class Hurt(Sent):
    """Someone else who would lose something."""

    party: Ref
    loses: list[str]


class Cut(Sent):
    """The smallest set to end so that a party loses a power; `hurts` is empty whenever that can be avoided."""

    pieces: list[CutPiece]
    hurts: list[Hurt]


class PlanQuery(Taken):
    """What is to be planned: the end of an entry, or giving up one's own."""

    action: ActionWord = "end"


class Consequence(Sent):
    """One thing that happens when a plan is carried out."""

    kind: str
    severity: SeverityWord
    text: str


class Step(Sent):
    """One step of a plan or an order; `at` and `said` are filled once it was done."""

    call: Literal["end", "read", "receipt"]
    text: str
    at: datetime | None = None
    said: str = ""


class Plan(Sent):
    """What ending an entry would do, gravest first, and how; `digest` names exactly this plan."""

    action: ActionWord
    entry: Ref
    party: Party
    account: str
    provider: str
    consequences: list[Consequence]
    steps: list[Step]
    digest: str


class NewOrder(Taken):
    """An order to end an entry, or to give up one's own; with `digest`, only if the plan is still the one shown."""

    entry: Text
    action: ActionWord = "end"
    reason: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""
    digest: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")] | None = None


class Receipt(Sent):
    """The proof that an order took effect: what a fresh reading of the provider showed, and when."""

    order: str
    entry: str
    party: str
    account: str
    provider: str
    ordered_by: str
    told_at: datetime | None
    read_at: datetime
    showed: str


class Order(Sent):
    """A commanded change and what became of it; `moves` are what a person can do with it now."""

    id: UUID
    ref: str
    entry: Ref
    party: str
    account: str
    provider: str
    action: ActionWord
    state: OrderStateWord
    steps: list[Step]
    consequences: list[Consequence]
    reason: str
    ordered_by: str
    ordered_at: datetime
    attempts: int
    why: str
    again_at: datetime | None
    finished_at: datetime | None
    receipt: Receipt | None
    moves: list[str]
    already: bool = False


class OrderQuery(PageQuery):
    """Which orders are wanted; states separated by commas."""

    state: Search = ""


# The log


HowWord = Literal["own", "delegate", "app"]


class Activity(Sent):
    """One thing that was done on an account: by the holder's own people, on someone's behalf, or by an app.

    `behalf_of` is null where it was done for the holder, or for oneself if `how` is own.
    """

    id: UUID
    at: AwareDatetime
    how: HowWord
    party: Ref
    behalf_of: Ref | None
    account: Ref
    provider: str
    entry: str | None
    power: PowerWord | None
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
    how: HowWord | None = None


class Event(Sent):
    """Something that happened; `number` and `link` are null until it is sealed (within seconds).

    `content` is what is sealed; `about` names the entry that it tells of, for people.
    """

    id: UUID
    about: Ref | None
    number: int | None
    link: str | None
    content: dict[str, Any]


class LogQuery(PageQuery):
    """Which events are wanted; `sealed` only those with a number, `oldest` in the order of their numbers."""

    subject: UUID | None = None
    account: Search = ""
    """only what is about this account, or about entries on it"""
    party: Search = ""
    """only what is about this party, or about entries of theirs"""
    sealed: bool = False
    oldest: bool = False


class LogHead(Sent):
    """The end of the sealed log: its size, its last link, and how many events wait to be sealed."""

    size: int
    link: str
    sealed_at: AwareDatetime | None
    unsealed: int


class App(Sent):
    """A connected app with what it holds on each account; `accounts` counts those it is on."""

    party: Party
    accounts: int
    entries: list[Entry]


Entry.model_rebuild()


# Lists, each with a name of its own in the API's description


class PersonList(Page[Person]):
    """Everyone who signs in to the workspace."""


class TokenList(Page[Token]):
    """Tokens of one person."""


class ProviderList(Page[Provider]):
    """All providers."""


class LevelList(Page[Level]):
    """Words of one provider, the unknown ones first."""


class ReadingList(Page[Reading]):
    """Readings, the latest first."""


class AccountList(Page[Account]):
    """Accounts, by name."""


class PartyList(Page[Party]):
    """Parties, by name."""


class EntryList(Page[Entry]):
    """Entries, in the order that was asked for."""


class ViewList(Page[View]):
    """Views of one person, by name."""


class AppList(Page[App]):
    """Connected apps, by name."""


class FlagList(Page[Flag]):
    """Flags, the worst first."""


class OrderList(Page[Order]):
    """Orders, the latest first."""


class EventList(Page[Event]):
    """Events of the log."""
