"""Readings: asking for one, and turning what it saw into the inventory.

The worker calls `begin`, reads the provider outside any transaction, reports with `progress`, and ends with `conclude`.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, fields, replace
from datetime import timedelta
from typing import Any
from uuid import UUID

import orjson

from openlatch.core.inventory.reconcile import (
    EVERYBODY,
    Changes,
    Held,
    Identifier,
    again_after,
    reconcile,
    salt,
    shared,
    withheld,
)
from openlatch.core.model import Abilities, Entry, Provider, Reading, normal_address
from openlatch.core.orders.teams import Belonging
from openlatch.core.providers.observation import (
    Observation,
    ObservedParty,
    coherent,
    digest,
    in_force,
    resolved,
    sifted,
    spread,
)
from openlatch.core.providers.ports import Connector
from openlatch.core.providers.ports import Page as SeenPage
from openlatch.core.record.ledger import Event
from openlatch.errors import Conflict
from openlatch.operations import order_jobs
from openlatch.operations.call import Call, operation
from openlatch.operations.providers import levels
from openlatch.operations.providers.doings import remember
from openlatch.operations.rules import flags
from openlatch.operations.telling import alerts
from openlatch.store.inventory.entries import NO_DIGESTS
from openlatch.store.pages import Page
from openlatch.words import PartyKind, PartyStatus, ReadingOutcome, ReadingState, State

__all__ = [
    "TASK",
    "Work",
    "apply",
    "begin",
    "begin_anew",
    "browse",
    "conclude",
    "evaluate",
    "preview",
    "progress",
    "queue",
    "show",
    "start",
    "tidy",
]

TASK = "openlatch.read"
LONGEST_WAIT = 86400
"""No provider puts its next reading off for longer than that, in seconds, by asking for it."""
MOST_REMARKS = 200
"""So many remarks of a reading are kept."""
FRESH = timedelta(minutes=15)
"""What a reading saw longer ago is not gone on with: too much may be otherwise by now."""
LOST = timedelta(hours=2)
"""Longer than any reading takes; one that is open for so long no longer keeps the next one out."""

# What moves with every reading tells nothing that the log should keep.
_RESTLESS = {"last_used", "last_seen", "version"}


@dataclass(frozen=True, slots=True)
class Work:
    """What the worker needs for a reading; `seen` are the pages from which it goes on, if a worker before it died."""

    reading: Reading
    connector: Connector
    seen: tuple[SeenPage, ...] = ()


@operation("readings.start")
def start(call: Call, text: str, *, accept_loss: bool) -> tuple[Reading, bool]:
    """Ask for a reading of a provider now; returns the one in progress if there is one, and whether it is new.

    With `accept_loss`, whatever it no longer shows has ended, however much that is.
    """
    provider = call.tx.providers.find(text)
    if provider.by_hand:
        raise Conflict(
            f"{provider.name} is recorded by hand: there is nothing to read.",
            next_step="Look at it yourself, then vouch for what is still there, or import your list again.",
            provider=provider.name,
        )
    reading, new = queue(call, provider, accept_loss=accept_loss)
    if accept_loss and not new:
        call.tx.readings.accept_loss(reading.id)
    if new or accept_loss:
        call.log("reading.asked", "provider", provider.id, provider=provider.name, accept_loss=accept_loss)
    return reading, new


@operation("readings.browse")
def browse(call: Call, provider: str, limit: int, cursor: str | None) -> Page[Reading]:
    """Readings, the latest first, of one provider or of all."""
    wanted = call.tx.providers.find(provider).id if provider else None
    return call.tx.readings.browse(provider_id=wanted, limit=limit, cursor=cursor)


@operation("readings.show")
def show(call: Call, reading_id: UUID) -> Reading:
    """One reading, with its progress while it runs."""
    return call.tx.readings.get(reading_id)


def queue(call: Call, provider: Provider, *, accept_loss: bool = False) -> tuple[Reading, bool]:
    """Open a reading and queue its job in the same transaction; at most one is open for a provider."""
    wanted = Reading(
        call.services.new_id(), provider.id, ReadingState.QUEUED, call.actor.name, call.now, accept_loss=accept_loss
    )
    reading, new = call.tx.readings.open(wanted)
    if not new and call.now - reading.asked_at > LOST:
        trouble = "It never came to an end; whatever carried it out was lost."
        call.tx.readings.save(replace(reading, state=ReadingState.FAILED, finished_at=call.now, trouble=trouble))
        reading, new = call.tx.readings.open(wanted)
    if new:
        call.tx.providers.read(provider.id, call.now + timedelta(minutes=provider.read_every), None, None)
        call.tx.enqueue(TASK, lock=f"provider:{provider.id}", reading_id=str(reading.id))
    return reading, new


def begin(call: Call, reading_id: UUID) -> Work | None:
    """Mark a reading as running; None if it is over already, which a job that is repeated finds."""
    reading = call.tx.readings.get(reading_id)
    if reading.finished_at is not None:
        return None
    seen = call.tx.readings.pages_since(reading.id, call.now - FRESH)
    if not seen:
        call.tx.readings.forget_pages(reading.id)
    count = sum(len(page.entries) for page in seen)
    reading = replace(reading, state=ReadingState.RUNNING, seen=count)
    call.tx.readings.save(reading)
    return Work(reading, call.connect(call.tx.providers.get(reading.provider_id)), seen)


def progress(call: Call, reading: Reading, page: SeenPage, place: int) -> None:
    """Let people see how far a reading is, and keep a page from which it could go on, the `place`th of it."""
    call.tx.readings.progress(reading.id, reading.seen, reading.total)
    if page.cursor:
        call.tx.readings.keep_page(reading.id, place, page, call.now)


def begin_anew(call: Call, reading: Reading) -> Reading:
    """Forget what a reading has seen so far, because its provider does not go on from there."""
    call.tx.readings.forget_pages(reading.id)
    reading = replace(reading, seen=0, total=None)
    call.tx.readings.progress(reading.id, reading.seen, reading.total)
    return reading


def conclude(
    call: Call,
    reading: Reading,
    observation: Observation,
    abilities: Abilities | None,
    retry_after: int | None = None,
) -> Reading:
    """Store what a reading saw, but for what contradicts itself in it; a partial one concludes nothing gone.

    After one that is not complete the provider is read again sooner than usual, at first after a minute, then after
    twice as long each time; never before `retry_after` seconds, if it asked for that.
    """
    tx = call.tx
    provider = tx.providers.get(reading.provider_id)
    if provider.removed_at is not None:
        return tx.readings.get(reading.id)
    # Someone may have accepted the loss while the provider was being read.
    reading = replace(reading, accept_loss=tx.readings.get(reading.id).accept_loss)
    if observation.outcome is ReadingOutcome.PARTIAL:
        observation = coherent(observation)
    observation = sifted(spread(sifted(resolved(observation))))
    observation = in_force(observation, (abilities or provider.abilities).enforces, call.now)
    counts, lost, seen = {}, 0, 0
    if observation.outcome is not ReadingOutcome.FAILED:
        seen = len(observation.entries)
        held, observation, digests = _news(call, provider, observation)
        able = abilities or provider.abilities
        lost = withheld(held, observation, provider.most_gone, discreet=able.discreet)
        lost = 0 if reading.accept_loss else lost
        if lost:
            known = len(held.entries) + held.left_out
            trouble = (
                f"It no longer shows {lost} of {known} entries, more than the {provider.most_gone}% that may vanish "
                "at once. Someone has to confirm that they are gone."
            )
            if able.discreet and lost == known:
                trouble = (
                    f"It shows none of {known} entries any more. It answers alike for what has ended and for what our "
                    "credentials may not ask about. Someone has to confirm that they are gone."
                )
            observation = replace(observation, outcome=ReadingOutcome.PARTIAL, trouble=trouble)
        changes = _store(call, held, observation, evidence=str(reading.id), digests=digests.entries)
        _wake(call, changes, str(reading.id))
        evaluate(call, changes)
        counts = _counts(changes, held.left_out)
        tx.entries.digested({e.id: digests.entries[e.key] for e in changes.unchanged}, call.now)
        tx.parties.digested(provider.id, digests.parties)
        complete_ = observation.outcome is ReadingOutcome.COMPLETE
        accounts = {account.key: account.id for account in tx.accounts.of(provider.id)} if observation.documents else {}
        tx.documents.keep(provider.id, observation.documents, accounts, every=complete_)
        if provider.last_complete is not None:
            alerts.administrators_added(call, changes.new_entries)
        remember(call, provider, observation, _keys(held, changes))
    done = replace(
        reading,
        state=ReadingState(observation.outcome.value),
        finished_at=call.now,
        seen=seen or reading.seen,
        # What follows from documents is counted as well, and no provider announces that.
        total=seen if observation.outcome is ReadingOutcome.COMPLETE else reading.total,
        counts=counts,
        trouble=observation.trouble,
        withheld=lost,
        remarks=observation.remarks[:MOST_REMARKS],
    )
    complete = call.now if observation.outcome is ReadingOutcome.COMPLETE else None
    tx.readings.save(done)
    usual = timedelta(minutes=provider.read_every)
    wait = usual if complete or lost else min(usual, again_after(_failures(call, provider)))
    wait = max(wait, timedelta(seconds=min(retry_after or 0, LONGEST_WAIT)))
    tx.providers.read(provider.id, call.now + wait, complete, abilities)
    call.log(
        f"reading.{done.state}",
        "provider",
        provider.id,
        reading=str(reading.id),
        seen=done.seen,
        **counts,
        **({"trouble": done.trouble} if done.trouble else {}),
        **({"remarks": list(done.remarks)} if done.remarks else {}),
    )
    return done


def _keys(held: Held, changes: Changes) -> dict[str, UUID]:
    """The parties that a provider knows, by its keys."""
    names = [*held.identifiers.items(), *changes.new_identifiers]
    return {name.value: party_id for name, party_id in names if name.scheme == str(held.provider_id)}


def _failures(call: Call, provider: Provider) -> int:
    """How many readings in a row, this one among them, were not complete."""
    page = call.tx.readings.browse(provider_id=provider.id, limit=8, cursor=None)
    count = 0
    for reading in page.items:
        if reading.state is ReadingState.COMPLETE:
            break
        count += reading.finished_at is not None
    return max(count, 1)


def apply(
    call: Call,
    provider_id: UUID,
    observation: Observation,
    *,
    evidence: str | Mapping[UUID, str],
    subjects: Collection[str] | None = None,
    seen_to: Collection[UUID] = (),
) -> Changes:
    """Bring the inventory to what was observed (of some parties only, with `subjects`), with its log.

    `evidence` says what the log goes by: one thing, or one for each party. Orders that wait for what was observed are
    taken up again, but for those that are `seen_to`.

    Its flags are left to the caller, who may have more to say first; see `evaluate`.
    """
    observation = in_force(observation, call.tx.providers.get(provider_id).abilities.enforces, call.now)
    held = _held(call, provider_id, observation, subjects)
    changes = _store(call, held, observation, evidence=evidence, subjects=subjects)
    _wake(call, changes, evidence, seen_to)
    return changes


def evaluate(call: Call, *several: Changes, also: Collection[UUID] = ()) -> None:
    """Bring flags up to date with what observations changed, and `also` those of these parties."""
    tx = call.tx
    # What a reading says of a party bears on all that it holds, and so does who is in which team.
    joined = {m.member_id for changes in several for m in (*changes.new_memberships, *changes.gone_memberships)}
    met = {party.id for changes in several for _, party in changes.changed_parties}
    met |= {party.id for changes in several for party in changes.new_parties}
    parties = met | joined | tx.memberships.below(joined) | set(also)
    changed = {account.id for changes in several for _, account in changes.changed_accounts}
    accounts = changed | {account.id for changes in several for account in changes.new_accounts}
    touched = [entry for changes in several for entry in changes.touched]
    flags.evaluate(call, (*tx.entries.ids_of(parties, changed), *touched), accounts, parties, met)


@dataclass(frozen=True, slots=True)
class _Digests:
    """What is to be remembered of a reading, by the provider's keys."""

    entries: Mapping[str, bytes]
    parties: Mapping[str, bytes]


def _news(call: Call, provider: Provider, observation: Observation) -> tuple[Held, Observation, _Digests]:
    """Leave out of a full observation what was observed just so the last time, and load only what is left.

    A reading of a large provider mostly says what is known already: comparing digests is all that this takes.
    """
    tx, scheme = call.tx, str(provider.id)
    tx.facts.take_turns()
    tx.providers.lock(provider.id)
    vocabulary = levels.vocabulary(call, provider)
    by = salt(vocabulary)
    before, known = tx.entries.digests(provider.id), tx.parties.keys_at(provider.id)
    entries = {e.key: digest(e, by) for e in observation.entries}
    parties = {p.key: digest(p) for p in observation.parties}
    same = {key for key, now in entries.items() if before.get(key) == now}
    news = tuple(e for e in observation.entries if e.key not in same)
    changed = tuple(p for p in observation.parties if known.get(p.key, (None, None))[1] != parties[p.key])
    identifiers = {Identifier(scheme, key): party_id for key, (party_id, _) in known.items()}
    identifiers |= tx.parties.known(i for p in changed for i in _identifiers(provider.id, p)[1:])
    theirs = {identifiers[i] for p in changed for i in _identifiers(provider.id, p) if i in identifiers}
    held = tuple(tx.entries.standing(provider.id, before.keys() - same))
    return (
        Held(
            provider_id=provider.id,
            accounts={account.key: account for account in tx.accounts.of(provider.id)},
            parties=tx.parties.some(theirs),
            identifiers=identifiers,
            entries={entry.key: entry for entry in held},
            memberships=tx.memberships.standing(provider.id),
            vocabulary=vocabulary,
            circle=tx.workspace.circle,
            written=tx.parties.unknown_elsewhere(theirs),
            ending=tx.orders.ending(e.id for e in held if e.state is State.ENDING),
            signing_in=_signing_in(call, changed),
            says_who=provider.says_who,
            told=_told(call, provider.id, theirs),
            left_out=len(same),
        ),
        replace(observation, parties=changed, entries=news),
        _Digests({e.key: entries[e.key] for e in news}, {p.key: parties[p.key] for p in changed}),
    )


def preview(call: Call, provider_id: UUID, observation: Observation) -> Changes:
    """Return what an observation would change, and change nothing."""
    return reconcile(_held(call, provider_id, observation), observation, now=call.now, new_id=call.services.new_id)


def _held(call: Call, provider_id: UUID, observation: Observation, subjects: Collection[str] | None = None) -> Held:
    """What is stored of a provider, as far as an observation can be about it; no other reading is stored meanwhile."""
    tx = call.tx
    tx.facts.take_turns()
    tx.providers.lock(provider_id)
    names = _names(provider_id, observation)
    of = {Identifier(str(provider_id), subject) for subject in subjects or ()}
    identifiers = tx.parties.known(names | of)
    # Whoever has an address may be known by another key there than any that is shown now.
    identifiers |= tx.parties.known_at(provider_id, identifiers.values())
    if subjects is None:
        held, accounts = tx.entries.standing(provider_id), tx.accounts.of(provider_id)
        memberships = tx.memberships.standing(provider_id)
    else:
        # Of these parties only, which keeps an order as quick in a large inventory as in a small one.
        theirs = tx.entries.held_by(identifiers[name] for name in of if name in identifiers)
        shown = tx.entries.standing(provider_id, [entry.key for entry in observation.entries])
        held = (*(entry for entry in theirs if entry.provider_id == provider_id), *shown)
        accounts = tx.accounts.of(provider_id, [account.key for account in observation.accounts])
        members = [identifiers[name] for name in names | of if name in identifiers]
        memberships = tx.memberships.standing(provider_id, members)
    entries = {entry.key: entry for entry in held}
    return Held(
        provider_id=provider_id,
        accounts={account.key: account for account in accounts},
        parties=tx.parties.some(set(identifiers.values())),
        identifiers=identifiers,
        entries=entries,
        memberships=memberships,
        vocabulary=levels.vocabulary(call, tx.providers.get(provider_id)),
        circle=tx.workspace.circle,
        written=tx.parties.unknown_elsewhere(identifiers.values()),
        ending=tx.orders.ending(e.id for e in entries.values() if e.state is State.ENDING),
        signing_in=_signing_in(call, observation.parties),
        says_who=tx.providers.get(provider_id).says_who,
        told=_told(call, provider_id, identifiers.values()),
    )


def _signing_in(call: Call, parties: Iterable[ObservedParty]) -> dict[str, UUID]:
    """The people here by their addresses, where one of these parties is the login of a program or has a sponsor."""
    if not any(party.service or party.sponsor for party in parties):
        return {}
    return {normal_address(person.address): person.id for person in call.tx.people.able()}


def _told(call: Call, provider_id: UUID, parties: Iterable[UUID]) -> frozenset[UUID]:
    """Those of some parties of whom another provider says who they are."""
    source = call.tx.providers.saying_who()
    if source is None or source.id == provider_id:
        return frozenset()
    return call.tx.parties.known_by(source.id, set(parties))


def _store(
    call: Call,
    held: Held,
    observation: Observation,
    *,
    evidence: str | Mapping[UUID, str],
    subjects: Collection[str] | None = None,
    digests: Mapping[str, bytes] = NO_DIGESTS,
) -> Changes:
    tx = call.tx
    changes = reconcile(held, observation, now=call.now, new_id=call.services.new_id, subjects=subjects)
    tx.accounts.add(changes.new_accounts)
    tx.accounts.save_all(account for _, account in changes.changed_accounts)
    tx.parties.add(changes.new_parties, changes.new_identifiers)
    tx.parties.part(changes.parted)
    tx.parties.save_all(party for _, party in changes.changed_parties)
    for before, after in changes.changed_parties:
        if after.sponsor != before.sponsor:
            tx.parties.sponsored(after.id, after.sponsor)
            address = next((text for text, person in held.signing_in.items() if person == after.sponsor), "")
            call.log("party.sponsored", "party", after.id, sponsor=address)
    tx.parties.shown(held.provider_id, observation.parties)
    tx.entries.add(changes.new_entries, digests)
    tx.entries.save_all((entry for _, entry in (*changes.changed_entries, *changes.gone)), digests)
    tx.memberships.add(changes.new_memberships)
    tx.memberships.end(changes.gone_memberships)
    call.log_all(_events(call, changes, evidence))
    return changes


def _wake(call: Call, changes: Changes, evidence: str | Mapping[UUID, str], seen_to: Collection[UUID] = ()) -> None:
    """Have the orders go on that wait for what is gone: whoever was asked to end it need not say that it is done."""
    left = [Belonging(m.provider_id, m.team_id, m.member_id) for m in changes.gone_memberships]
    waiting = call.tx.orders.waiting_for([*(entry.id for _, entry in changes.gone), *left])
    woken = [replace(order, again_at=None) for order in waiting if order.id not in seen_to]
    if isinstance(evidence, str):  # one that waits for a device need not wait for its next look
        patient = {order.id for order in waiting if order.patient}
        woken = [replace(order, version=order.version + 1) if order.id in patient else order for order in woken]
        call.tx.orders.save_all([order for order in woken if order.id in patient])
    order_jobs.queue_now(call, woken)


def _names(provider_id: UUID, observation: Observation) -> set[Identifier]:
    return {name for party in observation.parties for name in _identifiers(provider_id, party)}


def _identifiers(provider_id: UUID, party: ObservedParty) -> tuple[Identifier, ...]:
    addresses = (Identifier("address", normal_address(a)) for a in party.addresses)
    anyone = (EVERYBODY,) if party.kind is PartyKind.ANYONE else ()
    return (Identifier(str(provider_id), party.key), *addresses, *map(shared, party.addresses), *anyone)


def _counts(changes: Changes, left_out: int) -> dict[str, int]:
    return {
        "new": len(changes.new_entries),
        "changed": len(changes.changed_entries),
        "gone": len(changes.gone),
        "unchanged": len(changes.unchanged) + left_out,
    }


def _events(call: Call, changes: Changes, by: str | Mapping[UUID, str]) -> Iterable[Event]:
    def evidence(party_id: UUID) -> str:
        return by if isinstance(by, str) else by.get(party_id, "")

    for entry in changes.new_entries:
        facts = {"key": entry.key, "level": entry.level, "powers": list(entry.powers)}
        facts["evidence"] = evidence(entry.party_id)
        yield call.event("entry.found", "entry", entry.id, **facts)
    for was, party in changes.changed_parties:
        if party.status is PartyStatus.LEFT and was.status is not PartyStatus.LEFT:
            yield call.event("party.left", "party", party.id, evidence=evidence(party.id))
    for membership in changes.new_memberships:
        member = membership.member_id
        yield call.event("member.joined", "party", member, team=str(membership.team_id), evidence=evidence(member))
    for membership in changes.gone_memberships:
        member = membership.member_id
        yield call.event("member.left", "party", member, team=str(membership.team_id), evidence=evidence(member))
    for before, after in changes.changed_entries:
        difference = _difference(before, after)
        if difference:
            yield call.event("entry.changed", "entry", after.id, evidence=evidence(after.party_id), **difference)
    for _, after in changes.gone:
        facts = {"reason": str(after.end_reason), "evidence": evidence(after.party_id)}
        yield call.event("entry.ended", "entry", after.id, **facts)


def _difference(before: Entry, after: Entry) -> dict[str, Any]:
    pairs = {f.name: (getattr(before, f.name), getattr(after, f.name)) for f in fields(Entry)}
    told = {name: pair for name, pair in pairs.items() if pair[0] != pair[1] and name not in _RESTLESS}
    if not told:
        return {}
    return {
        "before": {name: _plain(value) for name, (value, _) in told.items()},
        "after": {name: _plain(other) for name, (_, other) in told.items()},
    }


def _plain(value: object) -> object:
    """What JSON makes of a value."""
    return orjson.loads(orjson.dumps(value, default=sorted, option=orjson.OPT_NON_STR_KEYS))


def tidy(call: Call) -> None:
    """Forget readings of longer ago than the holder keeps them."""
    if days := call.tx.workspace.keep_readings_days:
        call.tx.readings.forget(call.now - timedelta(days=days))
