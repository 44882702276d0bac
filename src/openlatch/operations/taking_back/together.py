"""What many acts would do together, before they are ordered, and which of them would lock everybody out."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from uuid import UUID

from openlatch.core.ids import ref_of
from openlatch.core.model import Entry
from openlatch.core.orders.steps import Ask
from openlatch.core.taking_back.together import Act, Foreseen, Shared, becomes, foresee, locked_out, locked_out_text
from openlatch.operations.call import Call
from openlatch.operations.orders import orders
from openlatch.operations.orders.orders import Wish
from openlatch.operations.rules import advice
from openlatch.words import Power, Severity

__all__ = ["Foresight", "Named", "foreseen", "held_back"]

LOOKED_AT = 200
"""So many acts are looked at one by one before they are ordered; of more, the first."""


@dataclass(frozen=True, slots=True)
class Named:
    """An entry by its short form and by who holds it where, with what is said of it."""

    id: UUID
    name: str
    text: str

    @property
    def ref(self) -> str:
        return ref_of(self.id)


@dataclass(frozen=True, slots=True)
class Foresight:
    """What `count` acts would do together; `looked_at` of them were planned for one by one.

    `consequences` are each kind once, gravest first, with the entries that it comes of; `refused` cannot be acted on.
    """

    count: int
    looked_at: int
    refused: tuple[Named, ...]
    consequences: tuple[tuple[str, Severity, tuple[Named, ...]], ...]

    @property
    def ready(self) -> int:
        return self.count - len(self.refused)


def foreseen(call: Call, wanted: Mapping[UUID, Wish], about: Collection[UUID] | None = None) -> Foresight:
    """Return what acts on entries would do together, the first of them planned for one by one.

    With `about`, it is told of these entries alone; the others are acted on beside them.
    """
    about = wanted if about is None else about
    acts = _Acts.of(call, wanted, about)
    locked = {each_id: text for each_id, text in acts.held.items() if each_id in about}
    consequences = list(acts.seen.consequences)
    if locked:
        consequences.insert(0, Shared("last-administrator", Severity.CRITICAL, tuple(locked.items())))
    refused = {**acts.seen.refused, **locked}
    names = _names(call, {*refused, *(one for shared in consequences for one, _ in shared.entries)})
    return Foresight(
        len(about),
        acts.looked_at,
        tuple(Named(one, names[one], why) for one, why in refused.items()),
        tuple(
            (
                consequence.kind,
                consequence.severity,
                tuple(Named(entry, names[entry], text) for entry, text in consequence.entries),
            )
            for consequence in consequences
        ),
    )


def held_back(call: Call, wanted: Mapping[UUID, Wish]) -> Mapping[UUID, str]:
    """Return the entries whose acts would, all together, leave an account to nobody, each with what is said of it."""
    return _Acts.of(call, wanted, wanted).held


@dataclass(frozen=True, slots=True)
class _Acts:
    """Acts on entries as they are foreseen; `held` are those that would leave an account to nobody."""

    seen: Foreseen
    held: Mapping[UUID, str]
    looked_at: int

    @classmethod
    def of(cls, call: Call, wanted: Mapping[UUID, Wish], about: Collection[UUID]) -> _Acts:
        entries = call.tx.entries.some(wanted)
        asks = {wish_id: orders.ask_of(call, wish) for wish_id, wish in wanted.items() if wish_id in entries}
        after = _after(call, entries, asks)
        told = [each_id for each_id in asks if each_id in about][:LOOKED_AT]
        around = orders.situations(call, [entries[each_id] for each_id in told])
        acts = [Act(around[each_id][0], asks[each_id]) for each_id in told]
        seen = foresee(acts, after, call.now)
        # What cannot be done takes nothing away, and what is held back brings nothing about.
        after = {entry_id: then for entry_id, then in after.items() if entry_id not in seen.refused}
        held = _locked_out(call, entries, after)
        left_out = {*seen.refused, *held}
        if left_out:
            after = {each_entry_id: then for each_entry_id, then in after.items() if each_entry_id not in held}
            done = [act for act in acts if act.situation.entry.id not in left_out]
            seen = replace(foresee(done, after, call.now), refused=seen.refused)
        return cls(seen, held, len(told))


def _after(call: Call, entries: Mapping[UUID, Entry], asks: Mapping[UUID, Ask]) -> dict[UUID, Entry | None]:
    places = {(entries[each_id].provider_id, entries[each_id].kind) for each_id, ask in asks.items() if ask.level}
    levels = {(one, kind): advice.known_levels(call, call.tx.providers.get(one), kind) for one, kind in places}
    return {
        one: becomes(entries[one], ask, levels.get((entries[one].provider_id, entries[one].kind), {}))
        for one, ask in asks.items()
    }


def _locked_out(call: Call, entries: Mapping[UUID, Entry], after: Mapping[UUID, Entry | None]) -> dict[UUID, str]:
    accounts = {entry.account_id for entry in entries.values() if Power.ADMIT in entry.powers}
    if not accounts:
        return {}
    on = [entry for entry in call.tx.entries.on(accounts) if Power.ADMIT in entry.powers]
    holders = call.tx.parties.some({entry.party_id for entry in on})
    places = call.tx.accounts.names(accounts)
    entries_by_id = locked_out(after, on, holders, orders.going(call, on))
    return {
        entry.id: locked_out_text(places[account], [holders[entry.party_id].name for entry in theirs])
        for account, theirs in entries_by_id.items()
        for entry in theirs
    }


def _names(call: Call, ids: set[UUID]) -> dict[UUID, str]:
    return {
        entry_id: f"{seen.party.name} on {seen.account.name}" for entry_id, seen in call.tx.entries.about(ids).items()
    }
