"""Advice on an entry: the narrowest level of its provider that would do."""

from __future__ import annotations

from datetime import timedelta

from openlatch.core.advise import Advice, narrowest
from openlatch.core.meaning import Vocabulary
from openlatch.core.model import Provider
from openlatch.core.powers import Power
from openlatch.operations.gate import Call
from openlatch.store.entries import Listed

__all__ = ["advice", "known_levels"]


def advice(call: Call, listed: Listed) -> Advice | None:
    """Return what would do for an entry, by what was used of it within the limit; None if that is not known."""
    entry = listed.entry
    used = entry.used_since(call.now - timedelta(days=call.tx.workspace.unused_days))
    if used is None or not entry.stands:
        return None
    return narrowest(known_levels(call, listed.provider), entry.level, entry.powers, used)


def known_levels(call: Call, provider: Provider) -> dict[str, tuple[Power, ...]]:
    """The levels that a provider is known to have, by what it says and its entries carry, with what each gives."""
    words = Vocabulary(call.services.words(provider.connector), call.tx.words.corrected(provider.id))
    connector = call.services.connectors.get(provider.connector)
    found = dict(connector.levels if connector is not None else {}) | dict(provider.abilities.levels)
    for used in call.tx.words.used(provider.id):
        meaning = words.meaning(used.level, used.permissions, used.stated)
        if not used.permissions and not meaning.unknown:
            found[used.level] = meaning.powers
    return found
