"""Heads that someone has kept: how far the log went then, and its root; a copy of the log is held against them.

What was altered, removed, inserted, reordered or cut shows at the first head that no longer fits, wholly recomputed
links or not; where the links of a copy were left as they were, they name the very event.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from openlatch.core.record import tree
from openlatch.core.record.ledger import Break, Sealed, verify

__all__ = ["Head", "held_against"]


@dataclass(frozen=True, slots=True)
class Head:
    """The log as it was signed once: so many events, and the root over them, 64 hex digits."""

    size: int
    root: str


def held_against(events: Iterable[Sealed], heads: Sequence[Head]) -> Break | None:
    """Return the first place at which a whole copy of the log does not fit itself or a head, and why; else None."""
    copy = list(events)
    _, _, broken = verify(copy)
    if broken is not None:
        return broken
    nodes = tree.nodes_of([tree.leaf(sealed_event.content) for sealed_event in copy])
    fits = 0
    for head in sorted(heads, key=lambda head: head.size):
        if head.size > len(copy):
            return Break(len(copy) + 1, f"the copy ends after event {len(copy)}, and a head was kept of {head.size}")
        if tree.root(nodes, head.size).hex() != head.root:
            after = f"after event {fits}, which an earlier head vouches for, " if fits else ""
            return Break(fits + 1, f"{after}something up to event {head.size} is not as it was when that head was kept")
        fits = head.size
    return None
