"""Someone goes: everything that they hold anywhere, in one plan, in the right order, on the day."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from uuid import UUID

from openlatch.core.hours import end_of
from openlatch.core.model import Party
from openlatch.core.people.standing import is_only_owner
from openlatch.core.taking_back.leaver import Item, SignIn, leaver_items
from openlatch.errors import Conflict, Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.orders import orders
from openlatch.operations.orders.orders import Wish
from openlatch.operations.people import people
from openlatch.operations.taking_back import batches
from openlatch.operations.taking_back.batches import BatchSight
from openlatch.operations.taking_back.together import Foresight, Named, foreseen
from openlatch.store.inventory.entries import Listed
from openlatch.store.taking_back.batches import Batch, BatchItem
from openlatch.words import Action, PartyKind, Role, Severity

__all__ = ["LeaverPlan", "complete", "create", "plan", "take_all_back"]


@dataclass(frozen=True, slots=True)
class LeaverPlan:
    """All that is to be done when someone goes, in order, each with the entry that it is about."""

    party: Party
    outside: bool
    items: tuple[tuple[Item, Listed | None], ...]
    foresight: Foresight


@operation("leavers.plan")
def plan(call: Call, text: str) -> LeaverPlan:
    """What is to be done if someone goes: what others take over, what is ended, and what only people can do."""
    return _plan(call, text)


@operation("leavers.create")
def create(call: Call, text: str, last_day: date | None, who: str, reason: str, count: int) -> BatchSight:
    """Take back everything that someone holds: at once, or once their last day is over.

    `who` looks after what only people can do. Refuses (Changed) if there is not as much to be done as was said.
    """
    made = _plan(call, text)
    begins_at: datetime | None = None
    if last_day is not None:
        begins_at = end_of(last_day, call.tx.workspace.zone)
        if begins_at <= call.now:
            raise Invalid(
                f"{last_day.isoformat()} is over already. Nothing was ordered.",
                next_step="Give a later last day, or none: then it begins at once.",
                errors=[{"at": "last_day", "problem": "over already"}],
            )
    batches.check_count(len(made.items), count)
    return _begun(call, made, last_day, begins_at, who, reason)


def take_all_back(call: Call, party_id: UUID, reason: str) -> BatchSight | None:
    """Take back at once everything that someone holds; None if that is nothing."""
    made = _plan(call, str(party_id))
    return _begun(call, made, None, None, "", reason) if made.items else None


def _begun(
    call: Call, made: LeaverPlan, last_day: date | None, begins_at: datetime | None, who: str, reason: str
) -> BatchSight:
    there = call.tx.batches.open_leaver(made.party.id)
    if there is not None:
        raise Conflict(
            f"Batch {there.ref} takes back what {made.party.name} holds already. Nothing was changed.",
            next_step=f"Look at it, or cancel it: openlatch batch show {there.ref}",
            batch=there.ref,
        )
    items = _items([item for item, _ in made.items], who)
    batch = Batch(
        id=call.services.new_id(),
        kind="leaver",
        action="end",
        wanted={"last_day": last_day.isoformat() if last_day else None},
        reason=reason,
        ordered_by=call.actor.author,
        ordered_at=call.now,
        party_id=made.party.id,
        begins_at=begins_at,
    )
    return batches.start(call, batch, items)


def complete(call: Call, batch: Batch) -> None:
    """Go on with what else a leaver turned out to have; record that it is over once nothing is left."""
    if batch.kind != "leaver" or batch.party_id is None:
        return
    if batches.seen(call, [batch])[0].over:
        call.tx.batches.close(batch.id, call.now)
        call.log("batch.over", "batch", batch.id)
        return
    there = call.tx.batches.items(batch.id, limit=batches.MOST_ITEMS)
    known = {item.entry_id for item in there} | {item.membership_id for item in there} - {None}
    new = [
        item
        for item, _ in _plan(call, str(batch.party_id)).items
        if (item.entry_id or item.membership_id) not in (*known, None)
    ]
    if new:
        who = next((item.who for item in there if item.who), "")
        batches.more(call, batch, _items(new, who, first=max((item.place for item in there), default=0) + 1))


def _items(items: Sequence[Item], who: str, first: int = 1) -> list[BatchItem]:
    return [
        BatchItem(
            first + place,
            item.phase,
            item.action,
            item.text,
            item.entry_id,
            who if item.action == "ask" else "",
            membership_id=item.membership_id,
        )
        for place, item in enumerate(items)
    ]


def _plan(call: Call, text: str) -> LeaverPlan:
    party = call.tx.parties.find(text)
    if party.kind is not PartyKind.PERSON:
        raise Conflict(
            f"{party.name} is a {party.kind}, and only a person can leave.",
            next_step="End its entries one by one, or in bulk.",
            party=party.ref,
        )
    held = call.tx.entries.held_by([party.id])
    situations = [situation for situation, _ in orders.situations(call, held).values()]
    joined = [m for m in call.tx.memberships.around(party.id) if m.member_id == party.id]
    names = {party_id: team.name for party_id, team in call.tx.parties.some(m.team_id for m in joined).items()}
    providers = {provider_id: call.tx.providers.get(provider_id) for provider_id in {m.provider_id for m in joined}}
    unread = {each_provider_id for each_provider_id, provider in providers.items() if provider.by_hand}
    able = {each_id for each_id, provider in providers.items() if provider.abilities.removes_members} - unread
    unseen = {m.id for m in joined if m.provider_id in unread}
    items = tuple(
        replace(item, membership_id=None) if item.membership_id in unseen else item
        for item in leaver_items(party, situations, joined, names, able, _sign_in(call, party))
    )
    listed = call.tx.entries.about({item.entry_id for item in items if item.entry_id is not None})
    outside = not call.tx.workspace.circle.holds(party)
    acts = {item.entry_id: Wish(Action(item.action)) for item in items if item.entry_id is not None}
    return LeaverPlan(
        party,
        outside,
        tuple((item, listed.get(item.entry_id) if item.entry_id else None) for item in items),
        _with_doubts(call, party, foreseen(call, acts)),
    )


def _with_doubts(call: Call, party: Party, foresight: Foresight) -> Foresight:
    """What is foreseen, with what nobody here knows: whether they have still what they had at removed providers."""
    gone = call.tx.entries.about(call.tx.entries.let_go(party.id)).values()
    doubts = tuple(
        Named(
            listed.entry.id,
            f"{party.name} on {listed.account.name}",
            f"{party.name} had “{listed.entry.level}” on {listed.account.name} at {listed.provider.name}, which was "
            "removed here: nobody knows whether they have it still. See to it there.",
        )
        for listed in gone
    )
    if not doubts:
        return foresight
    return replace(foresight, consequences=(*foresight.consequences, ("not-watched", Severity.MEDIUM, doubts)))


def _sign_in(call: Call, party: Party) -> SignIn | None:
    """What a leaver can do in this workspace, and who can end that."""
    person = people.of_party(call, party)
    if person is None:
        return None
    by_owner = call.actor.person is not None and call.actor.person.role is Role.OWNER
    return SignIn(person.name, person.role, by_owner, is_only_owner(call.tx.people.all(), person))
