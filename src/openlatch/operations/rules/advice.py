"""Advice on an entry: the narrowest level of its provider that would do."""

from __future__ import annotations

from datetime import timedelta

from openlatch.core.model import Provider
from openlatch.core.providers.meaning import Carried, Vocabulary, levels_of
from openlatch.core.rules.advise import Advice, narrowest
from openlatch.operations.call import Call
from openlatch.store.inventory.entries import Listed
from openlatch.words import Kind, Power

__all__ = ["advice", "known_levels"]


def advice(call: Call, listed: Listed) -> Advice | None:
    """Return what would do for an entry, by what was used of it within the limit; None if that is not known."""
    entry = listed.entry
    used = entry.used_since(call.now - timedelta(days=call.tx.workspace.unused_days))
    if used is None or not entry.stands:
        return None
    return narrowest(known_levels(call, listed.provider, entry.kind), entry.level, entry.powers, used)


def known_levels(call: Call, provider: Provider, kind: Kind) -> dict[str, tuple[Power, ...]]:
    """The levels that access of a kind is known to have at a provider, with what each gives."""
    words = Vocabulary(call.services.words(provider.connector), call.tx.words.corrected(provider.id))
    connector = call.services.connectors.get(provider.connector)
    stated = dict(connector.levels if connector is not None else {}) | dict(provider.abilities.levels)
    carried = []
    for used in call.tx.words.used(provider.id):
        meaning = words.meaning(used.level, used.permissions, used.stated)
        if not used.permissions and not meaning.unknown:
            carried.append(Carried(used.level, used.kinds, meaning.powers))
    return levels_of(kind, stated, carried)
