"""Removing a provider: what it would come to, and doing it. Nothing is ended there by it."""

from __future__ import annotations

from dataclasses import replace

from openlatch.core.model import Provider
from openlatch.core.phrases import listed
from openlatch.core.providers.removal import Hindrance, Removal, let_go
from openlatch.core.telling.notices import Notice
from openlatch.errors import Changed, Conflict
from openlatch.operations.call import Call, operation
from openlatch.operations.rules import flags
from openlatch.operations.telling import notices
from openlatch.words import ReadingState

__all__ = ["plan", "remove"]


@operation("providers.removal")
def plan(call: Call, text: str) -> Removal:
    """What removing a provider would come to, and what stands in its way; changes nothing."""
    return _removal(call, call.tx.providers.find(text))


@operation("providers.remove")
def remove(call: Call, text: str, entries: int | None = None) -> Removal:
    """Remove a provider: it is read no more, its credentials are deleted, and its entries stay as history.

    Refuses (Conflict) while something goes on there. With `entries`, refuses (Changed) if another number stands there.
    """
    call.tx.facts.take_turns()
    provider = call.tx.providers.find(text)
    call.tx.providers.lock(provider.id)
    removal = _removal(call, provider)
    if entries not in (None, removal.entries):
        raise Changed(
            f"{removal.entries} entries stand at {provider.name} now, and not {entries}. Nothing was changed.",
            next_step="Look again at what would become of them.",
            count=removal.entries,
        )
    _refuse_hindered(removal)
    gone = let_go(call.tx.entries.standing(provider.id), call.now)
    call.tx.entries.save_all(gone)
    left = call.tx.memberships.standing(provider.id)
    call.tx.memberships.end(replace(membership, ended_at=call.now) for membership in left)
    call.tx.accounts.remove_all(provider.id, call.now)
    call.tx.event_streams.remove(provider.id)
    reading = call.tx.readings.under_way(provider.id)
    if reading is not None:
        trouble = "Its provider was removed."
        call.tx.readings.save(replace(reading, state=ReadingState.FAILED, finished_at=call.now, trouble=trouble))
    call.tx.providers.change(provider, call.close(""), removed_at=call.now, next_reading=None, says_who=False)
    # Whoever ordered something there meanwhile held what it is about until now, and so is seen only now.
    _refuse_hindered(_removal(call, provider))
    call.log_all(call.event("entry.let-go", "entry", entry.id, provider=provider.name) for entry in gone)
    call.log("provider.removed", "provider", provider.id, name=provider.name, entries=len(gone))
    flags.evaluate(call, gone, parties={membership.member_id for membership in left})
    news = Notice(
        f"removed:{provider.id}",
        f"{call.actor.name} has removed the provider {provider.name}",
        " ".join(removal.says),
        "/providers",
    )
    notices.tell(call, notices.managers(call), news)
    return removal


def _removal(call: Call, provider: Provider) -> Removal:
    going_on = call.tx.removals.going_on(provider.id)
    return Removal(
        provider.name,
        by_hand=provider.by_hand,
        reviews=_reviews(call, provider),
        hindrances=tuple(Hindrance(matter, refs) for matter, refs in going_on.items() if refs),
        **call.tx.removals.counts(provider.id, call.now),
    )


def _reviews(call: Call, provider: Provider) -> tuple[str, ...]:
    """The reviews whose filter names a provider, by its name, its short form or its id."""
    called = {provider.name.casefold(), provider.ref.casefold(), str(provider.id)}
    plans = call.tx.reviews.plans()
    return tuple(plan.name for plan in plans if str(plan.where.get("provider", "")).strip().casefold() in called)


def _refuse_hindered(removal: Removal) -> None:
    if removal.hindrances:
        several = len(removal.hindrances) > 1
        raise Conflict(
            f"{removal.provider} cannot be removed yet: "
            f"{listed([hindrance.says.rstrip('.') for hindrance in removal.hindrances])}. Nothing was changed.",
            next_step="First see to these." if several else removal.hindrances[0].next_step,
            hindrances=[hindrance.matter for hindrance in removal.hindrances],
        )
