"""How much harm an access could do, from 0 to 100, with the lines that add up to it.

An entry begins with points for each of its powers; then circumstances multiply them, one after the other: how vital
the account is, how exposed the party, how stale the access. Points have no upper end, so they are brought to the scale
of 0 to 100 by 100 · points ÷ (points + 50): fifty points are the middle of the scale, and ten times as many are still
told apart from them. An account and a party count their worst entries: the worst in full, each further one takes away
a part of what is left up to 100, half as much as its own risk says.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType

from openlatch.core.powers import ORDER
from openlatch.words import Power

__all__ = [
    "CIRCUMSTANCES",
    "COUNTED",
    "MIDDLE",
    "MOST",
    "Circumstance",
    "Line",
    "Weights",
    "combined",
    "lines",
    "risk",
    "shares",
]

MOST = 100
MIDDLE = 50
"""So many points are the middle of the scale."""
COUNTED = 6
"""An account and a party count so many entries."""


@dataclass(frozen=True, slots=True)
class Circumstance:
    """Something that makes an access more or less dangerous, by so many percent unless the policy says otherwise."""

    id: str
    says: str
    when: str
    percent: int


CIRCUMSTANCES = (
    Circumstance("vital", "on a vital account", 'account.criticality == "vital"', 150),
    Circumstance("minor", "on a minor account", 'account.criticality == "minor"', 60),
    Circumstance("practice", "on an account for practice", "account.practice", 20),
    Circumstance("anyone", "open to anyone", 'entry.kind == "open"', 250),
    Circumstance("left", "its party has left", 'party.status == "left"', 200),
    Circumstance("outside", "held outside the circle", "party.outside", 150),
    Circumstance(
        "endless",
        "outside, and without an end",
        'party.outside && entry.kind != "session" && !has(entry.ends_at) && !entry.end_unknown',
        120,
    ),
    Circumstance("unverified", "nobody has verified who it is", '!party.verified && party.kind != "anyone"', 120),
    Circumstance("unused", "unused past the limit", "entry.idle_since <= now - limits.unused", 130),
    Circumstance("long_unused", "unused for twice the limit", "entry.idle_since <= now - limits.long_unused", 120),
)
"""In the order in which they multiply."""


@dataclass(frozen=True, slots=True)
class Weights:
    """What the policy says about risk: points for powers and for words of unknown meaning, percent for the rest."""

    powers: Mapping[Power, int] = field(
        default_factory=lambda: MappingProxyType({power: power.points for power in Power})
    )
    unknown: int = 8
    percent: Mapping[str, int] = field(
        default_factory=lambda: MappingProxyType(
            {circumstance.id: circumstance.percent for circumstance in CIRCUMSTANCES}
        )
    )


@dataclass(frozen=True, slots=True)
class Line:
    """One line of a risk: what it is for, and the points it adds."""

    says: str
    points: int


def risk(powers: Iterable[Power], *, unknown: bool, holding: Sequence[str], weights: Weights) -> int:
    """Return the risk of an entry with these powers, in these circumstances (by their ids, in their order)."""
    total = 100 * _base(powers, unknown, weights)
    for text in holding:
        total = total * weights.percent[text] // 100
    return _scaled(total // 100)


def lines(powers: Iterable[Power], *, unknown: bool, holding: Sequence[str], weights: Weights) -> tuple[Line, ...]:
    """Return the lines that add up to the risk of an entry, in the order in which it is worked out."""
    held = set(powers)
    the_lines = [Line(f"can {power}", weights.powers[power]) for power in ORDER if power in held]
    if unknown:
        the_lines.append(Line("has levels or permissions whose meaning is not known", weights.unknown))
    says = {circumstance.id: circumstance.says for circumstance in CIRCUMSTANCES}
    total = 100 * _base(held, unknown, weights)
    for text in holding:
        after = total * weights.percent[text] // 100
        the_lines.append(Line(f"{says[text]}: × {weights.percent[text] / 100:g}", after // 100 - total // 100))
        total = after
    points = total // 100
    the_lines.append(Line(f"{points} points, on the scale of 0 to {MOST}", _scaled(points) - points))
    return tuple(line for line in the_lines if line.points)


def combined(risks: Iterable[int]) -> int:
    """Return the risk of an account or a party from those of its entries."""
    return sum(shares(risks))


def shares(risks: Iterable[int]) -> tuple[int, ...]:
    """Return what each of the worst entries adds, the worst first: in full, then half of its part of what is left."""
    total, added = 0, []
    for place, number in enumerate(sorted(risks, reverse=True)[:COUNTED]):
        more = number if place == 0 else (MOST - total) * number // (2 * MOST)
        added.append(more)
        total += more
    return tuple(added)


def _scaled(points: int) -> int:
    """Points without an end on the scale, so that more of them are always at least as much."""
    return MOST * points // (points + MIDDLE)


def _base(powers: Iterable[Power], unknown: bool, weights: Weights) -> int:
    return sum(weights.powers[power] for power in set(powers)) + (weights.unknown if unknown else 0)
