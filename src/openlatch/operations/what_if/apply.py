"""Carrying a proposal out: as orders, as offers to whoever is let in, and as tasks where only people can do it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any
from uuid import UUID

import orjson

from openlatch.errors import Changed
from openlatch.operations.call import Call, operation
from openlatch.operations.letting_in import offers, terms
from openlatch.operations.orders import orders
from openlatch.operations.providers.lookups import Findings, Lookup
from openlatch.operations.rules import adoption, policies
from openlatch.operations.what_if import proposals
from openlatch.operations.what_if.proposals import ProposalSight
from openlatch.operations.what_if.rehearse import extension, wish_of
from openlatch.store.taking_back.batches import Batch, BatchItem
from openlatch.wire.what_if import proposal_file as wire
from openlatch.words import Action

__all__ = ["apply", "lookups"]


@operation("proposals.look_up")
def lookups(call: Call, text: str) -> list[Lookup]:
    """Return whom to ask about at which provider, before a proposal is carried out."""
    file = proposals.checked(proposals.show(call, text).latest.body)
    the_lookups = {}
    for change in file.changes:
        if isinstance(change, wire.Give):
            for lookup in terms.lookups(call, wish_of(change, file.why or file.title)):
                the_lookups[lookup.provider_id, lookup.who] = lookup
    return list(the_lookups.values())


@operation("proposals.apply")
def apply(call: Call, text: str, number: int, findings: Findings) -> ProposalSight:
    """Carry the latest version of a proposal out, if what it would change is still what was shown.

    All of it is ordered or none: what cannot be ordered as things stand is refused (Conflict) as a whole.
    """
    proposal = proposals.opened(call, text)
    latest = proposals.show(call, text).latest
    if number != latest.number or latest.outcome is None:
        raise Changed(
            "That is not the latest version, or it is not worked out. Nothing was changed.",
            next_step="Look at what the latest version would change, then apply that.",
        )
    file = proposals.checked(latest.body)
    if _essence(proposals.outcome(call, file)) != _essence(latest.outcome):
        raise Changed(
            "What this would change is not what was shown any more. Nothing was changed.",
            next_step="Run it again, and look at it.",
        )
    batch = Batch(
        id=call.services.new_id(),
        kind="proposal",
        action=Action.LET_IN.value,
        wanted={"proposal": proposal.ref, "title": proposal.title},
        reason=file.why,
        ordered_by=call.actor.author,
        ordered_at=call.now,
    )
    items, came = _carried_out(call, file, findings, proposal.title)
    call.tx.batches.add(batch, items)
    call.tx.batches.ordered(batch.id, came)
    for item in items:
        if item.done_by:
            call.tx.batches.done(batch.id, item.place, item.done_by, call.now)
    call.log("proposal.applied", "proposal", proposal.id, number=number, batch=str(batch.id), title=proposal.title)
    call.tx.proposals.applied(proposal.id, call.actor.name, call.now, batch.id)
    return proposals.show(call, text)


def _essence(outcome: Mapping[str, Any]) -> list[bytes]:
    """What someone has to have seen of an outcome: who gains and loses what, and which limits are passed."""
    return sorted(
        orjson.dumps(value, option=orjson.OPT_SORT_KEYS) for value in (*outcome["shifts"], *outcome["limits"])
    )


def _carried_out(
    call: Call, file: wire.ProposalFile, findings: Findings, title: str
) -> tuple[list[BatchItem], dict[int, UUID]]:
    """Order, offer and adopt what is proposed; returns what came of each change, and the orders by their places."""
    items: list[BatchItem] = []
    came: dict[int, UUID] = {}
    for place, change in enumerate(file.changes, start=1):
        if isinstance(change, wire.Give):
            wish = wish_of(change, file.why or file.title)
            the_terms = terms.terms(call, wish, findings)
            made = offers.create(call, wish, findings, the_terms.digest)
            text = f"Offered to {made.offer.name}, who takes it up by a link ({made.offer.ref})."
            items.append(BatchItem(place, 0, Action.LET_IN.value, text, done_by=call.actor.name))
        elif isinstance(change, wire.Policy):
            adopted = adoption.adopt(call, change.text, f"Proposal: {title}", policies.latest(call).number)
            text = f"Adopted as policy {adopted.number}."
            items.append(BatchItem(place, 0, "policy", text, done_by=call.actor.name))
        elif isinstance(change, wire.Lock | wire.Share):
            items.append(BatchItem(place, 0, change.do, _task(call, change), who=call.actor.name))
        else:
            given = orders.create(call, change.entry, _order(change), f"Proposal: {title}", None)
            items.append(BatchItem(place, 0, change.do, "", given.order.entry_id))
            came[place] = given.order.id
    return items, came


def _order(change: wire.End | wire.Narrow | wire.Pause | wire.Resume | wire.EndOn | wire.Extend) -> orders.Wish:
    if isinstance(change, wire.Extend):
        return extension(change)
    wish = orders.Wish(Action(change.do))
    if isinstance(change, wire.Narrow):
        resources = None if change.resources is None else tuple(change.resources)
        return replace(wish, level=change.level, resources=resources)
    return replace(wish, until=change.until) if isinstance(change, wire.EndOn) else wish


def _task(call: Call, change: wire.Lock | wire.Share) -> str:
    """What a person has to do at the provider, since no call of its protocol does it."""
    account = call.tx.accounts.find(change.account)
    provider = call.tx.providers.get(account.provider_id).name
    if isinstance(change, wire.Lock):
        verb = "Lock" if change.locked else "Unlock"
        return f"{verb} {account.name} at {provider}; then read {provider} again."
    where = f"{change.resource} of {account.name}" if change.resource else account.name
    return (
        f"Share {where} at {provider} by the {len(change.statements)} statements of the proposal; "
        f"then read {provider} again."
    )
