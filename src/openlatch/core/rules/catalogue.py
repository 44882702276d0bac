"""The facts that a condition can speak of: what each is called, what it can be, and what it says.

A column is a fact that is kept; a field is what a condition calls it, or something worked out from columns. Inside a
condition over entries the same fields are reached through the name given to the entry: e.kind, e.party.name.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from types import MappingProxyType

from openlatch.core.powers import ADMITTING, MONEY, ORDER, weighty
from openlatch.core.rules.tree import (
    All,
    Among,
    Column,
    Count,
    Either,
    First,
    Greatest,
    Group,
    Has,
    Least,
    Node,
    Not,
    Only,
    Sign,
    Size,
    Sum,
    Type,
    When,
)
from openlatch.words import Criticality, Kind, PartyKind, PartyStatus, Power, State

__all__ = ["BITS", "COLUMNS", "FIELDS", "WORDS", "Field", "mask"]

BITS: Mapping[Power, int] = MappingProxyType({power: 1 << place for place, power in enumerate(ORDER)})
"""The bit of each power in a column of powers."""


def mask(powers: Iterable[Power]) -> int:
    """Return the bits of some powers."""
    return sum(BITS[power] for power in set(powers))


@dataclass(frozen=True, slots=True)
class Field:
    """What a condition calls a fact, how it is come by, and what it says."""

    path: str
    node: Node
    says: str

    @property
    def type(self) -> Type:
        return self.node.type


def _column(path: str, kind: Type, says: str, *, maybe: bool = False) -> Field:
    return Field(path, Column(kind, path.replace(".", "_"), maybe), says)


def _time(path: str, says: str) -> Field:
    return _column(path, Type.TIME, says, maybe=True)


_KEPT = (
    _column("entry.ref", Type.STRING, "its short form"),
    _column("entry.kind", Type.STRING, "delegate, grant, app, session, offer, secret or open"),
    _column("entry.state", Type.STRING, "offered, live, paused or ending; what has ended is not looked at"),
    _column("entry.level", Type.STRING, "the provider's own name for what was given"),
    _column("entry.powers", Type.POWERS, "what it lets its party do"),
    _column(
        "entry.powers_through_teams",
        Type.POWERS,
        "what its party can do on the whole of this account through teams that it is in, however deep",
    ),
    _column("entry.permissions", Type.STRINGS, "permissions in the provider's own words"),
    _column("entry.unknown", Type.STRINGS, "those of its words whose meaning is not known"),
    _column("entry.resources", Type.STRINGS, "the parts of the account that it is limited to; empty for all of it"),
    _time("entry.given_at", "when it was given"),
    _column("entry.given_by", Type.STRING, "who gave it; empty if not known"),
    _time("entry.accepted_at", "when it was accepted"),
    _time("entry.last_used", "when it was used last; absent if never, or if the provider does not tell"),
    _column("entry.use_known", Type.BOOL, "whether the provider tells when it was used"),
    _column("entry.uses_known", Type.BOOL, "whether the provider tells the uses of its powers apart"),
    *(_time(f"entry.uses.{power}", f"when its power {power} was used last") for power in ORDER),
    _time("entry.ends_at", "when it ends; absent if never, or if the end could not be read"),
    _column("entry.end_unknown", Type.BOOL, "whether it has an end that could not be read"),
    _column("entry.has_hours", Type.BOOL, "whether it holds in weekly hours only"),
    _time("entry.reviewed_at", "when it was reviewed last"),
    _time("entry.unanswered_at", "when a review last asked about it and nobody answered"),
    _column("entry.basis", Type.STRING, "why it was given; empty if nobody said"),
    _column("entry.hangs_on", Type.BOOL, "whether it cannot be used without another entry"),
    _column("entry.dependencies", Type.INT, "how many things would stop with it, such as payments"),
    _column("entry.device", Type.STRING, "the device of a session"),
    _column("entry.network", Type.STRING, "the network it is used from, or limited to"),
    _time("entry.first_seen", "when a reading showed it first"),
    _column("entry.by_hand", Type.BOOL, "whether it is recorded by hand, since no reading shows it"),
    _time("entry.vouched_at", "when someone last vouched for it"),
    _column("account.ref", Type.STRING, "its short form"),
    _column("account.name", Type.STRING, "its name"),
    _column("account.criticality", Type.STRING, "minor, normal or vital"),
    _column("account.practice", Type.BOOL, "whether it is for practice only"),
    _column(
        "account.locked",
        Type.BOOL,
        "whether its lock keeps it from being open to anyone; absent if it has none",
        maybe=True,
    ),
    _column("account.tags", Type.STRINGS, "the policy's tags on it"),
    _column("party.ref", Type.STRING, "its short form"),
    _column("party.kind", Type.STRING, "person, team, app or anyone"),
    _column("party.name", Type.STRING, "its name"),
    _column("party.addresses", Type.STRINGS, "its addresses"),
    _column("party.status", Type.STRING, "current, left or unknown"),
    _column("party.verified", Type.BOOL, "whether the provider has verified who it is"),
    _column("party.service", Type.BOOL, "whether it is a service account: a program signs in with it, and no person"),
    _column("party.outside", Type.BOOL, "whether it is outside the circle"),
    _column("party.publisher", Type.STRING, "who publishes an app; empty if not known"),
    _column("party.near", Type.STRING, "the known address that its own comes close to", maybe=True),
    _column("party.near_how", Type.STRING, "how close it comes", maybe=True),
    _column("party.reported", Type.STRING, "what a provider has reported of it by a security event", maybe=True),
    _time("party.reported_at", "when that happened"),
    _column("party.tags", Type.STRINGS, "the policy's tags on it"),
    _column("provider.name", Type.STRING, "its name"),
    _column("provider.past_end", Type.STRING, "what an end does there that it does not enforce", maybe=True),
    _column("provider.by_hand", Type.BOOL, "whether all that is known of it is recorded by hand"),
    _column("provider.vouch_for", Type.DURATION, "how long vouching for an entry counts"),
)
_OVERLAID = (
    Column(Type.STRING, "account_id"),
    Column(Type.STRING, "party_id"),
    Column(Type.TIME, "account_over", maybe=True),
    Column(Type.TIME, "party_over", maybe=True),
)
"""Columns that no condition names itself."""

COLUMNS: Mapping[str, Column] = MappingProxyType(
    {column.name: column for column in (*(f.node for f in _KEPT), *_OVERLAID) if isinstance(column, Column)}
)
"""Every column there is, by name."""
_AT: Mapping[str, Node] = MappingProxyType({f.path: f.node for f in _KEPT})


def _has_any(powers: Iterable[Power]) -> Node:
    return Either(tuple(Has(_AT["entry.powers"], power) for power in ORDER if power in set(powers)))


def _is(path: str, *words: str) -> Node:
    return Among(_AT[path], words)


def _no(count: Node) -> Node:
    return Sign("==", Sum(Type.INT, ((1, count),), 0, 0))


_started = First(Type.TIME, (_AT["entry.accepted_at"], _AT["entry.given_at"]))
_lets_in = _is("entry.state", State.LIVE.value, State.ENDING.value)
_standing = Among(_AT["entry.kind"], (Kind.DELEGATE.value, Kind.GRANT.value))
_used = tuple(
    When(Type.TIME, Has(_AT["entry.powers"], p), First(Type.TIME, (_AT[f"entry.uses.{p}"], _started))) for p in ORDER
)
_money_used = tuple(_AT[f"entry.uses.{p}"] for p in ORDER if p in MONEY)
_anyone = Not(_is("entry.kind", Kind.SESSION.value, Kind.OPEN.value, Kind.OFFER.value))

_DERIVED = (
    Field("entry.lets_in", _lets_in, "whether it can be used now"),
    Field("entry.money", _has_any(MONEY), "whether it can spend or withdraw"),
    Field("entry.admits", _has_any(ADMITTING), "whether it can admit others, or hand over the account"),
    Field("entry.heavy", _has_any(MONEY | ADMITTING), "whether it can do either: move money, or admit"),
    Field(
        "entry.heavy_powers",
        When(Type.POWERS, _has_any(MONEY | ADMITTING), Only(_AT["entry.powers"], weighty(ORDER))),
        "which of its powers move money or admit; absent if none",
    ),
    Field("entry.started", _started, "when it was accepted, or else given"),
    Field(
        "entry.idle_since",
        When(Type.TIME, _AT["entry.use_known"], First(Type.TIME, (_AT["entry.last_used"], _started))),
        "when it was used last, or else began; absent if the provider does not tell",
    ),
    Field(
        "entry.least_used",
        When(Type.TIME, _AT["entry.uses_known"], Least(Type.TIME, _used)),
        "when that of its powers was used last that has been idle longest, or else began",
    ),
    Field(
        "entry.money_idle_since",
        When(
            Type.TIME,
            All((_AT["entry.uses_known"], _has_any(MONEY))),
            First(Type.TIME, (Greatest(Type.TIME, _money_used), _started)),
        ),
        "when it moved money last, or else began; only where it can, and the provider tells",
    ),
    Field(
        "entry.over_at",
        Least(Type.TIME, (COLUMNS["account_over"], COLUMNS["party_over"])),
        "when what it was for was over, by the policy's tags on its account or its party",
    ),
    Field(
        "entry.alike",
        Count(Group.PAIR, All((_standing, _no(Size(_AT["entry.resources"]))))),
        "how many delegate entries and grants its party holds directly on the whole of this account, at this level",
    ),
    Field(
        "account.shared_with",
        Count(Group.ACCOUNT, _anyone, "party_id"),
        "with how many parties it is shared, sessions and offers left out",
    ),
    Field(
        "account.administrators",
        Count(
            Group.ACCOUNT,
            All((_lets_in, _anyone, _has_any(ADMITTING))),
            "party_id",
        ),
        "how many parties can admit others, or hand it over",
    ),
    Field("party.on_accounts", Count(Group.PARTY, _anyone, "account_id"), "on how many accounts it is"),
)

FIELDS: Mapping[str, Field] = MappingProxyType({field.path: field for field in (*_KEPT, *_DERIVED)})
"""Every field there is, by its path."""

WORDS: Mapping[str, tuple[str, ...]] = MappingProxyType(
    {
        "entry.kind": tuple(Kind),
        "entry.state": tuple(state for state in State if state is not State.ENDED),
        "account.criticality": tuple(Criticality),
        "party.kind": tuple(PartyKind),
        "party.status": tuple(PartyStatus),
    }
)
"""The only texts that some fields can be, so that a condition that asks for another is refused."""
