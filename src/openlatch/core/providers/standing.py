"""How a provider stands: whether what is known of it is complete and fresh, and whether someone has to see to it."""

from __future__ import annotations

from datetime import datetime

from openlatch.core.model import Provider, Reading
from openlatch.words import ProviderState, ReadingState

__all__ = ["IN_ORDER", "in_trouble", "standing"]

_OF_READING = {
    ReadingState.QUEUED: ProviderState.READING,
    ReadingState.RUNNING: ProviderState.READING,
    ReadingState.FAILED: ProviderState.FAILED,
    ReadingState.PARTIAL: ProviderState.BROKEN_OFF,
}
_WELL = frozenset({ProviderState.COMPLETE, ProviderState.READING, ProviderState.BY_HAND})
IN_ORDER = tuple(ProviderState)
"""All of them, those first to which someone has to see soonest."""


def standing(provider: Provider, latest: Reading | None, worn_off: int, now: datetime) -> ProviderState:
    """Return how a provider stands by its latest reading; `worn_off` counts entries that nobody vouches for any more.

    Whoever may not see readings passes none: what is known counts as complete then, until it is too old.
    """
    if provider.by_hand:
        return ProviderState.NOT_VOUCHED_FOR if worn_off else ProviderState.BY_HAND
    said = None if latest is None else _OF_READING.get(latest.state)
    if provider.paused and said is not ProviderState.READING:
        return ProviderState.PAUSED
    if latest is not None and latest.withheld and said is not ProviderState.READING:
        return ProviderState.NOT_BELIEVED
    known = ProviderState.TOO_OLD if provider.stale(now) else ProviderState.COMPLETE
    return said or (ProviderState.NOT_READ if provider.last_complete is None else known)


def in_trouble(state: ProviderState) -> bool:
    """Return whether someone has to see to a provider that stands so."""
    return state not in _WELL
