"""Parties: on how many accounts each is, what each can do through which chains, and how to take a power from one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from uuid import UUID

from openlatch.core.inventory.matching import openings
from openlatch.core.inventory.reach import Cut, Graph, Link, in_words, loses, smallest_cut
from openlatch.core.inventory.reach import reach as reach_of
from openlatch.core.model import Party
from openlatch.errors import Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.inventory.entries import Sight, flags_on, sight, words
from openlatch.operations.rules import flags
from openlatch.store.inventory.entries import Listed
from openlatch.store.inventory.parties import ListedParty, PartyFilter
from openlatch.store.pages import Page
from openlatch.wire.inventory.parties import PartyFilter as Wanted
from openlatch.words import Kind, PartyKind, Power

__all__ = [
    "AppSight",
    "ChainSight",
    "CutSight",
    "ReachSight",
    "Remaining",
    "browse",
    "browse_apps",
    "cut",
    "mark_service",
    "reach",
    "remaining",
    "show",
    "sponsor",
]


@dataclass(frozen=True, slots=True)
class ChainSight:
    """One entry that a party comes to, as whom, and of which powers it loses something if the entry ends alone."""

    sight: Sight
    links: tuple[tuple[Link, Party], ...]
    loses: tuple[Power, ...]


@dataclass(frozen=True, slots=True)
class ReachSight:
    """Everything that a party can do."""

    party: Party
    chains: tuple[ChainSight, ...]


@dataclass(frozen=True, slots=True)
class CutSight:
    """A smallest cut with what it is about: entries and memberships to end, and whom it would hurt."""

    cut: Cut
    entries: Mapping[UUID, Listed]
    links: Mapping[UUID, Link]
    parties: Mapping[UUID, Party]
    accounts: Mapping[UUID, str]


@operation("parties.browse")
def browse(call: Call, wanted: Wanted, limit: int, cursor: str | None) -> Page[ListedParty]:
    """Parties in the order that is wanted, each with what it has."""
    chosen = PartyFilter(
        wanted.q, words(PartyKind, wanted.kind, "kind"), wanted.status, outside=wanted.outside, risk=wanted.risk
    )
    return call.tx.parties.browse(chosen, wanted.sort, limit=limit, cursor=cursor, now=call.now)


@dataclass(frozen=True, slots=True)
class AppSight:
    """A connected app, on how many accounts it is, and what it holds on each."""

    listed: ListedParty
    entries: tuple[Sight, ...]


@operation("apps.browse")
def browse_apps(call: Call, wanted: Wanted, limit: int, cursor: str | None) -> Page[AppSight]:
    """Connected apps, each with its entries on every account that it is on."""
    chosen = PartyFilter(
        wanted.q, (PartyKind.APP,), wanted.status, outside=wanted.outside, risk=wanted.risk, connected=True
    )
    page = call.tx.parties.browse(chosen, wanted.sort, limit=limit, cursor=cursor, now=call.now)
    held = call.tx.entries.held_by(each.party.id for each in page.items)
    listed = call.tx.entries.about(entry.id for entry in held)
    flagged = flags_on(call, listed.values())
    theirs: dict[UUID, list[Sight]] = {}
    for entry in held:
        if entry.kind is Kind.APP:
            theirs.setdefault(entry.party_id, []).append(sight(call, listed[entry.id], flagged[entry.id]))
    return Page(tuple(AppSight(each, tuple(theirs.get(each.party.id, ()))) for each in page.items), page.next)


@operation("parties.show")
def show(call: Call, text: str) -> ListedParty:
    """One party, by id, short form or address, with what it has."""
    return call.tx.parties.listed(call.tx.parties.find(text).id, call.now)


@operation("parties.sponsor")
def sponsor(call: Call, text: str, address: str) -> ListedParty:
    """Say who of this workspace answers for a party, by their address; nobody, if it is empty."""
    party = call.tx.parties.find(text)
    people = {person.address: person for person in call.tx.people.able()}
    person = people.get(address.strip().lower())
    if address and person is None:
        raise Invalid(
            f"“{address}” is nobody of this workspace. Nothing was changed.",
            next_step=f"Name one of: {', '.join(sorted(people))}.",
            errors=[{"at": "address", "problem": "not of this workspace"}],
        )
    if person is not None and party.id in call.tx.parties.carrying(person.address):
        raise Invalid(
            f"{party.name} cannot answer for themselves. Nothing was changed.",
            next_step="Name someone else.",
            errors=[{"at": "address", "problem": "the party itself"}],
        )
    call.tx.parties.sponsored(party.id, person.id if person is not None else None)
    call.log("party.sponsored", "party", party.id, sponsor=person.address if person is not None else "")
    return call.tx.parties.listed(party.id, call.now)


@operation("parties.service")
def mark_service(call: Call, text: str, *, service: bool) -> ListedParty:
    """Say whether a program signs in with a party, and no person: the rules about people leave it alone then."""
    call.tx.facts.take_turns()
    party = call.tx.parties.find(text)
    if party.kind is not PartyKind.PERSON:
        raise Invalid(
            f"{party.name} is listed as {_LISTED_AS[party.kind]}, and the rules about people leave it alone. "
            "Nothing was changed.",
            next_step="Name a login that is listed as a person.",
            errors=[{"at": "party", "problem": f"is {_LISTED_AS[party.kind]}"}],
        )
    if party.service != service:
        call.tx.parties.save_all([replace(party, service=service, version=party.version + 1)])
        call.log("party.service" if service else "party.no-service", "party", party.id)
        flags.evaluate(call, parties=[party.id], entries=call.tx.entries.held_by([party.id]), met=[party.id])
    return call.tx.parties.listed(party.id, call.now)


_LISTED_AS = {PartyKind.TEAM: "a team", PartyKind.APP: "an app", PartyKind.ANYONE: "anyone"}


@operation("parties.reach")
def reach(call: Call, text: str) -> ReachSight:
    """Everything that a party can do, directly and through teams of teams, each by a shortest chain.

    What anyone can do, or everyone at the party's domain, counts on the accounts that it comes to otherwise.
    """
    party = call.tx.parties.find(text)
    graph, _ = _graph(call, party.id)
    chains = reach_of(graph, party.id)
    listed = call.tx.entries.about(chain.entry.id for chain in chains)
    flagged = flags_on(call, listed.values())
    teams = call.tx.parties.some(link.as_party for chain in chains for link in chain.links)
    return ReachSight(
        party,
        tuple(
            ChainSight(
                sight(call, listed[chain.entry.id], flagged[chain.entry.id]),
                tuple((link, teams[link.as_party]) for link in chain.links),
                loses(graph, party.id, chain.entry),
            )
            for chain in chains
        ),
    )


@operation("parties.cut")
def cut(call: Call, text: str, account: str, power: str) -> CutSight:
    """The smallest set of entries and memberships to end so that a party loses a power on an account, and nobody else
    loses anything.
    """
    party = call.tx.parties.find(text)
    (wanted,) = words(Power, power, "power") or (Power.VIEW,)
    account_id = call.tx.accounts.find(account).id
    graph, links = _graph(call, party.id, account_id)
    the_cut = smallest_cut(graph, party.id, account_id, wanted)
    named = {link.id: link for link in links if link.id in the_cut.pieces}
    people = {each_id for link in named.values() for each_id in (link.actor, link.as_party)} | set(the_cut.hurts)
    return CutSight(
        the_cut,
        call.tx.entries.about(the_cut.pieces),
        named,
        call.tx.parties.some(people),
        call.tx.accounts.names({claim.account_id for lost in the_cut.hurts.values() for claim in lost}),
    )


@dataclass(frozen=True, slots=True)
class Remaining:
    """A way in that someone has still: its first piece, an entry or a membership of theirs, and what it leads to."""

    piece: UUID
    account_id: UUID | None
    text: str


def remaining(call: Call, party_id: UUID) -> tuple[Remaining, ...]:
    """Return every way in that a party has as the inventory knows it now, and each team or app of theirs besides.

    What it can do only as anyone, or as everyone at its domain, is no way in of its own.
    """
    graph, links = _graph(call, party_id)
    chains = [chain for chain in reach_of(graph, party_id) if not any(link.lasting for link in chain.links)]
    own = [link for link in links if link.actor == party_id]
    names = {
        each_party_id: party.name
        for each_party_id, party in call.tx.parties.some(link.as_party for link in links).items()
    }
    places = call.tx.accounts.names({chain.entry.account_id for chain in chains})
    ways = [
        Remaining(
            chain.links[0].id if chain.links else chain.entry.id,
            chain.entry.account_id,
            in_words(chain, places[chain.entry.account_id], names),
        )
        for chain in chains
    ]
    leading = {way.piece for way in ways}
    idle = [
        Remaining(link.id, None, f"{'a connection to' if link.how == 'app' else 'a member of'} {names[link.as_party]}")
        for link in own
        if link.id not in leading
    ]
    return (*ways, *idle)


def _graph(call: Call, party_id: UUID, account_id: UUID | None = None) -> tuple[Graph, tuple[Link, ...]]:
    """The part of the inventory that hangs together with a party, and the links that someone made.

    Of what is open to many it holds what is on accounts that these parties come to otherwise, and on `account_id`.
    """
    links = tuple(Link(m.id, m.member_id, m.team_id, m.how) for m in call.tx.memberships.around(party_id))
    parties = {party_id} | {each_id for link in links for each_id in (link.actor, link.as_party)}
    held = call.tx.entries.held_by(parties)
    accounts = {entry.account_id for entry in held} | ({account_id} if account_id is not None else set())
    many = [party for party in call.tx.parties.of_many() if party.id not in parties]
    opened = call.tx.entries.held_by([party.id for party in many], accounts)
    known = call.tx.parties.some(parties).values()
    return Graph([*held, *opened], [*links, *openings(known, many)]), links
