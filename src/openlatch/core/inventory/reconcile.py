"""What one reading of a provider changes in the inventory.

A connector reports what it observed; `reconcile` compares that with what is stored and returns the difference.
Only a complete reading can conclude that an entry is gone, and a reading of some subjects only within these.
"""

from __future__ import annotations

import hashlib
from collections import ChainMap, Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from uuid import UUID

import orjson

from openlatch.core.inventory.sameness import identifies
from openlatch.core.model import Account, Circle, Entry, Membership, Party, normal_address
from openlatch.core.powers import in_order
from openlatch.core.providers.meaning import Vocabulary
from openlatch.core.providers.observation import WRITTEN, Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.core.waits import doubling
from openlatch.words import EndReason, PartyKind, PartyStatus, Power, ReadingOutcome, State

__all__ = [
    "EVERYBODY",
    "Changes",
    "Held",
    "Identifier",
    "again_after",
    "reconcile",
    "salt",
    "shared",
    "withheld",
]

HANDFUL = 5
"""So many entries may vanish at once from any provider, however small."""

CLOCKS_DIFFER = timedelta(hours=12)
"""A provider's clock may be ahead by that much; a use later than that would keep an access from ever growing stale."""

FAR_YEAR = 9000
"""An end in this year or later is a provider's way of writing "no end"."""


@dataclass(frozen=True, slots=True)
class Identifier:
    """One name under which a party is known: an address, or a provider's own key for it.

    `scheme` is "address" or the provider's id; two parties never share an identifier, and no party but anyone has two
    keys of one provider, besides what people have written down. An address that several parties carry is "shared" too,
    and says nothing of who someone is.
    """

    scheme: str
    value: str


@dataclass(frozen=True, slots=True)
class Held:
    """The stored inventory that a reading is compared with: one provider's, without what has ended."""

    provider_id: UUID
    accounts: Mapping[str, Account] = field(default_factory=dict)
    parties: Mapping[UUID, Party] = field(default_factory=dict)
    identifiers: Mapping[Identifier, UUID] = field(default_factory=dict)
    entries: Mapping[str, Entry] = field(default_factory=dict)
    memberships: Iterable[Membership] = ()
    vocabulary: Vocabulary = field(default_factory=Vocabulary)
    circle: Circle = field(default_factory=Circle)
    written: frozenset[UUID] = frozenset()
    """the parties that no provider knows: people have written down who they are"""
    ending: Mapping[UUID, EndReason] = field(default_factory=dict)
    """why entries are being ended, by the orders that are in progress"""
    signing_in: Mapping[str, UUID] = field(default_factory=dict)
    """the people who sign in to Open Latch, by their addresses"""
    says_who: bool = False
    """whether this provider's word on who people are goes before that of all others"""
    told: frozenset[UUID] = frozenset()
    """the parties of whom another provider says who they are, and its word goes first"""
    left_out: int = 0
    """how many more entries there are that were seen just as they were, and so are in neither"""


@dataclass(frozen=True, slots=True)
class Changes:
    """What has to be stored after a reading; pairs are (before, after)."""

    new_accounts: tuple[Account, ...] = ()
    changed_accounts: tuple[tuple[Account, Account], ...] = ()
    new_parties: tuple[Party, ...] = ()
    changed_parties: tuple[tuple[Party, Party], ...] = ()
    new_identifiers: tuple[tuple[Identifier, UUID], ...] = ()
    parted: tuple[tuple[Identifier, UUID], ...] = ()
    """keys that were one party with another key of their provider, and are one of their own now"""
    new_entries: tuple[Entry, ...] = ()
    changed_entries: tuple[tuple[Entry, Entry], ...] = ()
    gone: tuple[tuple[Entry, Entry], ...] = ()
    new_memberships: tuple[Membership, ...] = ()
    gone_memberships: tuple[Membership, ...] = ()
    unchanged: tuple[Entry, ...] = ()
    """seen again just as they were: only when they were last seen has to be stored"""

    @property
    def touched(self) -> tuple[Entry, ...]:
        """The entries, as they are now, whose flags have to be looked at again."""
        return (*self.new_entries, *(after for _, after in self.changed_entries), *(after for _, after in self.gone))


def salt(vocabulary: Vocabulary) -> bytes:
    """Return what digests of entries are salted with: other meanings of the same words are another observation."""
    words = [sorted(words.items()) for words in (vocabulary.built_in, vocabulary.corrected)]
    return hashlib.blake2b(orjson.dumps(words), digest_size=16).digest()


def again_after(failures: int) -> timedelta:
    """Return how soon a provider is read again after so many readings in a row that were not complete."""
    return doubling(failures, timedelta(minutes=1), timedelta(minutes=64))


def withheld(held: Held, observation: Observation, most_gone: int, *, discreet: bool = False) -> int:
    """Return how many entries a complete observation would end, if that is more than may vanish at once, else 0.

    `most_gone` is a percentage of the stored entries; a handful may always go. Of a `discreet` provider, never all:
    perhaps it only tells us nothing any more.
    """
    if observation.outcome is not ReadingOutcome.COMPLETE:
        return 0
    shown = {e.key for e in observation.entries}
    seen = [e for e in held.entries.values() if not e.by_hand]
    gone = sum(e.key not in shown and e.state is not State.ENDING for e in seen)
    if discreet and gone and gone == len(seen) + held.left_out:
        return gone
    return gone if gone > HANDFUL and gone * 100 > (len(seen) + held.left_out) * most_gone else 0


def reconcile(
    held: Held,
    observation: Observation,
    *,
    now: datetime,
    new_id: Callable[[], UUID],
    subjects: Collection[str] | None = None,
) -> Changes:
    """Return what an observation without complaints changes in the stored inventory.

    With `subjects` (a provider's party keys) the observation covers these parties only, and so do its conclusions.
    """
    accounts, new_accounts, changed_accounts = _accounts(held, observation.accounts, new_id)
    parties, new_parties, changed_parties, identifiers, parted = _parties(held, observation.parties, new_id)
    new_entries: list[Entry] = []
    changed: list[tuple[Entry, Entry]] = []
    unchanged: list[Entry] = []
    seen: set[str] = set()
    for observed in observation.entries:
        seen.add(observed.key)
        before = held.entries.get(observed.key)
        owners = (accounts[observed.account], parties[observed.party])
        after = _entry(observed, before, before.id if before else new_id(), held, *owners, now)
        if before is None:
            new_entries.append(after)
        elif after == replace(before, last_seen=now):
            unchanged.append(after)
        else:
            changed.append((before, replace(after, version=before.version + 1)))
    gone = [
        (e, _ended(e, held.ending.get(e.id), now))
        for e in _conclusive(held, observation, subjects)
        if e.key not in seen
    ]
    joined, left = _memberships(held, observation, parties, now, new_id, subjects)
    return Changes(
        new_accounts=tuple(new_accounts),
        changed_accounts=tuple(changed_accounts),
        new_parties=tuple(new_parties),
        changed_parties=tuple(changed_parties),
        new_identifiers=tuple(identifiers),
        parted=tuple(parted),
        new_entries=tuple(new_entries),
        changed_entries=tuple(changed),
        gone=tuple(gone),
        new_memberships=joined,
        gone_memberships=left,
        unchanged=tuple(unchanged),
    )


def _memberships(
    held: Held,
    observation: Observation,
    parties: Mapping[str, UUID],
    now: datetime,
    new_id: Callable[[], UUID],
    subjects: Collection[str] | None,
) -> tuple[tuple[Membership, ...], tuple[Membership, ...]]:
    """The memberships that are new, and those that are gone, under the same rule as entries."""
    before = {(m.team_id, m.member_id): m for m in held.memberships}
    shown = {(parties[m.team], parties[m.member]): m for m in observation.memberships}
    new = [
        Membership(new_id(), held.provider_id, *pair, membership.since, how=membership.how)
        for pair, membership in shown.items()
        if pair not in before
    ]
    if observation.outcome is not ReadingOutcome.COMPLETE:
        return tuple(new), ()
    about = _about(held, subjects)
    gone = [
        replace(each_membership, ended_at=now)
        for pair, each_membership in before.items()
        if pair not in shown and (about is None or each_membership.member_id in about)
    ]
    return tuple(new), tuple(gone)


def _conclusive(held: Held, observation: Observation, subjects: Collection[str] | None) -> Iterable[Entry]:
    """The stored entries about which the observation's silence says something: none of those kept by hand."""
    if observation.outcome is not ReadingOutcome.COMPLETE:
        return ()
    seen = (entry for entry in held.entries.values() if not entry.by_hand)
    about = _about(held, subjects)
    return seen if about is None else (entry for entry in seen if entry.party_id in about)


def _about(held: Held, subjects: Collection[str] | None) -> set[UUID] | None:
    """The parties that an observation covers; None for all."""
    if subjects is None:
        return None
    known = (held.identifiers.get(Identifier(str(held.provider_id), subject)) for subject in subjects)
    return {party_id for party_id in known if party_id is not None}


def _ended(before: Entry, ordered: EndReason | None, now: datetime) -> Entry:
    if before.state is State.ENDING:
        reason = ordered or EndReason.REVOKED
    elif before.ends_at is not None and before.ends_at <= now:
        reason = EndReason.EXPIRED
    else:
        reason = EndReason.GONE
    return before.ended(reason, now)


def _accounts(
    held: Held, observed: Iterable[ObservedAccount], new_id: Callable[[], UUID]
) -> tuple[dict[str, UUID], list[Account], list[tuple[Account, Account]]]:
    ids = {key: account.id for key, account in held.accounts.items()}
    new: list[Account] = []
    changed: list[tuple[Account, Account]] = []
    for observed_account in observed:
        before = held.accounts.get(observed_account.key)
        if before is None:
            account = Account(
                id=new_id(),
                provider_id=held.provider_id,
                key=observed_account.key,
                name=observed_account.name,
                criticality=observed_account.criticality,
                practice=observed_account.practice,
                locked=observed_account.locked,
            )
            ids[observed_account.key] = account.id
            new.append(account)
            continue
        # Criticality and practice are the holder's to correct, so a later reading leaves them alone.
        if (before.name, before.locked) != (observed_account.name, observed_account.locked):
            after = replace(
                before, name=observed_account.name, locked=observed_account.locked, version=before.version + 1
            )
            changed.append((before, after))
    return ids, new, changed


EVERYBODY = Identifier("anyone", "anyone")
"""Anyone is one party, whichever provider is open to them."""


def shared(address: str) -> Identifier:
    """Return what says that an address is carried by several parties."""
    return Identifier("shared", normal_address(address))


class _Keys:
    """Whose the keys and addresses are that a provider shows."""

    def __init__(self, held: Held, observed: Sequence[ObservedParty]) -> None:
        self.held = held
        self.known = dict(held.identifiers)
        self.scheme = str(held.provider_id)
        mine = sorted(name.value for name in self.known if name.scheme == self.scheme)
        self.ids = {key: self.known[Identifier(self.scheme, key)] for key in mine}
        mine = [key for key in mine if not key.startswith(WRITTEN)]
        self.keeps: dict[UUID, str] = {}
        """the one key of this provider that each party has: the first by its order, where it had several"""
        for key in mine:
            self.keeps.setdefault(self.ids[key], key)
        shown = [party for party in observed if not party.key.startswith(WRITTEN)]
        carried = Counter(a for party in shown for a in {normal_address(a) for a in party.addresses})
        self.twice = {address for address, keys in carried.items() if keys > 1}
        self.new: list[tuple[Identifier, UUID]] = []

    def name(self, identifier: Identifier, party_id: UUID) -> None:
        if identifier not in self.known:
            self.known[identifier] = party_id
            self.new.append((identifier, party_id))

    def whose(self, party: ObservedParty, parties: Mapping[UUID, Party]) -> UUID | None:
        """Return the known party of that key, or the one that the addresses identify; None if there is none."""
        party_id = self.ids.get(party.key)
        written = party.key.startswith(WRITTEN)
        if party.kind is PartyKind.ANYONE:
            return party_id or self.known.get(EVERYBODY)
        if party_id is not None:
            return party_id if written or self.keeps[party_id] == party.key else None
        met = {there for a in party.addresses if (there := self._identified(a, party, parties)) is not None}
        return met.pop() if len(met) == 1 else None

    def _identified(self, address: str, party: ObservedParty, parties: Mapping[UUID, Party]) -> UUID | None:
        """The party that is the observed one, going by an address of both; None if the address does not tell."""
        normal = normal_address(address)
        there = self.known.get(Identifier("address", normal))
        if there is None or normal in self.twice or shared(normal) in self.known:
            return None
        if party.key.startswith(WRITTEN):
            return there
        known = parties.get(there)
        if there in self.keeps or known is None or known.kind is not party.kind:
            return None
        confirmed = party.verified and (known.verified or there in self.held.written)
        return there if identifies(normal, party.kind, self.held.circle, confirmed=confirmed) else None

    def carries(self, address: str, party_id: UUID, *, written: bool) -> None:
        """Keep that a party carries an address, and that it is shared where another one does too."""
        first = self.known.get(Identifier("address", address))
        if first not in (None, party_id) or (address in self.twice and not written):
            self.name(shared(address), party_id)
        self.name(Identifier("address", address), party_id)


def _parties(
    held: Held, observed: Sequence[ObservedParty], new_id: Callable[[], UUID]
) -> tuple[
    dict[str, UUID],
    list[Party],
    list[tuple[Party, Party]],
    list[tuple[Identifier, UUID]],
    list[tuple[Identifier, UUID]],
]:
    keys = _Keys(held, observed)
    current = dict(held.parties)
    new: dict[UUID, Party] = {}
    parted: list[tuple[Identifier, UUID]] = []
    for observed_party in observed:
        # The provider's own key decides; second an equal address, if it identifies; a merely similar one never.
        party_id = keys.whose(observed_party, ChainMap(new, current))
        if party_id is None:
            party_id = new_id()
            new[party_id] = _met(held, party_id, observed_party)
            if observed_party.kind is PartyKind.ANYONE:
                keys.name(EVERYBODY, party_id)
        own = Identifier(keys.scheme, observed_party.key)
        if own in keys.known and keys.known[own] != party_id:
            parted.append((own, party_id))
        keys.name(own, party_id)
        keys.ids[observed_party.key] = party_id
        if not observed_party.key.startswith(WRITTEN):
            keys.keeps.setdefault(party_id, observed_party.key)
        for address in map(normal_address, observed_party.addresses):
            keys.carries(address, party_id, written=observed_party.key.startswith(WRITTEN))
        party = new.get(party_id) or current.get(party_id)
        if party is not None:
            merged = _merged(party, observed_party, first=held.says_who, last=party_id in held.told)
            sponsor = normal_address(observed_party.sponsor)
            # Nobody answers for themselves.
            if held.says_who and sponsor in held.signing_in and sponsor not in map(normal_address, merged.addresses):
                merged = replace(merged, sponsor=held.signing_in[sponsor])
            if party_id in new:
                new[party_id] = merged
            else:
                current[party_id] = merged
    changed = [
        (before, replace(current[i], version=before.version + 1))
        for i, before in held.parties.items()
        if current[i] != before
    ]
    return keys.ids, list(new.values()), changed, keys.new, parted


def _met(held: Held, party_id: UUID, observed_party: ObservedParty) -> Party:
    """Return a party that is new; a login of a program is a service account, unless somebody here has its address."""
    own = observed_party.service and not any(normal_address(a) in held.signing_in for a in observed_party.addresses)
    party = Party(party_id, observed_party.kind, observed_party.name, observed_party.addresses)
    return replace(party, service=True) if own else party


def _merged(party: Party, observed_party: ObservedParty, *, first: bool, last: bool) -> Party:
    """Add what a provider knows about a party to what is known already; several providers may list the same one.

    What the `first` says counts before all else; the `last` only adds what nobody has said.

    Whoever was known before, with an address, may be a person who lends a login to a program; and what someone has said
    of that goes first.
    """
    have = {normal_address(a) for a in party.addresses}
    more = tuple(a for a in observed_party.addresses if normal_address(a) not in have)
    silent = observed_party.status is PartyStatus.UNKNOWN or (last and party.status is not PartyStatus.UNKNOWN)
    status = party.status if silent else observed_party.status
    addresses = party.addresses + more
    if first:
        own = {normal_address(a) for a in observed_party.addresses}
        addresses = observed_party.addresses + tuple(a for a in party.addresses if normal_address(a) not in own)
    logs_in = _is_login(party.name, addresses) and not _is_login(observed_party.name, addresses)
    named = (bool(party.name) and (last or not logs_in) and not first) or not observed_party.name
    return replace(
        party,
        addresses=addresses,
        status=status,
        verified=party.verified or observed_party.verified,
        name=party.name if named else observed_party.name,
        publisher=observed_party.publisher or party.publisher,
        home=observed_party.home or party.home,
        service=True if party.service is None and observed_party.service and not addresses else party.service,
    )


def _is_login(name: str, addresses: Iterable[str]) -> bool:
    """Whether a name is only what its party signs in with: ines.okoro or ines_okoro, of ines.okoro@example.org."""

    def letters(text: str) -> str:
        return "".join(filter(str.isalnum, text.casefold()))

    known = {letters(text) for address in addresses for text in (address, address.rpartition("@")[0]) if text}
    return " " not in name.strip() and letters(name) in known


def _entry(
    observed: ObservedEntry,
    before: Entry | None,
    entry_id: UUID,
    held: Held,
    account_id: UUID,
    party_id: UUID,
    now: datetime,
) -> Entry:
    """The stored form of an observed entry, keeping what only Open Latch knows about it."""
    shown_use = _believed(observed.last_used, now)
    used = [t for t in (shown_use, before.last_used if before else None) if t is not None]
    state = observed.state
    if before is not None and before.state is State.ENDING:
        # An order is in progress; that a reading still sees the entry does not cancel it.
        state = State.ENDING
    no_end = observed.ends_at is not None and observed.ends_at.year >= FAR_YEAR
    reviews = {*observed.reviewed_at, *(before.reviewed_at if before else ())}
    means = held.vocabulary.meaning(observed.level, observed.permissions, observed.powers)
    return Entry(
        id=entry_id,
        provider_id=held.provider_id,
        account_id=account_id,
        party_id=party_id,
        key=observed.key,
        kind=observed.kind,
        level=observed.level,
        powers=means.powers,
        subject=observed.party,
        state=state,
        permissions=observed.permissions,
        stated=None if observed.powers is None else in_order(observed.powers),
        unknown=means.unknown,
        resources=observed.resources,
        given_at=observed.given_at or (before.given_at if before else None),
        given_by=observed.given_by or (before.given_by if before else ""),
        given_by_id=before.given_by_id if before and observed.given_by in ("", before.given_by) else None,
        accepted_at=observed.accepted_at or (before.accepted_at if before else None),
        last_used=max(used, default=None),
        # A use that cannot be is no knowledge: neither of a use, nor of there having been none.
        use_known=(observed.use_known and (shown_use is None) == (observed.last_used is None)) or bool(used),
        uses=_latest_uses(_believed_uses(observed.uses, now), before.uses if before else None),
        ends_at=None if no_end else observed.ends_at,
        end_unknown=observed.end_unknown,
        hours=observed.hours,
        reviewed_at=tuple(sorted(reviews)),
        basis=observed.basis or (before.basis if before else ""),
        hangs_on=observed.hangs_on,
        dependencies=observed.dependencies,
        device=observed.device,
        network=observed.network,
        first_seen=before.first_seen if before else now,
        last_seen=now,
        by_hand=observed.by_hand,
        vouched_at=before.vouched_at if before else None,
        vouched_by=before.vouched_by if before else "",
        version=before.version if before else 1,
    )


def _believed(use: datetime | None, now: datetime) -> datetime | None:
    """When something was used, by a provider's clock that may be ahead: a little is now, more is not believed."""
    if use is None or use <= now:
        return use
    return now if use - now <= CLOCKS_DIFFER else None


def _believed_uses(uses: Mapping[Power, datetime] | None, now: datetime) -> Mapping[Power, datetime] | None:
    if uses is None:
        return None
    believed = ((power, _believed(at, now)) for power, at in uses.items())
    return {power: at for power, at in believed if at is not None}


def _latest_uses(
    shown: Mapping[Power, datetime] | None, before: Mapping[Power, datetime] | None
) -> Mapping[Power, datetime] | None:
    """When each power was used last; what a provider no longer remembers is not forgotten here."""
    if shown is None or before is None:
        return shown if before is None else before
    return {p: max(at for at in (shown.get(p), before.get(p)) if at is not None) for p in in_order({*shown, *before})}
