"""Parties, and the identifiers under which they are known."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import ColumnElement, Text, func, literal_column, or_, select, text, update

from openlatch.core.inventory.reconcile import Identifier, shared
from openlatch.core.inventory.sameness import Key, Known, meant
from openlatch.core.model import Party, normal_address
from openlatch.core.providers.observation import WRITTEN, ObservedParty
from openlatch.errors import Changed, Invalid
from openlatch.store.bulk import add_rows, change_rows
from openlatch.store.codec import Codec
from openlatch.store.inventory.rows import EntryRow, IdentifierRow, PartyRow
from openlatch.store.inventory.standing import PartyStanding, of_parties
from openlatch.store.noun import Noun, id_or_ref, missing
from openlatch.store.pages import Page, Sort, any_of, folded, page
from openlatch.words import Kind, PartyKind, PartyOrder, PartyStatus

__all__ = ["NO_PROVIDER", "PARTY", "ListedParty", "Parties", "PartyFilter", "party_matches"]


PARTY = Codec(PartyRow, Party)


def party_matches(q: str) -> ColumnElement[bool]:
    """The condition under which a party is found by a search: part of its name or of an address."""
    return or_(
        PartyRow.name.icontains(q, autoescape=True),
        func.array_to_string(PartyRow.addresses, " ").icontains(q, autoescape=True),
    )


NO_PROVIDER = ("address", "shared", "anyone")
"""The schemes of identifiers that are no provider's keys."""
_one_of_its_own = PartyRow.joined_into.is_(None)


_BY_NAME = (folded(PartyRow.name), PartyRow.id)
_SORTS = {
    PartyOrder.NAME: Sort("name", _BY_NAME),
    PartyOrder.RISK: Sort("risk", (-PartyRow.risk, *_BY_NAME)),
    PartyOrder.KIND: Sort("kind", (PartyRow.kind, *_BY_NAME)),
}


@dataclass(frozen=True, slots=True)
class PartyFilter:
    """Which parties are wanted."""

    q: str = ""
    kinds: tuple[PartyKind, ...] = ()
    status: PartyStatus | None = None
    outside: bool | None = None
    risk: int = 0
    connected: bool = False
    """only those that are connected to an account as an app, not merely signed in there"""


@dataclass(frozen=True, slots=True)
class ListedParty:
    """A party with its risk and what it has."""

    party: Party
    risk: int
    standing: PartyStanding


class Parties(Noun):
    """Queries over parties."""

    def add(self, parties: Iterable[Party], identifiers: Iterable[tuple[Identifier, UUID]]) -> None:
        self._add(PARTY, parties)
        # In one order, so that two readings that add the same ones do not wait for each other.
        names = dict(sorted(identifiers, key=lambda pair: (pair[0].scheme, pair[0].value)))
        rows = [
            {"workspace_id": self._workspace_id, "scheme": i.scheme, "value": i.value, "party_id": party_id}
            for i, party_id in names.items()
        ]
        add_rows(self._session, IdentifierRow, rows, skip_known=True)
        if self.known(names) != names:
            raise Changed(
                "Another reading found one of the same parties at the same moment. Nothing was changed by this.",
                next_step="It will be tried again automatically.",
            )

    def save_all(self, parties: Iterable[Party]) -> None:
        # Readings leave alone who answers for a party.
        rows = [
            {name: kept for name, kept in row.items() if name != "sponsor"} for row in self._rows_of(PARTY, parties)
        ]
        change_rows(self._session, PartyRow, rows, versioned=False)

    def sponsored(self, party_id: UUID, person_id: UUID | None) -> None:
        """Keep who answers for a party; readings leave that alone."""
        self._session.execute(update(PartyRow).where(PartyRow.id == party_id).values(sponsor=person_id))

    def sponsored_by(self, person_id: UUID, instead: UUID | None) -> None:
        """Have someone else, or nobody, be the sponsor of all parties whose sponsor someone was."""
        self._session.execute(update(PartyRow).where(PartyRow.sponsor == person_id).values(sponsor=instead))

    def known(self, identifiers: Iterable[Identifier]) -> dict[Identifier, UUID]:
        """Return which of the identifiers are known, and whose they are."""
        wanted: dict[str, list[str]] = {}
        for identifier in identifiers:
            wanted.setdefault(identifier.scheme, []).append(identifier.value)
        ids: dict[Identifier, UUID] = {}
        for scheme, values in wanted.items():
            rows = self._session.scalars(
                select(IdentifierRow).where(IdentifierRow.scheme == scheme, IdentifierRow.value == func.any(values))
            )
            ids |= {Identifier(row.scheme, row.value): row.party_id for row in rows}
        return ids

    def known_at(self, provider_id: UUID, party_ids: Iterable[UUID]) -> dict[Identifier, UUID]:
        """Return every key under which a provider knows parties, those too that people have written down."""
        theirs = IdentifierRow.party_id == func.any(list(set(party_ids)))
        rows = self._session.scalars(select(IdentifierRow).where(theirs, IdentifierRow.scheme == str(provider_id)))
        return {Identifier(row.scheme, row.value): row.party_id for row in rows}

    def part(self, parted: Iterable[tuple[Identifier, UUID]]) -> None:
        """Have keys be those of other parties from now on."""
        rows = [
            {"workspace_id": self._workspace_id, "scheme": i.scheme, "value": i.value, "party_id": party_id}
            for i, party_id in parted
        ]
        change_rows(self._session, IdentifierRow, rows, versioned=False)

    def keys_at(self, provider_id: UUID) -> dict[str, tuple[UUID, bytes | None]]:
        """Return every party that a provider knows: its id and digest, by the provider's key."""
        query = select(IdentifierRow.value, IdentifierRow.party_id, IdentifierRow.digest)
        rows = self._session.execute(query.where(IdentifierRow.scheme == str(provider_id)))
        return {value: (party_id, digest) for value, party_id, digest in rows}

    def digested(self, provider_id: UUID, digests: Mapping[str, bytes]) -> None:
        """Record the digests of parties that a reading has just seen, by the provider's keys."""
        same = {"workspace_id": self._workspace_id, "scheme": str(provider_id)}
        rows = [{**same, "value": key, "digest": digest} for key, digest in digests.items()]
        change_rows(self._session, IdentifierRow, rows, versioned=False)

    def seen_anew(self, provider_id: UUID) -> None:
        """Have the next reading of a provider look at all that it says of parties again."""
        there = IdentifierRow.scheme == str(provider_id)
        self._session.execute(update(IdentifierRow).where(there).values(digest=None))

    def known_by(self, provider_id: UUID, party_ids: Iterable[UUID]) -> frozenset[UUID]:
        """Return those of some parties that a provider shows."""
        query = select(IdentifierRow.party_id).where(
            IdentifierRow.party_id == func.any(list(party_ids)),
            IdentifierRow.scheme == str(provider_id),
            ~IdentifierRow.value.startswith(WRITTEN),
        )
        return frozenset(self._session.scalars(query))

    def keys_of(self, party_ids: Iterable[UUID], provider_id: UUID) -> dict[UUID, str]:
        """Return the keys under which a provider knows parties."""
        ids = list(party_ids)
        known = self._session.execute(
            select(IdentifierRow.party_id, func.min(IdentifierRow.value))
            .where(IdentifierRow.party_id == func.any(ids), IdentifierRow.scheme == str(provider_id))
            .where(~IdentifierRow.value.startswith(WRITTEN))
            .group_by(IdentifierRow.party_id)
        )
        return {each_id: str(each_id) for each_id in ids} | {row[0]: row[1] for row in known}

    def names_at(self, provider_id: UUID, keys: Iterable[str]) -> dict[str, str]:
        """Return what a provider calls its parties, by its keys; only those of which it says a name."""
        query = select(IdentifierRow.value, IdentifierRow.name).where(
            IdentifierRow.scheme == str(provider_id),
            IdentifierRow.value == func.any(list(keys)),
            IdentifierRow.name != "",
        )
        return dict(self._session.execute(query).all())

    def shown(self, provider_id: UUID, parties: Iterable[ObservedParty]) -> None:
        """Keep how a provider shows its parties: the name and the addresses that go with each key."""
        same = {"workspace_id": self._workspace_id, "scheme": str(provider_id)}
        rows = [
            {**same, "value": party.key, "name": party.name, "addresses": list(party.addresses)} for party in parties
        ]
        change_rows(self._session, IdentifierRow, rows, versioned=False)

    def unknown_elsewhere(self, party_ids: Iterable[UUID]) -> frozenset[UUID]:
        """Return those of some parties that no provider knows: people have written down who they are."""
        ids = set(party_ids)
        known = select(IdentifierRow.party_id).where(
            IdentifierRow.party_id == func.any(list(ids)),
            IdentifierRow.scheme.not_in(NO_PROVIDER),
            ~IdentifierRow.value.startswith(WRITTEN),
        )
        return frozenset(ids - set(self._session.scalars(known)))

    def of_address(self, address: str) -> UUID | None:
        """Return the party that exactly this address means; None if it means nobody, or nobody can say whom."""
        carrying = self.carrying(address)
        return meant(self.with_keys(carrying).values()) if len(carrying) > 1 else next(iter(carrying), None)

    def reported(self, party_id: UUID, what: str, at: datetime) -> None:
        """Keep what a provider has reported of a party, for the rules."""
        values = {"reported": what, "reported_at": at}
        self._session.execute(update(PartyRow).where(PartyRow.id == party_id).values(**values))

    def carrying(self, address: str) -> frozenset[UUID]:
        """Return all parties that carry exactly this address."""
        normal = normal_address(address)
        ids = self.known([Identifier("address", normal), shared(address)])
        if shared(address) not in ids:
            return frozenset(ids.values())
        spelled = func.lower(func.array_to_string(PartyRow.addresses, " "))
        query = select(PartyRow.id, PartyRow.addresses).where(
            spelled.contains(normal, autoescape=True), _one_of_its_own
        )
        return frozenset(row.id for row in self._session.execute(query) if normal in map(normal_address, row.addresses))

    def with_keys(self, party_ids: Iterable[UUID]) -> dict[UUID, Known]:
        """Return parties with all that providers know them by."""
        wanted = list(party_ids)
        keys: dict[UUID, list[Key]] = {}
        for row in self._session.scalars(
            select(IdentifierRow)
            .where(IdentifierRow.party_id == func.any(wanted), IdentifierRow.scheme.not_in(NO_PROVIDER))
            .where(~IdentifierRow.value.startswith(WRITTEN))
            .order_by(IdentifierRow.scheme, IdentifierRow.value)
        ):
            key = Key(UUID(row.scheme), row.value, row.name, tuple(row.addresses))
            keys.setdefault(row.party_id, []).append(key)
        return {party_id: Known(party, tuple(keys.get(party_id, ()))) for party_id, party in self.some(wanted).items()}

    def addresses_at(self, domain: str) -> tuple[str, ...]:
        """Return every address at a domain under which a party is known, or was."""
        there = func.split_part(IdentifierRow.value, literal_column("'@'"), literal_column("2"), type_=Text())
        query = select(IdentifierRow.value).where(IdentifierRow.scheme == "address", there == domain)
        return tuple(self._session.scalars(query))

    def domains(self) -> tuple[str, ...]:
        """Return every domain at which a party is known, or was."""
        domain = func.split_part(IdentifierRow.value, literal_column("'@'"), literal_column("2"), type_=Text())
        query = select(domain).where(IdentifierRow.scheme == "address", domain != "")
        return tuple(self._session.scalars(query.distinct()))

    def beyond_doubt(self, domains: Iterable[str], names: Iterable[str]) -> tuple[list[str], dict[str, str]]:
        """Return the addresses of verified parties in these domains, and of these names with an address of each."""
        verified = (
            select(IdentifierRow.value, PartyRow.name)
            .join(PartyRow, PartyRow.id == IdentifierRow.party_id)
            .where(IdentifierRow.scheme == "address", PartyRow.verified)
        )
        domain = func.split_part(IdentifierRow.value, literal_column("'@'"), literal_column("2"), type_=Text())
        addresses = self._session.execute(verified.where(domain == any_of(domains))).scalars()
        named = self._session.execute(verified.where(folded(PartyRow.name) == any_of(n.lower() for n in names)))
        return list(addresses), {row.name: row.value for row in named}

    def some(self, party_ids: Iterable[UUID]) -> dict[UUID, Party]:
        query = select(PartyRow).where(PartyRow.id == func.any(list(party_ids)))
        return {party.id: party for party in self._values(PARTY, query)}

    def names(self, party_ids: Iterable[UUID]) -> dict[UUID, str]:
        return self._called(PartyRow, PartyRow.name, party_ids)

    def of_many(self) -> tuple[Party, ...]:
        """Return the parties that may stand for others: anyone, and everyone at a domain."""
        domain = func.array_to_string(PartyRow.addresses, " ").startswith("@")
        query = select(PartyRow).where(or_(PartyRow.kind == "anyone", domain), _one_of_its_own)
        return tuple(self._values(PARTY, query))

    def all(self) -> tuple[Party, ...]:
        return tuple(self._values(PARTY, select(PartyRow).where(_one_of_its_own)))

    def ids(self) -> tuple[UUID, ...]:
        return tuple(self._session.scalars(select(PartyRow.id).where(_one_of_its_own)))

    def named(self, names: Iterable[str]) -> dict[str, tuple[UUID, ...]]:
        """Return the parties that names, short forms or addresses may mean, by the name in small letters."""
        wanted = {name.casefold() for name in names}
        if not wanted:
            return {}
        addressed = select(IdentifierRow.value, IdentifierRow.party_id).where(
            IdentifierRow.scheme == "address", IdentifierRow.value == any_of(wanted)
        )
        pairs = {(row.value, row.party_id) for row in self._session.execute(addressed)}
        shared = (IdentifierRow.scheme == "shared", IdentifierRow.value == any_of(wanted))
        several = select(IdentifierRow.value).where(*shared)
        pairs |= {(value, each_id) for value in self._session.scalars(several) for each_id in self.carrying(value)}
        now = func.coalesce(PartyRow.joined_into, PartyRow.id).label("id")
        called = select(now, PartyRow.name, PartyRow.ref).where(
            or_(func.lower(PartyRow.name) == any_of(wanted), PartyRow.ref == any_of(wanted))
        )
        for row in self._session.execute(called):
            pairs |= {(name, row.id) for name in {row.name.casefold(), row.ref} & wanted}
        document: dict[str, tuple[UUID, ...]] = {}
        for name, each_value in sorted(pairs):
            document[name] = (*document.get(name, ()), each_value)
        return document

    def doubtful_like(self, parties: Iterable[Party]) -> tuple[Party, ...]:
        """Return the unverified parties that share a domain of an address, or the name, with one of these."""
        every = list(parties)
        domains = {normal_address(a).rpartition("@")[2] for party in every for a in party.addresses}
        if not every:
            return ()
        domain = func.split_part(IdentifierRow.value, literal_column("'@'"), literal_column("2"), type_=Text())
        near = select(IdentifierRow.party_id).where(IdentifierRow.scheme == "address", domain == any_of(domains))
        query = select(PartyRow).where(
            PartyRow.verified.is_(False),
            _one_of_its_own,
            or_(PartyRow.id.in_(near), folded(PartyRow.name) == any_of(party.name.lower() for party in every)),
        )
        return tuple(self._values(PARTY, query))

    def acquainted(self, seen: Mapping[UUID, tuple[bool, str | None, str | None]]) -> tuple[UUID, ...]:
        """Keep whether parties are outside, and which known address theirs is close to; returns whose this changes."""
        if not seen:
            return ()
        statement = text(
            "update parties set outside = new.outside, near = new.near, near_how = new.how from unnest("
            "cast(:ids as uuid[]), cast(:outside as boolean[]), cast(:near as text[]), cast(:how as text[])) "
            "as new (id, outside, near, how) where parties.workspace_id = :workspace and parties.id = new.id and "
            "(parties.outside, parties.near, parties.near_how) is distinct from (new.outside, new.near, new.how) "
            "returning parties.id"
        )
        outside, near, how = zip(*seen.values(), strict=True)
        values = {"ids": list(seen), "outside": list(outside), "near": list(near), "how": list(how)}
        rows = self._session.execute(statement, values | {"workspace": self._workspace_id})
        return tuple(row[0] for row in rows)

    def get(self, party_id: UUID) -> Party:
        return self.find(str(party_id))

    def find(self, text: str) -> Party:
        """Return the party that a person means.

        By id, short form or address; or by its name, if nobody else has that. One that was joined to another is that
        other.
        """
        wanted = self.of_address(text) if "@" in text else id_or_ref(text)
        carrying = self.carrying(text) if "@" in text and wanted is None else frozenset()
        if carrying:
            raise self._several(f"carry the address “{text}”", carrying)
        now = func.coalesce(PartyRow.joined_into, PartyRow.id)
        for same in self._ways(text, wanted):
            meant = set(self._session.scalars(select(now).where(same)))
            if len(meant) > 1:
                raise self._several(f"are called “{text}”", meant)
            if meant:
                return PARTY.read(self._session.scalars(select(PartyRow).where(PartyRow.id == meant.pop())).one())
        raise missing("party", text)

    @staticmethod
    def _ways(text: str, wanted: UUID | str | None) -> Iterator[ColumnElement[bool]]:
        """How a party may be meant by a text: what identifies it first, and its name last."""
        if wanted is not None:
            yield PartyRow.id == wanted if isinstance(wanted, UUID) else PartyRow.ref == wanted
        if text.strip():
            yield func.lower(PartyRow.name) == func.lower(text.strip())

    def _several(self, what: str, ids: Iterable[UUID]) -> Invalid:
        several = sorted(self.some(ids).values(), key=lambda party: (party.name, party.id))
        return Invalid(
            f"{len(several)} parties {what}. Nothing was changed.",
            next_step="Name one by its short form: " + "; ".join(f"{party.ref} ({party.name})" for party in several),
            errors=[{"at": "party", "problem": f"one of {len(several)}"}],
        )

    def browse(
        self, wanted: PartyFilter, sort: PartyOrder, *, limit: int, cursor: str | None, now: datetime
    ) -> Page[ListedParty]:
        query = select(PartyRow).where(_one_of_its_own, PartyRow.risk >= wanted.risk)
        if wanted.kinds:
            query = query.where(PartyRow.kind.in_([kind.value for kind in wanted.kinds]))
        if wanted.connected:
            as_app = (EntryRow.party_id == PartyRow.id, EntryRow.kind == Kind.APP.value, EntryRow.state != "ended")
            same = EntryRow.workspace_id == PartyRow.workspace_id
            query = query.where(select(EntryRow.id).where(same, *as_app).exists())
        if wanted.status is not None:
            query = query.where(PartyRow.status == wanted.status.value)
        if wanted.outside is not None:
            query = query.where(PartyRow.outside.is_(wanted.outside))
        if wanted.q:
            query = query.where(party_matches(wanted.q))
        some = page(self._session, query, _SORTS[sort], limit=limit, cursor=cursor, read=lambda row: row[0])
        return Page(self._listed(some.items, now), some.next)

    def listed(self, party_id: UUID, now: datetime) -> ListedParty:
        """Return one party as it is listed."""
        return self._listed(self._session.scalars(select(PartyRow).where(PartyRow.id == party_id)), now)[0]

    def _listed(self, rows: Iterable[PartyRow], now: datetime) -> tuple[ListedParty, ...]:
        every = list(rows)
        standing = of_parties(self._session, [row.id for row in every], now)
        return tuple(ListedParty(PARTY.read(row), row.risk, standing[row.id]) for row in every)
