"""What a party can do, through which chains, and what would have to end so that it no longer can.

Parties reach entries directly, or by acting as someone else: a member acts as its team, whoever connected an app
acts through it, and everyone does what anyone may. These links and the entries make a graph. Teams may be nested to any
depth, and in circles.

Whoever has something otherwise too loses nothing of it: by an entry that lets them do it now, on the same part or on
all of the account, at the same hours or any, from the same networks or any.

The smallest cut is the smallest set of links and entries whose end takes one power on one account from a party while
nobody else loses anything. Any cut that hurts someone contains a smallest part that does, and of that part at least
one piece has to stay; so the search takes the smallest cut, forbids each piece of its hurtful part in turn, and goes on
with the smallest of what is left. It is exact: forbidding more never makes a cut smaller.
"""

from __future__ import annotations

import heapq
import itertools
from collections import defaultdict, deque
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NewType
from uuid import UUID

from openlatch.core.hours import Hours
from openlatch.core.model import Entry
from openlatch.core.powers import in_order
from openlatch.words import Kind, Power, State

__all__ = [
    "Chain",
    "Claim",
    "Cut",
    "Graph",
    "Link",
    "Piece",
    "effective",
    "in_words",
    "loses",
    "lost",
    "reach",
    "smallest_cut",
]

Piece = NewType("Piece", UUID)
"""The id of a link or of an entry: something that can be ended."""

_SINK = object()
_COUNTS = (Kind.DELEGATE, Kind.GRANT, Kind.APP, Kind.OPEN, Kind.SECRET)
"""What lets its party do something by itself; a session only does what its party may, and an offer nothing yet."""


def effective(entry: Entry) -> bool:
    """Return whether an entry lets its party do something now."""
    return entry.state in (State.LIVE, State.ENDING) and entry.kind in _COUNTS


@dataclass(frozen=True, slots=True)
class Link:
    """One party acts as another: `how` is such as `member` or `app`. `id` is that of what would have to end.

    Nothing ends one that is `lasting`: that someone is one of anyone, or of everyone at a domain.
    """

    id: UUID
    actor: UUID
    as_party: UUID
    how: str
    lasting: bool = False


@dataclass(frozen=True, slots=True)
class Claim:
    """One thing that can be done: a power on an account, on all of it or on one resource (`resource` not empty).

    At any hour and from any network, unless `hours` or `network` say otherwise.
    """

    account_id: UUID
    power: Power
    resource: str = ""
    hours: Hours | None = None
    network: str = ""

    def includes(self, other: Claim) -> bool:
        """Return whether whoever can do this can do the other."""
        return (
            (self.account_id, self.power) == (other.account_id, other.power)
            and self.resource in ("", other.resource)
            and self.network in ("", other.network)
            and (self.hours is None or (other.hours is not None and self.hours.covers(other.hours)))
        )


@dataclass(frozen=True, slots=True)
class Chain:
    """How a party comes to an entry: through these links in order; none of them where it holds the entry itself."""

    entry: Entry
    links: tuple[Link, ...]


@dataclass(frozen=True, slots=True)
class Cut:
    """What to end so that a party can no longer do something.

    `pieces` are links and entries. `hurts` names who else would lose what; it is empty whenever that can be avoided.
    """

    pieces: tuple[Piece, ...]
    hurts: Mapping[UUID, frozenset[Claim]] = field(default_factory=dict)


class Graph:
    """The standing entries and links of an inventory, indexed for questions about reach."""

    def __init__(self, entries: Iterable[Entry], links: Iterable[Link]) -> None:
        self.held: dict[UUID, list[Entry]] = defaultdict(list)
        self.acting: dict[UUID, list[Link]] = defaultdict(list)
        self.actors: dict[UUID, list[Link]] = defaultdict(list)
        for entry in entries:
            if entry.stands:
                self.held[entry.party_id].append(entry)
        for link in links:
            self.acting[link.actor].append(link)
            self.actors[link.as_party].append(link)

    def as_whom(self, party_id: UUID, without: Collection[Piece] = ()) -> dict[UUID, tuple[Link, ...]]:
        """Return everyone as whom a party can act, itself among them, each with a shortest chain of links."""
        links: dict[UUID, tuple[Link, ...]] = {party_id: ()}
        waiting = deque([party_id])
        while waiting:
            some_id = waiting.popleft()
            for link in self.acting[some_id]:
                if link.as_party not in links and link.id not in without:
                    links[link.as_party] = (*links[some_id], link)
                    waiting.append(link.as_party)
        return links

    def claims(self, party_id: UUID, without: Collection[Piece] = ()) -> frozenset[Claim]:
        """Return everything that a party can do by any chain, once some pieces have ended."""
        return frozenset(claim for entry in self.reached(party_id, without) for claim in _claims(entry))

    def reached(self, party_id: UUID, without: Collection[Piece] = ()) -> list[Entry]:
        """Return every entry that a party comes to by any chain, once some pieces have ended."""
        return [
            entry
            for holder in self.as_whom(party_id, without)
            for entry in self.held[holder]
            if entry.id not in without
        ]

    def without(self, pieces: Collection[Piece]) -> Graph:
        """Return the graph as it is once some pieces have ended."""
        entries = [entry for held in self.held.values() for entry in held if entry.id not in pieces]
        return Graph(entries, [link for links in self.acting.values() for link in links if link.id not in pieces])

    def behind(self, party_id: UUID) -> set[UUID]:
        """Return everyone who can act as a party, itself among them."""
        ids, waiting = {party_id}, deque([party_id])
        while waiting:
            for link in self.actors[waiting.popleft()]:
                if link.actor not in ids:
                    ids.add(link.actor)
                    waiting.append(link.actor)
        return ids


def reach(graph: Graph, party_id: UUID) -> tuple[Chain, ...]:
    """Return every entry that a party comes to, each by a shortest chain, the shortest first."""
    chains = [Chain(entry, links) for holder, links in graph.as_whom(party_id).items() for entry in graph.held[holder]]
    return tuple(sorted(chains, key=lambda chain: (len(chain.links), chain.entry.id)))


def in_words(chain: Chain, account: str, names: Mapping[UUID, str]) -> str:
    """Return what a chain lets someone use, and through whom; `names` are those of the parties in its links."""
    through = " and ".join(names[link.as_party] for link in chain.links)
    return f"“{chain.entry.level}” on {account}" + (f", through {through}" if through else "")


def loses(graph: Graph, party_id: UUID, entry: Entry) -> tuple[Power, ...]:
    """Return the powers of which a party loses something if an entry ends alone; none that it has otherwise too."""
    return in_order({claim.power for claim in lost(graph, party_id, {Piece(entry.id)})})


def smallest_cut(graph: Graph, party_id: UUID, account_id: UUID, power: Power) -> Cut:
    """Return the smallest set of pieces whose end takes a power on an account from a party.

    Nobody else loses anything, if that is possible at all; if not, `hurts` says who would lose what by this one.
    """
    plain = _cut(graph, party_id, account_id, power, frozenset())
    assert plain is not None  # noqa: S101 - with nothing forbidden, everything can be cut
    order = itertools.count()
    waiting = [(len(plain), next(order), plain, frozenset[Piece]())]
    seen: set[frozenset[Piece]] = {frozenset()}
    while waiting:
        _, _, pieces, forbidden = heapq.heappop(waiting)
        hurtful = _hurtful_part(graph, party_id, pieces)
        if not hurtful:
            return Cut(pieces)
        for piece in hurtful:
            more = forbidden | {piece}
            if more in seen:
                continue
            seen.add(more)
            other = _cut(graph, party_id, account_id, power, more)
            if other is not None:
                heapq.heappush(waiting, (len(other), next(order), other, more))
    return Cut(plain, _hurts(graph, party_id, plain))


def _claims(entry: Entry) -> Iterable[Claim]:
    for power in entry.powers:
        for resource in entry.resources or ("",):
            yield Claim(entry.account_id, power, resource, entry.hours, entry.network)


def lost(graph: Graph, party_id: UUID, without: Collection[Piece]) -> frozenset[Claim]:
    """Return what a party can no longer do once some pieces have ended.

    What rests is no way to go on with what is live.
    """
    before, after = graph.reached(party_id), graph.reached(party_id, without)
    left = {entry.id for entry in after}
    now = _by_place(entry for entry in after if effective(entry))
    resting = _by_place(entry for entry in after if entry.kind in _COUNTS and entry.state is not State.OFFERED)
    return frozenset(
        claim
        for entry in before
        if entry.id not in left
        for claim in _claims(entry)
        if not _covers(resting if entry.state is State.PAUSED else now, claim)
    )


_Claims = dict[tuple[UUID, Power, str], set[Claim]]


def _by_place(entries: Iterable[Entry]) -> _Claims:
    claims: _Claims = {}
    for entry in entries:
        for claim in _claims(entry):
            claims.setdefault((claim.account_id, claim.power, claim.resource), set()).add(claim)
    return claims


def _covers(by: _Claims, claim: Claim) -> bool:
    places = {(claim.account_id, claim.power, resource) for resource in ("", claim.resource)}
    return any(each_claim.includes(claim) for place in places for each_claim in by.get(place, ()))


def _hurts(graph: Graph, party_id: UUID, pieces: Collection[Piece]) -> dict[UUID, frozenset[Claim]]:
    """Who else loses what, if these pieces end."""
    touched: set[UUID] = set()
    for tail in _tails(graph, pieces):
        touched |= graph.behind(tail)
    claims = {each_id: lost(graph, each_id, pieces) for each_id in touched - {party_id}}
    return {party_id: lost for party_id, lost in claims.items() if lost}


def _tails(graph: Graph, pieces: Collection[Piece]) -> set[UUID]:
    """The parties at whose side the pieces are: who holds the entry, or acts by the link."""
    holders = {holder for holder, entries in graph.held.items() for entry in entries if entry.id in pieces}
    return holders | {actor for actor, links in graph.acting.items() for link in links if link.id in pieces}


def _hurtful_part(graph: Graph, party_id: UUID, pieces: Sequence[Piece]) -> tuple[Piece, ...]:
    """A smallest part of the pieces that still hurts someone; empty if the whole hurts nobody."""
    if not _hurts(graph, party_id, pieces):
        return ()
    part = list(pieces)
    for piece in pieces:
        rest = [each_piece for each_piece in part if each_piece != piece]
        if rest and _hurts(graph, party_id, rest):
            part = rest
    return tuple(part)


def _cut(
    graph: Graph, party_id: UUID, account_id: UUID, power: Power, forbidden: frozenset[Piece]
) -> tuple[Piece, ...] | None:
    """The smallest set of pieces that separates a party from a power; None if the forbidden ones would be needed.

    Every piece that may be ended carries one unit, the others any amount; what flows at most is the size of the cut.
    """
    kept = set(forbidden)
    ahead: dict[object, dict[object, set[Piece]]] = defaultdict(lambda: defaultdict(set))
    for holder in graph.as_whom(party_id):
        for link in graph.acting[holder]:
            ahead[holder][link.as_party].add(Piece(link.id))
            if link.lasting:
                kept.add(Piece(link.id))
        for entry in graph.held[holder]:
            if entry.account_id == account_id and power in entry.powers:
                ahead[holder][_SINK].add(Piece(entry.id))
    limit = sum(len(pieces) for targets in ahead.values() for pieces in targets.values()) + 1
    room: dict[tuple[object, object], int] = defaultdict(int)
    near: dict[object, set[object]] = defaultdict(set)
    for tail, targets in ahead.items():
        for head, pieces in targets.items():
            room[tail, head] += limit if pieces & kept else len(pieces)
            near[tail].add(head)
            near[head].add(tail)
    flowing = 0
    while came := _path(party_id, room, near):
        step, amount = _SINK, limit
        while step is not party_id:
            amount = min(amount, room[came[step], step])
            step = came[step]
        step = _SINK
        while step is not party_id:
            room[came[step], step] -= amount
            room[step, came[step]] += amount
            step = came[step]
        flowing += amount
        if flowing >= limit:
            return None
    inside = _inside(party_id, room, near)
    return tuple(
        sorted(
            piece
            for tail, targets in ahead.items()
            if tail in inside
            for head, pieces in targets.items()
            if head not in inside
            for piece in pieces
        )
    )


def _path(
    start: object, room: Mapping[tuple[object, object], int], near: Mapping[object, set[object]]
) -> dict[object, object] | None:
    """A shortest way with room from the start to the sink: for each step, where it comes from."""
    came: dict[object, object] = {start: start}
    waiting = deque([start])
    while waiting:
        value = waiting.popleft()
        for other in near.get(value, ()):
            if other not in came and room.get((value, other), 0) > 0:
                came[other] = value
                if other is _SINK:
                    return came
                waiting.append(other)
    return None


def _inside(
    start: object, room: Mapping[tuple[object, object], int], near: Mapping[object, set[object]]
) -> set[object]:
    """Everything on the start's side of the cut, once no more flows."""
    found, waiting = {start}, deque([start])
    while waiting:
        value = waiting.popleft()
        for other in near.get(value, ()):
            if other not in found and room.get((value, other), 0) > 0:
                found.add(other)
                waiting.append(other)
    return found
