"""What two proposals, or two versions of one, would bring about: what only the one would, and what only the other.

Gains and losses are compared power by power and part by part, so that it does not matter how either is grouped: a
version that leaves out one of three folders differs in that folder alone.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

from openlatch.core.powers import in_order
from openlatch.core.what_if.shifts import Ability

__all__ = ["Effect", "apart"]


@dataclass(frozen=True, slots=True)
class Effect:
    """What someone gains or loses on some parts of an account; without parts, on all of it that is not named."""

    who: str
    """The short form of a party, or the words for those whom nobody knows by name."""
    account: str
    resources: tuple[str, ...]
    gains: bool
    ability: Ability


def apart(first: Iterable[Effect], second: Iterable[Effect]) -> tuple[tuple[Effect, ...], tuple[Effect, ...]]:
    """Return what only the first brings about, and what only the second does, each in its own order."""
    sides = [dict.fromkeys(_single(side)) for side in (first, second)]
    return _joined(effect for effect in sides[0] if effect not in sides[1]), _joined(
        o for o in sides[1] if o not in sides[0]
    )


def _single(effects: Iterable[Effect]) -> Iterator[Effect]:
    """Each power on each part by itself."""
    for effect in effects:
        for resource in effect.resources or ("",):
            for power in effect.ability.powers:
                ability = replace(effect.ability, powers=(power,))
                yield replace(effect, resources=(resource,) if resource else (), ability=ability)


def _joined(single: Iterable[Effect]) -> tuple[Effect, ...]:
    """Together what differs in its powers alone, and then what differs in its parts alone."""
    powers: dict[Effect, list[Effect]] = defaultdict(list)
    for effect in single:
        powers[replace(effect, ability=replace(effect.ability, powers=()))].append(effect)
    parts: dict[tuple[Effect, bool], list[Effect]] = defaultdict(list)
    for bare, several in powers.items():
        held = in_order(effect.ability.powers[0] for effect in several)
        effect = replace(bare, ability=replace(bare.ability, powers=held))
        parts[replace(effect, resources=()), bool(effect.resources)].append(effect)
    return tuple(
        replace(whole, resources=tuple(part for effect in several for part in effect.resources))
        for (whole, _), several in parts.items()
    )
