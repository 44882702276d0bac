"""The narrowest level that would do: of a provider's levels, that with the fewest powers that covers what was used."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from openlatch.core.phrases import listed
from openlatch.core.powers import MONEY, in_order, weighty
from openlatch.words import Power

__all__ = ["Advice", "narrowest"]


@dataclass(frozen=True, slots=True)
class Advice:
    """A level that would do, and what it would take away; `level` is empty where nothing of it was used at all."""

    level: str
    powers: tuple[Power, ...]
    drops: tuple[Power, ...]

    @property
    def text(self) -> str:
        """Return the advice as a sentence."""
        dropped = listed(self.drops)
        if not self.level:
            return f"Nothing of it was used lately: end it, and nobody would miss {dropped}."
        kept = listed(self.powers)
        return f"The level “{self.level}” ({kept}) covers all that was used lately; it takes away {dropped}."


def narrowest(
    levels: Mapping[str, tuple[Power, ...]], level: str, powers: Iterable[Power], used: Iterable[Power]
) -> Advice | None:
    """Return the narrowest of the levels that covers what was used of an entry; None if no level is narrower.

    A level that gives anything beyond what the entry has now is never advised. Of several, that with the least power
    over money comes first, then that with the least power to admit, then that with the fewest powers.
    """
    held, needed = set(powers), set(used) & set(powers)
    if not needed:
        return Advice("", (), in_order(held)) if held else None
    fitting = [
        (len(set(gives) & MONEY), len(weighty(gives)), len(set(gives)), name)
        for name, gives in levels.items()
        if needed <= set(gives) < held and name != level
    ]
    if not fitting:
        return None
    name = min(fitting)[3]
    return Advice(name, in_order(levels[name]), in_order(held - set(levels[name])))
