"""What the policy says of accounts and parties: who is in the circle, what is tagged, whose address is a near miss."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from uuid import UUID

from openlatch.core.addresses import Near, Neighbours
from openlatch.core.hours import end_of
from openlatch.core.model import Circle, Party, normal_address
from openlatch.core.rules.check import EPOCH, micros
from openlatch.core.rules.policy import Policy
from openlatch.errors import Invalid
from openlatch.operations.call import Call

__all__ = ["Acquaintance", "Overlay", "acquaint", "circle_of", "overlay", "refuse_resembling", "resembled"]


@dataclass(frozen=True, slots=True)
class Overlay:
    """What tags add to accounts and parties, by their ids: the tags, and when what they are for is over."""

    account_tags: Mapping[UUID, list[str]] = field(default_factory=dict)
    party_tags: Mapping[UUID, list[str]] = field(default_factory=dict)
    account_over: Mapping[UUID, int] = field(default_factory=dict)
    party_over: Mapping[UUID, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Acquaintance:
    """Whether a party is outside the circle, and which known address its own comes close to, and how."""

    outside: bool
    near: str | None = None
    near_how: str | None = None


def overlay(call: Call, policy: Policy) -> Overlay:
    """Return what the policy's tags add, with the names in it looked up."""
    if not policy.tags:
        return Overlay()
    accounts = call.tx.accounts.named({name for tag in policy.tags for name in tag.accounts})
    parties = call.tx.parties.named({name for tag in policy.tags for name in tag.parties})
    tags: tuple[dict[UUID, list[str]], dict[UUID, list[str]]] = ({}, {})
    over: tuple[dict[UUID, int], dict[UUID, int]] = ({}, {})
    for tag in policy.tags:
        at = None if tag.over is None else micros(end_of(tag.over, call.tx.workspace.zone) - EPOCH)
        for place, (names, known) in enumerate(((tag.accounts, accounts), (tag.parties, parties))):
            for each_id in {each_id for name in names for each_id in known.get(name.casefold(), ())}:
                tags[place].setdefault(each_id, []).append(tag.name)
                if at is not None:
                    over[place][each_id] = min(at, over[place].get(each_id, at))
    for ours in tags:
        for names_ in ours.values():
            names_.sort()
    return Overlay(tags[0], tags[1], over[0], over[1])


def circle_of(call: Call, policy: Policy) -> Circle:
    """Return the circle that a policy draws: its domains, its parties, and whoever is in its teams now."""
    # A name that fits several lets none of them in: anyone can call themselves so.
    every = call.tx.parties.named({*policy.parties, *policy.teams})
    named = {name: ids for name, ids in every.items() if len(ids) == 1}
    for name in every.keys() - named.keys():
        # Of an address, whoever it was confirmed for.
        whose = call.tx.parties.of_address(name) if "@" in name else None
        named |= {name: (whose,)} if whose is not None else {}
    inside = {each_id for name in (*policy.parties, *policy.teams) for each_id in named.get(name.casefold(), ())}
    teams = {each_id for name in policy.teams for each_id in named.get(name.casefold(), ())}
    return Circle(policy.domains, frozenset(inside | call.tx.memberships.below(teams)))


def acquaint(call: Call, circle: Circle, parties: Iterable[Party]) -> dict[UUID, Acquaintance]:
    """Return what is known of these parties; an address can be close to another only if nobody vouches for it."""
    every = list(parties)
    doubtful = [party for party in every if not party.verified and party.addresses]
    domains = {normal_address(a).rpartition("@")[2] for party in doubtful for a in party.addresses if "@" in a}
    addresses, names = call.tx.parties.beyond_doubt(domains, {party.name for party in doubtful})
    known = Neighbours(addresses, circle.domains, names)
    acquaintances = {party.id: Acquaintance(not circle.holds(party)) for party in every}
    for party in doubtful:
        for address in party.addresses:
            near = known.near(address, party.name)
            if near is not None:
                acquaintances[party.id] = replace(acquaintances[party.id], near=near.known, near_how=near.how)
                break
    return acquaintances


def resembled(call: Call, address: str, name: str = "") -> Near | None:
    """Return what an address that someone types comes close to, of everything that is known; None for a known one.

    Known are the parties with all their addresses, earlier ones too, the domains of all of them, whoever signs in here,
    and the circle.
    """
    normal = normal_address(address)
    sign_ins = {normal_address(person.address) for person in call.tx.people.all()}
    if "@" not in normal or normal in sign_ins or call.tx.parties.carrying(address):
        return None
    domain = normal.rpartition("@")[2]
    domains = {*call.tx.workspace.circle.domains, *call.tx.parties.domains()}
    domains |= {sign_in.rpartition("@")[2] for sign_in in sign_ins}
    namesakes = call.tx.parties.some(call.tx.parties.named([name]).get(name.casefold(), ())) if name else {}
    theirs = [address for party in namesakes.values() for address in party.addresses if address.endswith(f"@{domain}")]
    names = {name: theirs[0]} if theirs else {}
    return Neighbours({*call.tx.parties.addresses_at(domain), *sign_ins}, domains, names).near(address, name)


def refuse_resembling(call: Call, address: str, name: str, at: str) -> None:
    """Refuse (Invalid) an address that comes close to a known one, until someone says that it is someone else's."""
    near = resembled(call, address, name)
    if near is not None:
        raise Invalid(
            f"{address}: {near.how} {near.known}, which is known. Nothing was recorded.",
            next_step="Compare it letter by letter, and correct it; or say that it is someone else's: --someone-else",
            errors=[{"at": at, "problem": f"{near.how} {near.known}", "kind": "near-miss"}],
            near=near.known,
        )
