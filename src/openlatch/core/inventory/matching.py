"""Parties that stand for others: anyone, and everyone at a domain. Whoever they match can do what they can do."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from uuid import uuid5

from openlatch.core.inventory.reach import Link
from openlatch.core.model import Party, is_mailbox, normal_address
from openlatch.core.providers.sharing import ANYONE, Selector
from openlatch.words import PartyKind

__all__ = ["domains", "matches", "openings", "stands_for"]


def stands_for(party: Party) -> Selector | None:
    """Return the selector of a party that stands for others; None for one that is only itself."""
    if party.kind is PartyKind.ANYONE:
        return ANYONE
    whole = [address.removeprefix("@") for address in party.addresses if address.startswith("@")]
    if party.kind is PartyKind.TEAM and len(whole) == 1 and len(party.addresses) == 1:
        return Selector("domain", whole[0].casefold())
    return None


def domains(party: Party) -> frozenset[str]:
    """Return the domains at which a party has mailboxes."""
    return frozenset(normal_address(address).rpartition("@")[2] for address in party.addresses if is_mailbox(address))


def matches(many: Party, party: Party) -> bool:
    """Return whether a party stands for others, and another is one of them."""
    selector = stands_for(many)
    if selector is None or many.id == party.id:
        return False
    return selector == ANYONE or (stands_for(party) is None and selector.value in domains(party))


def openings(parties: Iterable[Party], open_to: Iterable[Party]) -> Iterator[Link]:
    """Yield how each party acts as those that stand for it: links that nothing ends, since nobody made them."""
    many = list(open_to)
    for party in parties:
        for other in many:
            if matches(other, party):
                yield Link(uuid5(party.id, other.id.hex), party.id, other.id, "open", lasting=True)
