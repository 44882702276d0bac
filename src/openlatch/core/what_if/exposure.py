"""What a change of sharing documents would change for whom: exactly which powers are gained or lost, when, from where.

People are told apart only as far as the documents do: by which of the selectors in them match. Everybody else is one
class, everybody else at each domain another, and known parties are one class for each set of selectors that matches
them. For each class the addresses are cut where networks begin and end, the week where hours do, and powers × hours
packed into one integer, so that before and after are compared by a few operations on integers for each stretch of
addresses. Networks nest or are apart, so a sorted sweep with a stack needs no undoing.

What an answer would hold can be millions of regions; past a budget it is a summary: for each class which powers are
gained and lost at all, with one instant and address of each.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv6Address
from operator import itemgetter

from openlatch.core.powers import in_order
from openlatch.core.providers.sharing import ANYONE, Document, Region, Selector, Statement, bits_of, edges_of, spans_of
from openlatch.words import Power

__all__ = ["BUDGET", "Difference", "Someone", "Witness", "anyone_gains", "difference"]

BUDGET = 200_000
"""So many stretches of addresses are told apart in one answer; past them it is a summary."""
_SIXES = 2**32
_LAST = _SIXES + 2**128
_WEEK = 7 * 24 * 60
_NUMBER: Mapping[Power, int] = {power: number for number, power in enumerate(Power)}


@dataclass(frozen=True, slots=True)
class Someone:
    """A known party, by the provider's key, with every selector that matches it, ANYONE among them."""

    key: str
    matched_by: frozenset[Selector]


@dataclass(frozen=True, slots=True)
class Witness:
    """A minute of the week from Monday, and an address, in which a power is gained or lost."""

    power: Power
    minute: int
    address: IPv4Address | IPv6Address


@dataclass(frozen=True, slots=True)
class Difference:
    """What changes for a class of people: those that just these selectors match, and which known parties they are.

    `gained` and `lost` are exact regions, None where the answer is a summary; `gains` and `losses` are a witness for
    each power.
    """

    matched_by: frozenset[Selector]
    parties: tuple[str, ...]
    gains: tuple[Witness, ...]
    losses: tuple[Witness, ...]
    gained: Region | None = None
    lost: Region | None = None

    @property
    def powers_gained(self) -> tuple[Power, ...]:
        return in_order(gain.power for gain in self.gains)

    @property
    def powers_lost(self) -> tuple[Power, ...]:
        return in_order(loss.power for loss in self.losses)


Layer = tuple[int, int, int, int, int, int]
"""Powers × hours that are allowed, denied and firmly allowed before, and the same after."""
Runs = list[tuple[int, Layer]]
"""Stretches of addresses by where they begin, each with its layer; the next one begins where it ends."""


def difference(
    before: Document | None,
    after: Document | None,
    someone: Iterable[Someone] = (),
    *,
    locked: tuple[bool, bool] = (False, False),
    budget: int = BUDGET,
) -> tuple[Difference, ...]:
    """Return what changes between two versions of a document, for each class of people for whom anything does.

    `locked` says whether the account is locked against being open to anyone, before and after.
    """
    comparison = _Comparison(before, after, locked)
    classes = list(_classes(comparison, someone))
    differences: list[Difference] = []
    left = budget
    for matched_by, parties in classes:
        runs = comparison.runs(matched_by)
        if not any(_changed(layer) for _, layer in runs):
            continue
        left -= len(runs)
        differences.append(_told(comparison, matched_by, parties, runs, exact=left >= 0))
    return tuple(differences)


def anyone_gains(
    before: Document | None,
    after: Document | None,
    someone: Iterable[Someone] = (),
    *,
    locked: tuple[bool, bool] = (False, False),
) -> bool:
    """Return whether anyone could do anything that they cannot now; looks no further than the first who could."""
    comparison = _Comparison(before, after, locked)
    return any(
        any(
            _open(after_) & ~_open(before_) for before_, after_ in map(_halves, map(itemgetter(1), comparison.runs(of)))
        )
        for of, _ in _classes(comparison, someone)
    )


class _Comparison:
    """Two versions of a document, cut at the same boundaries of the week, with the layers of selectors kept."""

    def __init__(self, before: Document | None, after: Document | None, locked: tuple[bool, bool]) -> None:
        sides = [() if document is None else document.statements for document in (before, after)]
        zones = {document.zone for document in (before, after) if document is not None}
        if len(zones) > 1:
            raise ValueError("the hours of both versions have to be read in one zone")
        counts = [Counter(side) for side in sides]
        changed = (counts[0] - counts[1]) + (counts[1] - counts[0])
        self.touched = {selector for statement in changed for selector in statement.to}
        if locked[0] != locked[1] and any(s.allow and ANYONE in s.to for side in sides for s in side):
            self.touched.add(ANYONE)
        self.selectors = {selector for side in sides for s in side for selector in s.to}
        spans = {edge for side in sides for s in side for span in spans_of(s.hours) for edge in span}
        self.times = tuple(sorted(t for t in {0} | spans if t < _WEEK))
        self._of: dict[Selector, list[tuple[int, Statement]]] = {}
        for number, side in enumerate(sides):
            for statement in side:
                for selector in statement.to:
                    if statement.allow and selector == ANYONE and locked[number]:
                        continue  # the lock takes away what was allowed to anyone, and nothing else
                    place = number * 3 + (2 if statement.firm else int(not statement.allow))
                    self._of.setdefault(selector, []).append((place, statement))
        self._kept: dict[frozenset[Selector], Runs] = {}
        self._bits: dict[Statement, int] = {}

    def runs(self, matched_by: frozenset[Selector]) -> Runs:
        """The layers of those that just these selectors match; what is open to anyone is worked out once."""
        own = matched_by - {ANYONE}
        base = self._layer(frozenset({ANYONE}))
        return _over(base, self._layer(own)) if own else base

    def _layer(self, selectors: frozenset[Selector]) -> Runs:
        if selectors not in self._kept:
            statements = [pair for selector in sorted(selectors) for pair in self._of.get(selector, ())]
            self._kept[selectors] = _swept(
                [(place, self._when(statement), statement) for place, statement in statements]
            )
        return self._kept[selectors]

    def _when(self, statement: Statement) -> int:
        if statement not in self._bits:
            self._bits[statement] = bits_of(statement, self.times)
        return self._bits[statement]


def _classes(
    comparison: _Comparison, someone: Iterable[Someone]
) -> Iterator[tuple[frozenset[Selector], tuple[str, ...]]]:
    """The classes of people that a change can touch: by the selectors that match them, with the known ones by key."""
    known: dict[frozenset[Selector], list[str]] = {}
    for each_someone in someone:
        known.setdefault(each_someone.matched_by & comparison.selectors | {ANYONE}, []).append(each_someone.key)
    # Whoever is not known is matched by nothing but `anyone`, or by that and their domain.
    strangers = [frozenset({ANYONE})]
    strangers += [frozenset({ANYONE, s}) for s in comparison.selectors if s.kind == "domain"]
    # A party or team that is named and not known may still exist.
    named = {s for of in known for s in of}
    strangers += [frozenset({ANYONE, s}) for s in comparison.selectors if s.kind == "party" and s not in named]
    every = {of: tuple(known.get(of, ())) for of in (*strangers, *known)}
    for of in sorted(every, key=lambda selectors: (len(selectors), sorted(selectors))):
        if of & comparison.touched:
            yield of, every[of]


def _swept(statements: Sequence[tuple[int, int, Statement]]) -> Runs:
    """The layers along the line of addresses: each network opens a layer over the one around it."""
    base = [0] * 6
    opened: dict[tuple[int, int], list[int]] = {}
    for place, bits, statement in statements:
        if statement.networks is None:
            base[place] |= bits
            continue
        for span in map(edges_of, statement.networks):
            opened.setdefault(span, [0] * 6)[place] |= bits
    runs: Runs = []
    stack: list[tuple[int, Layer]] = [(_LAST, _layer_of(base))]
    _begin(runs, 0, stack[-1][1])
    # A network that holds another begins no later and ends no earlier, so the wider comes first.
    for (start, end), own in sorted(opened.items(), key=lambda pair: (pair[0][0], -pair[0][1])):
        while stack[-1][0] <= start:
            over, _ = stack.pop()
            _begin(runs, over, stack[-1][1])
        stack.append((end, _both(stack[-1][1], own)))
        _begin(runs, start, stack[-1][1])
    while len(stack) > 1:
        over, _ = stack.pop()
        _begin(runs, over, stack[-1][1])
    return runs


def _begin(runs: Runs, at: int, layer: Layer) -> None:
    """A stretch begins; one that is as the one before it does not, and one that ends where it began is none."""
    if at >= _LAST:
        return
    if runs and runs[-1][0] == at:
        runs.pop()
    if not runs or runs[-1][1] != layer:
        runs.append((at, layer))


def _over(one: Runs, other: Runs) -> Runs:
    """Two layers on top of each other."""
    found: Runs = []
    n = m = 0
    while n < len(one) or m < len(other):
        at = min(one[n][0] if n < len(one) else _LAST, other[m][0] if m < len(other) else _LAST)
        n += n < len(one) and one[n][0] == at
        m += m < len(other) and other[m][0] == at
        a, b = one[n - 1][1], other[m - 1][1]
        _begin(found, at, _both(a, b))
    return found


def _layer_of(six: Sequence[int]) -> Layer:
    return six[0], six[1], six[2], six[3], six[4], six[5]


def _both(parts: Layer, other: Sequence[int]) -> Layer:
    """Two layers, the one over the other."""
    return (
        parts[0] | other[0],
        parts[1] | other[1],
        parts[2] | other[2],
        parts[3] | other[3],
        parts[4] | other[4],
        parts[5] | other[5],
    )


def _halves(layer: Layer) -> tuple[tuple[int, int, int], tuple[int, int, int]]:
    return layer[:3], layer[3:]


def _open(half: tuple[int, int, int]) -> int:
    """What holds: what is allowed, and not denied, and what is firm."""
    return half[0] & ~half[1] | half[2]


def _changed(layer: Layer) -> bool:
    return _open(layer[:3]) != _open(layer[3:])


def _told(
    comparison: _Comparison, matched_by: frozenset[Selector], parties: tuple[str, ...], runs: Runs, *, exact: bool
) -> Difference:
    gained = [_open(layer[3:]) & ~_open(layer[:3]) for _, layer in runs]
    lost = [_open(layer[:3]) & ~_open(layer[3:]) for _, layer in runs]
    nets = [at for at, _ in runs]
    return Difference(
        matched_by,
        parties,
        tuple(_witnesses(comparison.times, nets, gained)),
        tuple(_witnesses(comparison.times, nets, lost)),
        _region(comparison.times, nets, gained) if exact else None,
        _region(comparison.times, nets, lost) if exact else None,
    )


def _region(times: tuple[int, ...], nets: Sequence[int], cells: Sequence[int]) -> Region:
    """The stretches that are told apart; IPv4 and IPv6 always are."""
    found: list[tuple[int, int]] = []
    for at, cell in zip(nets, cells, strict=True):
        if not found or found[-1][1] != cell:
            found.append((at, cell))
    begins = [at for at, _ in found]
    if _SIXES not in begins:
        place = bisect_left(begins, _SIXES)
        found.insert(place, (_SIXES, found[place - 1][1]))
    return Region(tuple(at for at, _ in found), times, tuple(cell for _, cell in found))


def _witnesses(times: tuple[int, ...], nets: Sequence[int], cells: Sequence[int]) -> Iterator[Witness]:
    """For each power one instant and address in which it is among the cells."""
    whole = (1 << len(times)) - 1
    for power in Power:
        shift = _NUMBER[power] * len(times)
        for at, cell in zip(nets, cells, strict=True):
            when = cell >> shift & whole
            if when:
                minute = times[(when & -when).bit_length() - 1]
                address = IPv4Address(at) if at < _SIXES else IPv6Address(at - _SIXES)
                yield Witness(power, minute, address)
                break
