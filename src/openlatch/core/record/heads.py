"""A copy of the log held against itself, and against heads that someone has kept: how far the log went then.

What was altered, removed, inserted, reordered or cut shows at the first head that no longer fits, wholly recomputed
links or not; where the links of a copy were left as they were, they name the very event. A copy is looked at event by
event and never held as a whole. Where older events were archived, it begins after them.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from openlatch.core.record import tree
from openlatch.core.record.ledger import START, Break, Sealed, form_of, linked

__all__ = ["BEGINNING", "Checked", "Head", "Start", "checked"]


@dataclass(frozen=True, slots=True)
class Head:
    """The log as it was signed once: so many events, and the root over them, 64 hex digits."""

    size: int
    root: str


@dataclass(frozen=True, slots=True)
class Start:
    """Where a copy begins that has not all: after so many events, with the last link and the whole subtrees of those.

    Nothing says by itself that these are right; a head that was kept of later does, once the copy leads to it.
    """

    size: int = 0
    link: str = START
    wholes: tuple[bytes, ...] = ()


BEGINNING = Start()


@dataclass(frozen=True, slots=True)
class Checked:
    """What a copy turned out to be: how many of its events hold, their last link, and the first break, if any.

    `links` are those of the links looked for that are in what holds. It was begun with after `began` events.
    """

    held: int
    link: str
    broken: Break | None = None
    links: frozenset[str] = frozenset()
    began: int = 0


def checked(
    events: Iterable[Sealed], heads: Sequence[Head] = (), links: Iterable[str] = (), start: Start = BEGINNING
) -> Checked:
    """Check a copy of the log in one go, against itself and the heads; `links` are looked for on the way.

    The copy begins at `start`, and no head may be of before that.
    """
    waiting = sorted(heads, key=lambda head: -head.size)
    if waiting and waiting[-1].size < start.size:
        raise ValueError(f"a copy that begins after {start.size} events says nothing of {waiting[-1].size}")
    wanted = set(links)
    found = wanted & ({start.link} if start.size else set())
    grown, last, fits = tree.Growing(start.size, start.wholes), start.link, start.size

    def against_heads() -> Break | None:
        nonlocal fits
        while waiting and waiting[-1].size == grown.size:
            if grown.root().hex() != waiting[-1].root:
                after = f"after event {fits}, which an earlier head vouches for, " if fits > start.size else ""
                why = f"{after}something up to event {grown.size} is not as it was when that head was kept"
                return Break(fits + 1, why)
            fits = waiting.pop().size
        return None

    broken = against_heads()
    for number, event in enumerate(events, start.size + 1):
        if broken is not None:
            break
        form = form_of(event.content)
        if event.number != number:
            broken = Break(number, f"event {number} is missing; the next one is number {event.number}")
        elif linked(last, form) != event.link:
            broken = Break(number, f"event {number} does not fit the link that was made when it was sealed")
        else:
            last = event.link
            if wanted and last in wanted:
                found.add(last)
            grown.add(tree.leaf_of(form))
            if waiting:
                broken = against_heads()
    if broken is None and waiting:
        most = max(head.size for head in waiting)
        broken = Break(grown.size + 1, f"the copy ends after event {grown.size}, and a head was kept of {most}")
    return Checked(grown.size, last, broken, frozenset(found), start.size)
