"""What an access lets its party do, in plain terms, whatever the provider calls it."""

from __future__ import annotations

from collections.abc import Iterable

from openlatch.words import Power

__all__ = ["ADMITTING", "MONEY", "ORDER", "in_order", "weighty"]

ORDER: tuple[Power, ...] = tuple(Power)
MONEY = frozenset(power for power in Power if power.moves_money)
ADMITTING = frozenset(power for power in Power if power.admits)


def in_order(powers: Iterable[Power]) -> tuple[Power, ...]:
    """Return the powers without repeats, in the order in which they are always shown."""
    held = set(powers)
    return tuple(power for power in ORDER if power in held)


def weighty(powers: Iterable[Power]) -> tuple[Power, ...]:
    """Return those of the powers that move money or decide who else gets in."""
    return tuple(power for power in in_order(powers) if power in MONEY | ADMITTING)
