"""Finding anything by a part of its name, an address, or its short form; each only for whoever may see such things."""

from __future__ import annotations

import contextlib
import itertools
from collections.abc import Callable, Container, Iterator
from dataclasses import dataclass
from uuid import UUID

from openlatch.core.ids import normal_ref, ref_of
from openlatch.core.phrases import counted
from openlatch.errors import NotAllowed, NotFound
from openlatch.operations.call import Call, operation, reachable
from openlatch.operations.inventory import accounts, entries, parties
from openlatch.operations.letting_in import offers, requests
from openlatch.operations.orders import orders
from openlatch.operations.people import people
from openlatch.operations.reviews import plans, rounds
from openlatch.operations.rules import flags
from openlatch.operations.taking_back import batches
from openlatch.wire.inventory.entries import EntryFilter as Wanted
from openlatch.wire.inventory.parties import AccountFilter, PartyFilter
from openlatch.words import Action, Findable, PartyKind

__all__ = ["Hit", "find"]

LEAST = 2
"""Fewer letters are in almost everything."""


@dataclass(frozen=True, slots=True)
class Hit:
    """Something that was found: its kind, its id, its name, and what tells it apart from others of that name."""

    kind: Findable
    id: UUID
    name: str
    says: str

    @property
    def ref(self) -> str:
        """Its short form."""
        return ref_of(self.id)


@operation("search.find")
def find(call: Call, text: str, limit: int) -> tuple[Hit, ...]:
    """What a text finds, of each kind at most so many: what has that short form first, then what is named like it."""
    if len(text) < LEAST:
        return ()
    may = frozenset(reachable(call.actor))
    by_ref = _by_ref(call, text, may) if normal_ref(text) is not None else iter(())
    named = (hit for needed, look in _LOOKS if needed in may for hit in look(call, text, limit))
    return tuple(dict.fromkeys(itertools.chain(by_ref, named)))


def _entry(sight: entries.Sight) -> Hit:
    listed = sight.listed
    entry = listed.entry
    says = f"{entry.kind}, {entry.level}" if entry.level else str(entry.kind)
    name = f"{listed.party.name} on {listed.account.name}"
    return Hit(Findable.ENTRY, entry.id, name, f"{says}, {listed.provider.name}")


def _parties(call: Call, text: str, limit: int) -> Iterator[Hit]:
    for each in parties.browse(call, PartyFilter(q=text), limit, None).items:
        party, count = each.party, counted(each.standing.on_accounts, "account")
        kind = Findable.APP if party.kind is PartyKind.APP else Findable.PARTY
        yield Hit(kind, party.id, party.name, ", ".join([*party.addresses, party.kind, count]))


def _accounts(call: Call, text: str, limit: int) -> Iterator[Hit]:
    for each in accounts.browse(call, AccountFilter(q=text), limit, None).items:
        account, provider = each.account, call.tx.providers.get(each.account.provider_id)
        says = f"{provider.name}, shared with {each.standing.shared_with}"
        yield Hit(Findable.ACCOUNT, account.id, account.name, says)


def _entries(call: Call, text: str, limit: int) -> Iterator[Hit]:
    yield from map(_entry, entries.browse(call, Wanted(q=text), "severity", limit, None).items)


def _providers(call: Call, text: str, limit: int) -> Iterator[Hit]:
    found = (one for one in call.tx.providers.all() if text.casefold() in one.name.casefold())
    for provider in itertools.islice(found, limit):
        yield Hit(Findable.PROVIDER, provider.id, provider.name, provider.connector)


def _reviews(call: Call, text: str, limit: int) -> Iterator[Hit]:
    found = (plan for plan in call.tx.reviews.plans() if text.casefold() in plan.name.casefold())
    for plan in itertools.islice(found, limit):
        yield Hit(Findable.REVIEW, plan.id, plan.name, ", and ".join(plans.occasions(call, plan)))


def _people(call: Call, text: str, limit: int) -> Iterator[Hit]:
    every = people.browse(call).people
    found = (one for one in every if text.casefold() in f"{one.name} {one.address}".casefold())
    for person in itertools.islice(found, limit):
        yield Hit(Findable.PERSON, person.id, person.name, f"{person.address}, {person.role}")


_LOOKS: tuple[tuple[str, Callable[[Call, str, int], Iterator[Hit]]], ...] = (
    ("parties.browse", _parties),
    ("accounts.browse", _accounts),
    ("entries.browse", _entries),
    ("providers.browse", _providers),
    ("reviews.browse", _reviews),
    ("people.browse", _people),
)
"""What is looked through, each with the operation that one has to reach for it."""


def _by_ref(call: Call, text: str, may: Container[str]) -> Iterator[Hit]:
    """Whatever has this short form."""
    for needed, look in _REFS:
        if needed in may:
            with contextlib.suppress(NotFound, NotAllowed):
                yield look(call, text)


def _order(call: Call, text: str) -> Hit:
    sight = orders.show(call, text)
    return Hit(
        Findable.ORDER, sight.order.id, f"{Action(sight.order.action).does}: {sight.about}", str(sight.order.state)
    )


def _round(call: Call, text: str) -> Hit:
    there = rounds.show(call, text).round
    return Hit(Findable.ROUND, there.id, there.plan.name, str(there.state))


def _batch(call: Call, text: str) -> Hit:
    sight = batches.show(call, text, "", 0)
    name = f"{sight.party.name} leaves" if sight.party else Action(sight.batch.action).does
    return Hit(Findable.BATCH, sight.batch.id, name, sight.batch.ordered_by.name)


def _offer(call: Call, text: str) -> Hit:
    there = offers.show(call, text).offer
    return Hit(Findable.OFFER, there.id, there.name, f"{there.address}, {there.state}")


def _request(call: Call, text: str) -> Hit:
    there = requests.show(call, text)
    return Hit(Findable.REQUEST, there.id, f"{there.name}: {there.account}", str(there.state))


def _flag(call: Call, text: str) -> Hit:
    sight = flags.show(call, text)
    return Hit(Findable.FLAG, sight.flag.id, sight.reason, str(sight.flag.severity))


_REFS: tuple[tuple[str, Callable[[Call, str], Hit]], ...] = (
    ("entries.show", lambda call, text: _entry(entries.show(call, text))),
    ("orders.show", _order),
    ("rounds.show", _round),
    ("batches.show", _batch),
    ("offers.show", _offer),
    ("requests.show", _request),
    ("flags.show", _flag),
)
