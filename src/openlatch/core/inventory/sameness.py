"""Whether two parties are one: what an address says of that, and which parties are perhaps the same.

Nothing here joins anyone. `reconcile` asks `identifies` before it takes an address for a person; what is left in doubt
is put to someone by `perhaps`, with the reasons, and their verdict is kept.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from itertools import combinations
from typing import Any
from uuid import UUID

from openlatch.core.ids import ref_of
from openlatch.core.model import Author, Circle, Party, is_mailbox, normal_address
from openlatch.words import Doubt, PartyKind, Resemblance, Verdict

__all__ = [
    "Decision",
    "Key",
    "Known",
    "Likeness",
    "Reason",
    "identifies",
    "is_role",
    "meant",
    "perhaps",
]

_NAMES = (
    "info marketing sales support abuse noc security postmaster hostmaster usenet news webmaster www uucp ftp "
    "admin administrator root office mail contact hello team staff all everyone billing accounts accounting "
    "finance invoices payments orders booking bookings reservations help helpdesk service services it hr jobs "
    "careers legal press media privacy noreply no-reply donotreply do-not-reply newsletter events reception "
    "secretary treasurer works shared test"
)
_ROLES = frozenset(_NAMES.split())


@dataclass(frozen=True, slots=True)
class Key:
    """A party as one provider knows it: the key, with the name and the addresses that go with it there."""

    provider_id: UUID
    key: str
    name: str = ""
    addresses: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Known:
    """A party with all that it is known by at providers; what people have written down is not among it."""

    party: Party
    keys: tuple[Key, ...] = ()


@dataclass(frozen=True, slots=True)
class Reason:
    """Something that two parties have in common, and for an address why that does not settle it."""

    what: Resemblance
    value: str
    doubt: Doubt | None = None

    def said(self) -> str:
        """Return the reason as a sentence."""
        if self.what is Resemblance.ADDRESS:
            return f"Both have the address {self.value}{_DOUBTS[self.doubt] if self.doubt else ''}."
        return f"{_ALIKE[self.what]} {self.value}."


_DOUBTS = {
    Doubt.HANDLE: ", which may be someone else's at another provider",
    Doubt.ROLE: ", which belongs to a role: several people may use it",
    Doubt.UNCONFIRMED: ", which is outside your circle and is not confirmed for both of them",
}
_ALIKE = {
    Resemblance.HOME: "Both have the home page",
    Resemblance.PUBLISHER: "Both are published by",
    Resemblance.KEY: "Both are known at their provider as",
    Resemblance.NAME: "Both have the name",
}


@dataclass(frozen=True, slots=True)
class Likeness:
    """Two parties that are perhaps the same, with the reasons; the first is the one that was known before."""

    one: UUID
    other: UUID
    reasons: tuple[Reason, ...]


@dataclass(frozen=True, slots=True)
class Decision:
    """What someone has said of two parties, and whether that was undone since; `before` is what undoing needs."""

    id: UUID
    one: UUID
    other: UUID
    verdict: Verdict
    reason: str
    by: Author
    at: datetime
    before: Mapping[str, Any] = field(default_factory=dict)
    undone_by: Author | None = None
    undone_at: datetime | None = None

    @property
    def ref(self) -> str:
        return ref_of(self.id)


def is_role(address: str) -> bool:
    """Return whether an address is that of a role rather than of a person, as far as it says itself."""
    local, at, _ = normal_address(address).rpartition("@")
    return bool(at) and local.partition("+")[0] in _ROLES


def identifies(address: str, kind: PartyKind, circle: Circle, *, confirmed: bool) -> bool:
    """Return whether an address says who its one party is, wherever that is met; `confirmed` if that was shown of all.

    Everyone at a domain (`@example.org`) is the same team everywhere; a handle means someone at its own provider only.
    """
    local, at, domain = normal_address(address).rpartition("@")
    if kind is PartyKind.TEAM and at and not local:
        return True
    return is_mailbox(address) and not is_role(address) and (confirmed or domain in circle.domains)


def meant(carriers: Iterable[Known]) -> UUID | None:
    """Return the party that an address means, of all that carry it: the only one, or else the only confirmed one.

    None if nobody can say: several are confirmed, or one provider shows it with several keys.
    """
    every = list(carriers)
    at = [key.provider_id for acquaintance in every for key in acquaintance.keys]
    if len(every) > 1 and len(at) == len(set(at)):
        every = [acquaintance for acquaintance in every if acquaintance.party.verified]
    return every[0].party.id if len(every) == 1 else None


def perhaps(known: Iterable[Known], circle: Circle, apart: Collection[frozenset[UUID]] = ()) -> tuple[Likeness, ...]:
    """Return the parties that are perhaps the same, two by two, those with the strongest reasons first.

    Never two that one provider knows by two keys: these are two. What several at one provider have in common says
    nothing of who they are. `apart` are pairs of which someone has said that they are two.
    """
    every = {
        acquaintance.party.id: acquaintance for acquaintance in known if acquaintance.party.kind is not PartyKind.ANYONE
    }
    reasons_by_key: dict[frozenset[UUID], list[Reason]] = {}
    for what, value, ids in _in_common(every.values()):
        for pair in map(frozenset, combinations(ids, 2)):
            doubt = _doubt(value, [every[i].party for i in pair], circle) if what is Resemblance.ADDRESS else None
            reasons_by_key.setdefault(pair, []).append(Reason(what, value, doubt))
    alike = []
    for pair, reasons in reasons_by_key.items():
        first, second = sorted(pair)
        if pair not in apart and _enough(every[first].party, every[second].party, reasons):
            alike.append(Likeness(first, second, tuple(sorted(reasons, key=_weight))))
    return tuple(sorted(alike, key=lambda likeness: (_weight(likeness.reasons[0]), likeness.one, likeness.other)))


_WEIGHTS = list(Resemblance)


def _weight(reason: Reason) -> tuple[int, int, str]:
    return _WEIGHTS.index(reason.what), reason.doubt is Doubt.ROLE, reason.value


def _in_common(every: Iterable[Known]) -> Iterable[tuple[Resemblance, str, list[UUID]]]:
    """What several parties of one kind have in common, none of them at the same provider as another."""
    groups: defaultdict[tuple[PartyKind, Resemblance, str], dict[UUID, tuple[Known, str]]] = defaultdict(dict)
    for acquaintance in every:
        for what, value in _marks(acquaintance):
            groups[acquaintance.party.kind, what, _plain(value)][acquaintance.party.id] = acquaintance, value
    for (_, what, _), group in groups.items():
        places = [{key.provider_id for key in each_acquaintance.keys} for each_acquaintance, _ in group.values()]
        if len(group) > 1 and sum(map(len, places)) == len(set().union(*places)):
            yield what, group[min(group)][1], sorted(group)


def _marks(acquaintance: Known) -> Iterable[tuple[Resemblance, str]]:
    """What a party may have in common with another."""
    party = acquaintance.party
    yield from ((Resemblance.ADDRESS, address) for address in party.addresses)
    if party.kind is PartyKind.APP:
        yield from ((Resemblance.HOME, home) for home in {party.home.strip().rstrip("/")} - {""})
        yield from ((Resemblance.PUBLISHER, name) for name in {party.publisher} - {""})
        yield from ((Resemblance.KEY, key.key) for key in acquaintance.keys)
    if party.name and (party.kind is PartyKind.APP or " " in party.name.strip()):
        yield Resemblance.NAME, party.name


def _plain(text: str) -> str:
    """A name, an address or a page in the form in which two spellings of it are equal."""
    return " ".join(text.split()).casefold()


def _doubt(address: str, pair: Iterable[Party], circle: Circle) -> Doubt | None:
    if not is_mailbox(address):
        return Doubt.HANDLE
    if is_role(address):
        return Doubt.ROLE
    every = list(pair)
    kind, confirmed = every[0].kind, all(party.verified for party in every)
    return None if identifies(address, kind, circle, confirmed=confirmed) else Doubt.UNCONFIRMED


def _enough(the_party: Party, other: Party, reasons: Iterable[Reason]) -> bool:
    """Whether these reasons are worth a person's time."""
    what = {reason.what for reason in reasons}
    if what & {Resemblance.ADDRESS, Resemblance.HOME}:
        return True
    if the_party.kind is PartyKind.APP:
        return len(what) > 1
    # A name alone says little of two who are each known by an address.
    return not all(any(map(is_mailbox, party.addresses)) for party in (the_party, other))
