"""What a provider's words mean in plain powers: its levels, and its permissions one by one.

A connector brings a list of words that its protocol defines; the holder can correct any word at any provider. A word
that is on neither list is unknown, and is shown as that: it is never taken for harmless.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from openlatch.core.powers import in_order
from openlatch.words import Kind, Origin, Power

__all__ = ["Carried", "Meaning", "Vocabulary", "Words", "levels_of"]

Words = Mapping[str, tuple[Power, ...]]
"""Levels and permissions in a provider's own spelling, with the powers that each gives."""


@dataclass(frozen=True, slots=True)
class Meaning:
    """The powers of an entry, and those of its words whose meaning is not known."""

    powers: tuple[Power, ...]
    unknown: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Vocabulary:
    """All words of one provider: what its connector knows, and what the holder has corrected."""

    built_in: Words = field(default_factory=lambda: MappingProxyType({}))
    corrected: Words = field(default_factory=lambda: MappingProxyType({}))

    def origin(self, word: str, *, stated: bool) -> Origin:
        """Return who says what a word means; `stated` if the provider gives the powers with its entries."""
        if word in self.corrected:
            return Origin.CORRECTED
        if stated:
            return Origin.STATED
        return Origin.BUILT_IN if word in self.built_in else Origin.UNKNOWN

    def powers(self, word: str) -> tuple[Power, ...]:
        """Return the powers that a word gives by these lists; none for one that is on neither."""
        return in_order(self.corrected.get(word, self.built_in.get(word, ())))

    def meaning(self, level: str, permissions: Iterable[str], stated: Iterable[Power] | None) -> Meaning:
        """Return what an entry with this level and these permissions can do.

        `stated` are the powers that the provider itself gives, or None where it speaks in its own words only. What
        the holder says about a level goes before what the provider states; a permission only ever adds. A level
        without a meaning of its own is unknown only if no permissions say what is in it.
        """
        permissions = tuple(permissions)
        if stated is not None:
            of_level = self.corrected.get(level, tuple(stated))
            more = [power for word in permissions for power in self.corrected.get(word, ())]
            return Meaning(in_order((*of_level, *more)))
        known = {**self.built_in, **self.corrected}
        words = permissions if permissions and level not in known else (level, *permissions)
        powers = in_order(power for word in words for power in known.get(word, ()))
        return Meaning(powers, tuple(dict.fromkeys(word for word in words if word not in known)))


@dataclass(frozen=True, slots=True)
class Carried:
    """A level that entries carry without permissions of their own, the kinds of these, and what it gives."""

    level: str
    kinds: frozenset[Kind]
    powers: tuple[Power, ...]


_GIVEN = frozenset({Kind.DELEGATE, Kind.GRANT, Kind.OFFER})
_NEVER_GIVEN = frozenset({Kind.SESSION, Kind.SECRET, Kind.OPEN})


def levels_of(kind: Kind, stated: Words, carried: Iterable[Carried]) -> dict[str, tuple[Power, ...]]:
    """Return the levels that access of a kind can have, with what each gives.

    Those that a provider states, and those that entries of the kind carry. What only sessions, told secrets or things
    that are open carry is called something there, and is no level that anyone could be given.
    """
    alike = _GIVEN if kind in _GIVEN else frozenset({kind})
    kinds: dict[str, frozenset[Kind]] = {}
    own: dict[str, tuple[Power, ...]] = {}
    for carried_role in carried:
        kinds[carried_role.level] = kinds.get(carried_role.level, frozenset()) | carried_role.kinds
        if carried_role.kinds & alike:
            own[carried_role.level] = carried_role.powers
    if kind in _NEVER_GIVEN:
        return own
    return {
        level: gives for level, gives in stated.items() if not kinds.get(level) or kinds[level] - _NEVER_GIVEN
    } | own
