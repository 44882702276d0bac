"""What a reading saw being done: kept for a while, each with who did it in whose name."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from uuid import UUID

from openlatch.core.inventory.activity import attribute
from openlatch.core.model import Provider
from openlatch.core.providers.observation import Observation
from openlatch.operations.call import Call

__all__ = ["remember", "tidy"]


def remember(call: Call, provider: Provider, observation: Observation, parties: Mapping[str, UUID]) -> None:
    """Store what a reading saw being done, once the entries and parties that it tells of are stored."""
    tx = call.tx
    since = _since(call)
    known = tx.activity.known(provider.id, (a.key for a in observation.activity))
    new = {a.key: a for a in observation.activity if a.key not in known and (since is None or a.at > since)}
    if not new:
        return
    used = {e.key: e for e in tx.entries.standing(provider.id, {a.entry for a in new.values() if a.entry})}
    used |= {e.key: e for e in tx.entries.standing(provider.id, {e.hangs_on for e in used.values() if e.hangs_on})}
    attributed = attribute(
        new.values(),
        provider_id=provider.id,
        accounts={account.key: account.id for account in tx.accounts.of(provider.id)},
        parties=parties,
        known=tx.parties.some({parties[a.party] for a in new.values()}),
        entries=used,
        memberships=tx.memberships.standing(provider.id),
        circle=tx.workspace.circle,
        new_id=call.services.new_id,
    )
    tx.activity.add(attributed)


def tidy(call: Call) -> None:
    """Forget what was done longer ago than the holder keeps it; what counts as evidence is in the log, not here."""
    if (since := _since(call)) is not None:
        call.tx.activity.forget(since)


def _since(call: Call) -> datetime | None:
    days = call.tx.workspace.keep_activity_days
    return call.now - timedelta(days=days) if days else None
