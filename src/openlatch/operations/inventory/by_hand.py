"""What is recorded by hand, because no reading shows it: entries, vouching for them, and what is gone."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from uuid import UUID

from openlatch.core.inventory.import_rows import Complaint
from openlatch.core.inventory.imports import Imported, read_rows
from openlatch.core.inventory.reconcile import Changes
from openlatch.core.model import Entry, Provider
from openlatch.core.providers.observation import Observation, complaints
from openlatch.errors import Conflict, Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.inventory import entries
from openlatch.operations.inventory.entries import Sight
from openlatch.operations.order_jobs import queue
from openlatch.operations.providers import readings
from openlatch.operations.rules import circles, flags
from openlatch.words import EndReason, ReadingOutcome, State

__all__ = ["counts", "gone", "keep", "take", "take_in", "vouch"]


@operation("hand.keep")
def keep(call: Call, provider: str, fields: Mapping[str, str], *, somebody_else: bool = False) -> Sight:
    """Keep one entry by hand, or correct the one of the same key; `fields` are those of an imported line.

    An address that comes close to a known one is refused, unless it is said to be `somebody_else`.
    """
    the_provider = call.tx.providers.find(provider)
    rows = ((1, tuple(fields)), (2, tuple(fields.values())))
    imported = read_rows(rows, zone=call.tx.workspace.zone, provider=the_provider.name, now=call.now)
    imported = take_in(call, the_provider, imported)
    wrong = (*imported.complaints, *imported.remarks)
    if wrong:
        first = wrong[0]
        raise Invalid(
            f"{first.column or 'The entry'}: {first.problem}. Nothing was changed.",
            next_step="Correct it and send it again.",
            errors=[{"at": c.column or "body", "problem": c.problem} for c in wrong],
        )
    for party in imported.observation.parties if not somebody_else else ():
        for address in party.addresses:
            circles.refuse_resembling(call, address, party.name, "addresses")
    given_by = f"recorded by hand by {call.actor.name}"
    changes = take(call, the_provider, imported.observation, given_by, by=call.actor.name)
    return entries.show(call, str(_all(changes)[0].id))


@operation("hand.vouch")
def vouch(call: Call, text: str) -> Sight:
    """Say that an entry that is recorded by hand is still there as it is written."""
    call.tx.facts.take_turns()
    entry = _kept(call, text)
    _vouch(call, [entry])
    return entries.show(call, str(entry.id))


@operation("hand.gone")
def gone(call: Call, text: str, reason: str) -> Sight:
    """Say that an entry that is recorded by hand has ended at its provider."""
    call.tx.facts.take_turns()
    entry = _kept(call, text)
    why = EndReason.REVOKED if entry.state is State.ENDING else EndReason.GONE
    ended = entry.ended(why, call.now)
    call.tx.entries.save(ended)
    said = {"evidence": f"said by {call.actor.name}", "said": reason}
    call.log("entry.ended", "entry", entry.id, reason=str(ended.end_reason), **said)
    flags.evaluate(call, [ended])
    # Whoever was asked to end it need not say so once more.
    for order in call.tx.orders.waiting_for([entry.id]):
        queue(call, replace(order, again_at=None))
    return entries.show(call, str(entry.id))


def take_in(call: Call, provider: Provider, imported: Imported) -> Imported:
    """Return a list as it is to be taken in here: with complaints about what readings of the provider show, and with
    accounts named as the provider does, where it shows them.
    """
    lines, complaints = imported.lines, list(imported.complaints)
    read = {e.key for e in call.tx.entries.standing(provider.id, imported.lines) if not e.by_hand}
    for entry in imported.observation.entries:
        if entry.key in read:
            problem = f"{entry.key} is the key of an entry that readings of {provider.name} show; give another, or none"
            complaints.append(Complaint(lines[entry.key], "", problem))
        elif provider.reads(entry.kind):
            problem = f"readings of {provider.name} show every {entry.kind}; record by hand only what they do not show"
            complaints.append(Complaint(lines[entry.key], "", problem))
    if complaints:
        return replace(imported, observation=Observation(ReadingOutcome.PARTIAL), complaints=tuple(complaints))
    seen = imported.observation
    there = call.tx.accounts.of(provider.id)
    meant = {
        a.key: [account for account in there if account.key == a.name]
        or [account for account in there if account.name.casefold() == a.name.casefold()]
        for a in seen.accounts
    }
    for entry in seen.entries:
        if len(meant[entry.account]) > 1:
            which = ", ".join(sorted(account.key for account in meant[entry.account]))
            problem = f"{provider.name} has several accounts called “{entry.account}”; write its key: {which}"
            complaints.append(Complaint(lines[entry.key], "account", problem))
    if complaints:
        return replace(imported, observation=Observation(ReadingOutcome.PARTIAL), complaints=tuple(complaints))
    accounts = {
        a.key: replace(a, key=meant[a.key][0].key, name=meant[a.key][0].name) if meant[a.key] else a
        for a in seen.accounts
    }
    entries = tuple(replace(entry, account=accounts[entry.account].key) for entry in seen.entries)
    return replace(imported, observation=replace(seen, accounts=tuple(accounts.values()), entries=entries))


def _kept(call: Call, text: str) -> Entry:
    entry = call.tx.entries.lock(call.tx.entries.find(text).entry.id)
    if not entry.by_hand:
        raise Conflict(
            f"Entry {entry.ref} is read from its provider, not recorded by hand. Nothing was changed.",
            next_step="Read the provider again to see whether it is still there; to end it, order that.",
            entry=entry.ref,
        )
    if not entry.stands:
        why = "is at a provider that was removed" if entry.in_doubt else f"has ended already ({entry.end_reason})"
        raise Conflict(
            f"Entry {entry.ref} {why}. Nothing was changed.",
            next_step="If it is there again, keep it as a new entry.",
            entry=entry.ref,
        )
    return entry


def take(
    call: Call, provider: Provider, seen: Observation, evidence: str, *, by: str, evaluated: bool = True
) -> Changes:
    """Bring the inventory to what someone writes down, who thereby vouches for it: `by` is their name.

    Unless `evaluated`, its flags are left to the caller.
    """
    wrong = complaints(seen)
    if wrong:
        raise Invalid(f"{wrong[0]}. Nothing was changed.", next_step="Correct the list and import it again.")
    call.tx.facts.take_turns()
    call.tx.providers.lock(provider.id)
    changes = readings.apply(call, provider.id, seen, evidence=evidence)
    ids = [entry.id for entry in _all(changes)]
    # Vouched for first: what someone has just written down is not to be flagged as something nobody vouches for.
    call.tx.entries.vouch(ids, by, call.now)
    if evaluated:
        readings.evaluate(call, changes)
    call.log_all(call.event("entry.vouched", "entry", entry_id) for entry_id in ids)
    return changes


def _vouch(call: Call, kept: Sequence[Entry]) -> None:
    ids: list[UUID] = [entry.id for entry in kept]
    call.tx.entries.vouch(ids, call.actor.name, call.now)
    call.log_all(call.event("entry.vouched", "entry", entry_id) for entry_id in ids)
    flags.evaluate(call, ids)


def _all(changes: Changes) -> tuple[Entry, ...]:
    return (*changes.new_entries, *(after for _, after in changes.changed_entries), *changes.unchanged)


def counts(changes: Changes) -> dict[str, int]:
    """Return what taking something in changed, as numbers of entries."""
    return {
        "new": len(changes.new_entries),
        "changed": len(changes.changed_entries),
        "unchanged": len(changes.unchanged),
    }
