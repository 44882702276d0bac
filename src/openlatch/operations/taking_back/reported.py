"""Acting on what a provider reports of someone: whoever is meant is read again, and what that bears out is done."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from openlatch.core.ids import ref_of
from openlatch.core.model import Provider, normal_address
from openlatch.core.providers.observation import Observation
from openlatch.core.providers.ports import Connector
from openlatch.core.providers.security_events import Subject, borne_out, key_of, meant
from openlatch.core.taking_back.leaver import Phase
from openlatch.core.telling.notices import Notice
from openlatch.errors import OpenLatchError
from openlatch.operations.call import Call
from openlatch.operations.orders.orders import Wish
from openlatch.operations.providers import readings
from openlatch.operations.rules import policies
from openlatch.operations.taking_back import batches, leavers
from openlatch.operations.telling import notices
from openlatch.store.providers.security_events import SecurityEvent
from openlatch.words import Action, Kind, Reaction

__all__ = ["Matter", "begin", "conclude"]


@dataclass(frozen=True, slots=True)
class Matter:
    """An event to act on, whom it means at its provider, and who can read them again."""

    event: SecurityEvent
    provider: Provider
    connector: Connector | None = None
    party_id: UUID | None = None
    key: str = ""


def begin(call: Call, event_id: UUID) -> Matter | None:
    """Return what is to be done about an event; None if that is done already."""
    event = call.tx.security_events.get(event_id)
    if event.done_at is not None:
        return None
    provider = call.tx.providers.get(event.provider_id)
    if provider.removed_at is not None:
        call.tx.security_events.done(event.id, None, "Its provider was removed.", call.now)
        return None
    keys = {key: party_id for key, (party_id, _) in call.tx.parties.keys_at(provider.id).items()}
    carrying = {normal_address(address): call.tx.parties.carrying(address) for address in event.addresses}
    party_id = meant(Subject(event.keys, event.addresses), keys, carrying)
    if party_id is None:
        return Matter(event, provider)
    key = next((key for name in event.keys if (key := key_of(name, keys)) and keys[key] == party_id), "")
    key = key or call.tx.parties.keys_of([party_id], provider.id)[party_id]
    return Matter(event, provider, call.connect(provider), party_id, key)


def conclude(call: Call, matter: Matter, seen: Observation | None, trouble: str = "") -> None:
    """Store what a fresh reading of someone has shown, and do about the event what the policy says."""
    event, provider = matter.event, matter.provider
    if call.tx.security_events.get(event.id).done_at is not None:
        return
    if matter.party_id is None or seen is None:
        readings.queue(call, provider)
        why = f"They could not be read again: {trouble}" if trouble else "It is not certain who this is about."
        call.tx.security_events.done(event.id, matter.party_id, f"{why} All of {provider.name} is read.", call.now)
        return
    call.tx.facts.take_turns()
    call.tx.providers.lock(provider.id)
    changes = readings.apply(call, provider.id, seen, evidence=str(event.id), subjects=[matter.key])
    reaction = policies.current(call).policy.reactions[event.reported]
    shows = borne_out(event.reported, matter.key, seen, discreet=provider.abilities.discreet)
    said = ["They were read again." if shows else f"They were read again, and {provider.name} does not show it."]
    if reaction is not Reaction.READ:
        call.tx.parties.reported(matter.party_id, f"{provider.name} says that {event.reported.says}", event.at)
        said.append("The rules can flag them for it.")
    readings.evaluate(call, changes, also=[matter.party_id])
    if reaction is Reaction.ORDER:
        said.append(_order(call, matter.party_id, event, provider) if shows else "Nothing was ordered.")
    call.tx.security_events.done(event.id, matter.party_id, " ".join(said), call.now)
    if reaction is not Reaction.READ:
        party = call.tx.parties.some([matter.party_id])[matter.party_id]
        title = f"{provider.name} says of {party.name} that {event.reported.says}"
        news = Notice(f"reported:{event.id}", title, " ".join(said), f"/parties/{party.ref}")
        notices.tell(call, notices.managers(call), news)


def _order(call: Call, party_id: UUID, event: SecurityEvent, provider: Provider) -> str:
    """Order what follows from what was reported; returns what was ordered, in words."""
    reason = f"{provider.name} says that {event.reported.says}"
    try:
        if event.reported.of_the_account:
            made = leavers.take_all_back(call, party_id, reason)
            if made is None:
                return "They have no access that could be ended."
            first = call.tx.batches.phase(made.batch.id) == Phase.HAND_OVER
            once = ", once someone has done what has to be done first" if first else ""
            return f"Batch {made.batch.ref} ends all their access{once}."
        sessions = [entry.id for entry in call.tx.entries.held_by([party_id]) if entry.kind is Kind.SESSION]
        if not sessions:
            return "They have no open session that is known."
        where = {"party": ref_of(party_id), "kind": Kind.SESSION.value}
        made = batches.together(call, sessions, Wish(Action.END), reason, where)
        return f"Batch {made.batch.ref} ends their sessions."
    except OpenLatchError as error:
        return f"Nothing was ordered: {error.message.removesuffix(' Nothing was changed.')}"
