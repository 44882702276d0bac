"""What a review is about: its entries as the inventory has them now, with the facts that a reviewer goes by."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping
from contextlib import suppress
from datetime import timedelta
from typing import Any
from uuid import UUID

from openlatch.core.model import Entry, Person
from openlatch.core.orders.acts import Around, possible
from openlatch.core.reviews.decisions import Facts
from openlatch.core.reviews.plans import Asked, ReviewPlan, Round, assign, scope_said
from openlatch.core.rules.advise import narrowest
from openlatch.errors import Invalid, NotFound, OpenLatchError
from openlatch.operations.call import Call
from openlatch.operations.inventory.entries import flags_on, selection
from openlatch.operations.people.reviewers import REVIEWING
from openlatch.operations.rules import policies
from openlatch.operations.rules.advice import known_levels
from openlatch.store.inventory.entries import Listed
from openlatch.wire.inventory.entries import EntryFilter as Wanted
from openlatch.words import Kind, PartyStatus, Power, Reviewers, Role

__all__ = [
    "asked_about",
    "facts_now",
    "facts_of",
    "have_left",
    "in_scope",
    "joined",
    "own_parties",
    "put_in_order",
    "scope_of",
    "still_in_scope",
    "too_many",
]

MOST_ITEMS = 10_000
"""A round of more than that is nobody's to answer."""


def in_scope(call: Call, where: Mapping[str, Any]) -> list[UUID]:
    """Return the ids of the entries that a filter leaves now."""
    wanted = Wanted(**{name: value for name, value in where.items() if name in Wanted.model_fields})
    return call.tx.entries.ids(selection(call, wanted))


def still_in_scope(call: Call, where: Mapping[str, Any]) -> list[UUID] | None:
    """Return the ids of the entries that a stored filter leaves now; None if it names what is not there any more."""
    try:
        return in_scope(call, where)
    except OpenLatchError:
        return None


def joined(call: Call, review_round: Round, asked: Collection[UUID]) -> list[UUID]:
    """Return the entries that came into the scope of a round since it was opened; `asked` are those it asks about."""
    further = [entry_id for entry_id in still_in_scope(call, review_round.plan.where) or () if entry_id not in asked]
    # What it left out from the beginning did not come since; what is new to the inventory did.
    return call.tx.entries.since(further, review_round.opened_at) if review_round.left_out else further


def too_many(entries: int) -> int:
    """Return how many of so many entries a round does not ask about."""
    return max(0, entries - MOST_ITEMS)


def put_in_order(call: Call, entry_ids: Iterable[UUID]) -> list[Listed]:
    """Return those of some entries that a round asks about, in its order.

    What is riskiest comes first, and all of an account together; beyond the most that a round can ask about, nothing.
    """
    wanted = call.tx.entries.foremost(entry_ids, MOST_ITEMS)
    listed = call.tx.entries.about(wanted)
    return [listed[entry_id] for entry_id in wanted]


def facts_now(call: Call, entry_ids: Iterable[UUID]) -> dict[UUID, Facts]:
    """Return what is known now of those of some entries that still stand."""
    listed = call.tx.entries.about(entry_ids)
    return facts_of(call, {entry_id: each for entry_id, each in listed.items() if each.entry.stands})


def facts_of(call: Call, listed: Mapping[UUID, Listed]) -> dict[UUID, Facts]:
    """Return what is known of entries now, as a reviewer goes by it."""
    flags = flags_on(call, listed.values())
    since = call.now - timedelta(days=call.tx.workspace.unused_days)
    levels: dict[tuple[UUID, Kind], dict[str, tuple[Power, ...]]] = {}
    facts_by_entry = {}
    for entry_id, each in listed.items():
        entry, provider = each.entry, each.provider
        of_kind = provider.id, entry.kind
        if of_kind not in levels:
            levels[of_kind] = known_levels(call, provider, entry.kind)
        # Parts and sessions have no bearing on what a reviewer can decide.
        around = Around(each.party.kind, provider.abilities, levels[of_kind])
        used = entry.used_since(since)
        advice = narrowest(levels[of_kind], entry.level, entry.powers, used) if used is not None else None
        begun = entry.accepted_at or entry.given_at or entry.first_seen
        idle = entry.use_known and (entry.last_used or begun or call.now) < since
        facts_by_entry[entry_id] = Facts(
            party=each.party.name,
            account=each.account.name,
            provider=provider.name,
            kind=entry.kind.value,
            level=entry.level,
            powers=tuple(entry.powers),
            outside=each.outside,
            risk=each.risk,
            flags=tuple((f.flag.rule, f.flag.severity.value, f.reason) for f in flags[entry_id] if not f.accepted),
            given_at=entry.given_at,
            given_by=entry.given_by,
            last_used=entry.last_used,
            use_known=entry.use_known,
            ends_at=entry.ends_at,
            resources=entry.resources,
            left=each.party.status is PartyStatus.LEFT,
            narrower=advice.level if advice is not None else "",
            unused=idle,
            acts=tuple(each_possible.action.value for each_possible in possible(entry, around)),
        )
    return facts_by_entry


def scope_of(call: Call, where: Mapping[str, Any]) -> str:
    """Return a filter of the inventory in words; what it names by id or short form is called by its name."""

    def account(text: str) -> str:
        return call.tx.accounts.find(text).name

    def party(text: str) -> str:
        the_party = call.tx.parties.find(text)
        return f"{the_party.name} ({the_party.addresses[0]})" if the_party.addresses else the_party.name

    def provider(text: str) -> str:
        return call.tx.providers.find(text).name

    named = dict(where)
    for noun, find in (("account", account), ("party", party), ("provider", provider)):
        if where.get(noun):
            # What is not there any more, or is not one, is called as it was written.
            with suppress(NotFound, Invalid):
                named[noun] = find(str(where[noun]))
    if where.get("rule"):
        named["rule"] = policies.titles(call).get(str(where["rule"]), where["rule"])
    return scope_said(named)


def own_parties(call: Call, people: Collection[Person]) -> dict[UUID, frozenset[UUID]]:
    """Return the party that each of these people is, for those who are one; of an address that several carry, all."""
    document = {person.id: call.tx.parties.carrying(person.address) for person in people}
    return {person: parties for person, parties in document.items() if parties}


def _called(people: Collection[Person]) -> dict[str, UUID]:
    """Whom an address, or a name that only one of them has, means."""
    names = Counter(person.name for person in people)
    alone = {person.name: person.id for person in people if names[person.name] == 1}
    return alone | {person.address: person.id for person in people}


def _giver(entry: Entry, people: Collection[UUID], called: Mapping[str, UUID]) -> UUID | None:
    """Who of these people has given access, where that is known."""
    return entry.given_by_id if entry.given_by_id in people else called.get(entry.given_by)


def have_left(call: Call, parties: Mapping[UUID, Collection[UUID]]) -> set[UUID]:
    """Return which of some people have left, by the parties that each of them is."""
    known = call.tx.parties.some({each_id for theirs in parties.values() for each_id in theirs})
    return {
        who for who, theirs in parties.items() if all(known[each_id].status is PartyStatus.LEFT for each_id in theirs)
    }


def asked_about(call: Call, plan: ReviewPlan, listed: list[Listed]) -> dict[int, UUID | None]:
    """Return who is asked about each of these entries, by their place."""
    people = {person.id: person for person in call.tx.people.able() if person.role in REVIEWING}
    parties = own_parties(call, people.values())
    left = have_left(call, parties)
    people = {person_id: person for person_id, person in people.items() if person_id not in left}
    of_party: dict[UUID, set[UUID]] = {}
    teams = call.tx.memberships.above(frozenset().union(*parties.values()))
    for person, theirs in parties.items():
        for party in theirs:
            for value in (party, *teams.get(party, ())):
                of_party.setdefault(value, set()).add(person)
    administrators: dict[UUID, set[UUID]] = {}
    if plan.reviewers is Reviewers.ADMINISTRATORS:
        for account, party in call.tx.entries.administering({listed_entry.account.id for listed_entry in listed}):
            administrators.setdefault(account, set()).update(of_party.get(party, ()))
    called = _called(people.values())
    owners = sorted(person.id for person in people.values() if person.role is Role.OWNER)
    otherwise = [plan.otherwise] if plan.otherwise in people else []
    return assign(
        [
            Asked(
                place,
                each_listed_entry.account.id,
                frozenset(of_party.get(each_listed_entry.party.id, ())),
                each_listed_entry.party.sponsor or _giver(each_listed_entry.entry, people, called),
            )
            for place, each_listed_entry in enumerate(listed, start=1)
        ],
        plan.reviewers,
        named=[person for person in plan.named if person in people],
        administrators=administrators,
        substitutes={who: other for who, other in plan.substitutes.items() if other in people},
        otherwise=[*(person for person in otherwise if person is not None), *owners],
    )
