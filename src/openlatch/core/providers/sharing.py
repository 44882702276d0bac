"""Sharing documents: what they let whom do, exactly.

A document says in statements who may do what with one part of an account. Nothing is allowed unless a statement
allows it; a deny that matches overrides every allow; an account that is locked takes away what was allowed to anyone,
and nothing else. Networks left out match everywhere, an empty list of them nowhere; hours are read on the wall clock
of the document's zone.

What is worked out for a selector is what someone has who matches it and nothing narrower. Powers, hours and networks
are cut at the boundaries in use, and powers × hours packed into one integer for each stretch of networks, so that an
answer is exact without trying single minutes or addresses.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, time
from functools import reduce
from ipaddress import IPv4Address, IPv4Network, IPv6Address, IPv6Network, summarize_address_range
from operator import or_

from openlatch.core.hours import Hours, Window
from openlatch.core.powers import in_order
from openlatch.words import Power

__all__ = [
    "ANYONE",
    "Covers",
    "Document",
    "Exposure",
    "Network",
    "Piece",
    "Region",
    "Selector",
    "Statement",
    "bits_of",
    "edges_of",
    "exposures",
    "pieces",
    "region",
    "spans_of",
]

Network = IPv4Network | IPv6Network
Address = IPv4Address | IPv6Address

_DAY = 24 * 60
_WEEK = 7 * _DAY
# IPv4 and IPv6 on one line of integers: the first 2^32 are IPv4.
_SIXES = 2**32
_MAPPED = IPv6Network("::ffff:0:0/96")
_LAST = _SIXES + 2**128


@dataclass(frozen=True, slots=True, order=True)
class Selector:
    """Whom a statement is about: `anyone`, everyone at a `domain`, or one `party` or team by the provider's key."""

    kind: str
    value: str = ""

    @property
    def party(self) -> str:
        """The key of the party that the selector stands for."""
        return self.value if self.kind == "party" else ":".join(filter(None, (self.kind, self.value)))


ANYONE = Selector("anyone")


@dataclass(frozen=True, slots=True)
class Statement:
    """Allows or denies powers to some; with `level` in the provider's words, and what is known of origin and use.

    One that is `firm` is not touched by any deny: it is none of the document's own, such as what an entry gives.
    """

    allow: bool
    to: frozenset[Selector]
    powers: frozenset[Power]
    networks: tuple[Network, ...] | None = None
    hours: tuple[Window, ...] | None = None
    level: str = ""
    given_at: datetime | None = None
    given_by: str = ""
    basis: str = ""
    last_used: datetime | None = None
    use_known: bool = False
    firm: bool = False


@dataclass(frozen=True, slots=True)
class Document:
    """The statements about one part of an account, by the provider's keys; hours are in `zone`, an IANA name."""

    key: str
    account: str
    resource: str
    zone: str
    statements: tuple[Statement, ...]


@dataclass(frozen=True, slots=True)
class Region:
    """Exactly which powers hold when and from where: for each stretch of networks, powers × stretches of the week.

    `nets` and `times` are where the stretches begin, on the line of addresses and in minutes of the week from Monday;
    in `cells` bit p × len(times) + t is set where power number p holds in stretch t.
    """

    nets: tuple[int, ...]
    times: tuple[int, ...]
    cells: tuple[int, ...]

    def holds(self, power: Power, minute: int, address: Address) -> bool:
        """Return whether a power holds in a minute of the week for whoever comes from an address."""
        net = bisect_left(self.nets, _number(address) + 1) - 1
        at = bisect_left(self.times, minute + 1) - 1
        return bool(self.cells[net] >> (_POWERS[power] * len(self.times) + at) & 1)

    def of(self, power: Power) -> tuple[int, ...]:
        """Return for each stretch of networks the stretches of the week in which a power holds, as bits."""
        whole = (1 << len(self.times)) - 1
        return tuple(cell >> (_POWERS[power] * len(self.times)) & whole for cell in self.cells)


@dataclass(frozen=True, slots=True)
class Piece:
    """A part of a region: powers that hold at all of these hours from all of these networks; None is without a limit.

    With `outside` the hours, and with `but` the networks, are those in which they do not hold: whichever is shorter.
    """

    powers: tuple[Power, ...]
    hours: Hours | None
    networks: tuple[Network, ...] | None
    outside: bool = False
    but: bool = False


@dataclass(frozen=True, slots=True)
class Exposure:
    """What a document gives those that a selector matches: powers that hold at the same times from the same networks.

    `hours` and `networks` are the least that hold all of it, None where there is not a limit.
    """

    to: Selector
    powers: tuple[Power, ...]
    hours: Hours | None
    networks: tuple[Network, ...] | None

    @property
    def limits(self) -> str:
        """The limits in words, empty where there are none."""
        hours = [] if self.hours is None else [self.hours.written()]
        networks = [] if self.networks is None else [f"from {', '.join(map(str, self.networks))}"]
        return " ".join(hours + networks)


_POWERS: Mapping[Power, int] = {power: number for number, power in enumerate(Power)}
Covers = Callable[[Selector, Selector], bool]


def region(document: Document, to: Selector, *, locked: bool, covers: Covers) -> Region:
    """Return exactly what a document gives those that a selector matches and no narrower one does.

    `covers(wider, narrower)` says whether whoever the second matches is matched by the first.
    """
    allow = [s for s in document.statements if s.allow and to in s.to and not (locked and to == ANYONE)]
    deny = [s for s in document.statements if not s.allow and any(covers(selector, to) for selector in s.to)]
    both = (*allow, *deny)
    nets = tuple(sorted({0, _SIXES}.union(*(edges for s in both for edges in map(edges_of, s.networks or ())))))
    nets = tuple(n for n in nets if n < _LAST)
    times = tuple(sorted({0}.union(*(set(span) for s in both for span in spans_of(s.hours)))))
    times = tuple(t for t in times if t < _WEEK)
    allowed, denied = [0] * len(nets), [0] * len(nets)
    for statements, cells in ((allow, allowed), (deny, denied)):
        for statement in statements:
            bits = bits_of(statement, times)
            for net in _stretches(statement.networks, nets):
                cells[net] |= bits
    return Region(nets, times, tuple(a & ~d for a, d in zip(allowed, denied, strict=True)))


def exposures(document: Document, *, locked: bool, covers: Covers) -> Iterator[Exposure]:
    """Yield what a document gives whom, one selector after the other."""
    for to in sorted({to for s in document.statements if s.allow for to in s.to}):
        the_region = region(document, to, locked=locked, covers=covers)
        for powers, cells in _alike(the_region):
            yield Exposure(
                to, powers, _hours(reduce(or_, cells), the_region, document.zone), _networks(cells, the_region)
            )


def pieces(the_region: Region, zone: str, most: int) -> Iterator[tuple[Piece, bool]]:
    """Yield a region as pieces that are apart and together just the region, each with True.

    Powers that would need more than `most` pieces are one, with False: the least that holds all of it.
    """
    for powers, cells in _alike(the_region):
        when = dict.fromkeys(cell for cell in cells if cell)
        exact = len(when) <= most
        parts = [(at, tuple(cell == at for cell in cells)) for at in when] if exact else [(reduce(or_, when), cells)]
        for at, where in parts:
            hours, others = _hours(at, the_region, zone), _hours(~at, the_region, zone)
            outside = hours is not None and others is not None and len(others.windows) < len(hours.windows)
            networks, rest = _networks(where, the_region), _networks([not here for here in where], the_region)
            but = networks is not None and rest is not None and len(rest) < len(networks)
            yield Piece(powers, others if outside else hours, rest if but else networks, outside, but), exact


def _alike(the_region: Region) -> Iterator[tuple[tuple[Power, ...], tuple[int, ...]]]:
    """The powers that hold at the same times from the same networks, with these times, as bits, for each stretch."""
    alike: dict[tuple[int, ...], list[Power]] = {}
    for power in Power:
        alike.setdefault(the_region.of(power), []).append(power)
    for cells, powers in alike.items():
        if any(cells):
            yield in_order(powers), cells


def _number(address: Address) -> int:
    return int(address) + (_SIXES if address.version == 6 else 0)


def edges_of(network: Network) -> tuple[int, int]:
    """Return where a network begins on the line of addresses, and where what comes after it does.

    Addresses of IPv4 that are written as IPv6 (`::ffff:192.0.2.1`, RFC 4291, 2.5.5.2) are those of IPv4.
    """
    if network.version == 6 and network.subnet_of(_MAPPED):
        first = network.network_address.ipv4_mapped
        assert first is not None  # noqa: S101 - it is among those
        return int(first), int(first) + network.num_addresses
    return _number(network.network_address), _number(network.broadcast_address) + 1


def _stretches(networks: Collection[Network] | None, nets: tuple[int, ...]) -> Iterable[int]:
    """The numbers of the stretches that lie in one of these networks."""
    if networks is None:
        return range(len(nets))
    return {
        n for start, end in map(edges_of, networks) for n in range(bisect_left(nets, start), bisect_left(nets, end))
    }


def spans_of(windows: Iterable[Window] | None) -> Iterator[tuple[int, int]]:
    """The stretches of the week that windows cover, in minutes; one over its end comes as two."""
    for window in (None,) if windows is None else windows:
        if window is None:
            yield 0, _WEEK
            continue
        start, end = _minute(window.start), _minute(window.end) + (_DAY if window.crosses_midnight else 0)
        for day in window.days:
            yield day * _DAY + start, min(day * _DAY + end, _WEEK)
            if day * _DAY + end > _WEEK:
                yield 0, day * _DAY + end - _WEEK


def _minute(at: time) -> int:
    return at.hour * 60 + at.minute


def bits_of(statement: Statement, times: tuple[int, ...]) -> int:
    """Return powers × stretches of the week of a statement as one integer; its hours begin and end at `times`."""
    when = 0
    for start, end in spans_of(statement.hours):
        for number in range(bisect_left(times, start), bisect_left(times, end)):
            when |= 1 << number
    return reduce(or_, (when << (_POWERS[p] * len(times)) for p in statement.powers), 0)


def _runs(begins: tuple[int, ...], end: int, chosen: Callable[[int], bool]) -> list[tuple[int, int]]:
    """The chosen stretches as pairs of begin and end, those that touch made one."""
    runs: list[tuple[int, int]] = []
    for number, start in enumerate(begins):
        if chosen(number):
            stop = begins[number + 1] if number + 1 < len(begins) else end
            if runs and runs[-1][1] == start:
                runs[-1] = (runs[-1][0], stop)
            else:
                runs.append((start, stop))
    return runs


def _hours(when: int, the_region: Region, zone: str) -> Hours | None:
    runs = _runs(the_region.times, _WEEK, lambda number: bool(when >> number & 1))
    if runs in ([], [(0, _WEEK)]):
        return None
    if runs[0][0] == 0 and runs[-1][1] == _WEEK:
        runs = [*runs[1:-1], (runs[-1][0], _WEEK + runs[0][1])]
    days: dict[tuple[int, int], set[int]] = {}
    for start, end in runs:
        # What lasts longer than a day is cut at midnights; what does not may cross one.
        while end - start > _DAY:
            midnight = start - start % _DAY + _DAY
            days.setdefault((start % _DAY, 0), set()).add(start // _DAY % 7)
            start = midnight  # noqa: PLW2901 - the rest of the same stretch
        days.setdefault((start % _DAY, end % _DAY), set()).add(start // _DAY % 7)
    windows = sorted(days.items())
    return Hours(zone, tuple(Window(frozenset(on), _clock(start), _clock(end)) for (start, end), on in windows))


def _clock(minute: int) -> time:
    return time(minute // 60, minute % 60)


def _networks(cells: Sequence[int], the_region: Region) -> tuple[Network, ...] | None:
    if all(cells):
        return None
    networks: list[Network] = []
    for line, begin, end, make in ((4, 0, _SIXES, IPv4Address), (6, _SIXES, _LAST, IPv6Address)):
        for start, stop in _runs(the_region.nets, _LAST, lambda number: bool(cells[number])):
            low, high = max(start, begin), min(stop, end)
            if low < high:
                offset = 0 if line == 4 else _SIXES
                networks += summarize_address_range(make(low - offset), make(high - 1 - offset))
    return tuple(networks)
