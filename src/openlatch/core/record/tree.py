"""The log as a Merkle tree (RFC 9162, section 2.1): one root for all that is sealed, and short proofs against it.

A leaf is the SHA-256 of a zero byte and an event's canonical form; a node that of a one byte and its two children.
Whoever has kept a root can be shown that an event is in the log that it stands for, and that a later log only added to
it. `Nodes` answers for whole subtrees, those that a proof needs and no others, so that a proof of a long log is short
work: with `level` 0 for leaves, and `place` counted from 0 among the subtrees of that level.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any

from openlatch.core.record.ledger import canonical

__all__ = [
    "EMPTY",
    "Growing",
    "Nodes",
    "consistency",
    "consistent",
    "included",
    "inclusion",
    "leaf",
    "leaf_of",
    "nodes_of",
    "parent",
    "root",
    "wholes",
]

Nodes = Callable[[int, int], bytes]

EMPTY = hashlib.sha256().digest()
"""The root of a log in which nothing is."""


def leaf(content: Mapping[str, Any]) -> bytes:
    """Return the hash of an event, by its content."""
    return leaf_of(canonical(content))


def leaf_of(form: bytes) -> bytes:
    """Return the hash of an event, by its canonical form."""
    return hashlib.sha256(b"\x00" + form).digest()


def parent(left: bytes, right: bytes) -> bytes:
    """Return the hash of a node over its two children."""
    return hashlib.sha256(b"\x01" + left + right).digest()


def nodes_of(leaves: Sequence[bytes]) -> Nodes:
    """Return the whole subtrees over leaves that are all there."""

    def node(level: int, place: int) -> bytes:
        if level == 0:
            return leaves[place]
        return parent(node(level - 1, 2 * place), node(level - 1, 2 * place + 1))

    return node


def wholes(first: int, end: int) -> Iterator[tuple[int, int]]:
    """Return the whole subtrees, as (level, place), that the leaves from `first` up to `end` are made of."""
    while first < end:
        level = min((first & -first).bit_length() - 1 if first else 64, (end - first).bit_length() - 1)
        yield level, first >> level
        first += 1 << level


class Growing:
    """The root over leaves that are put down one after the other; of them, only whole subtrees are kept.

    It can go on after `size` leaves that are not at hand, by the whole subtrees that these are made of (see `wholes`).
    """

    def __init__(self, size: int = 0, wholes: Iterable[bytes] = ()) -> None:
        self.size = size
        self._wholes = list(wholes)

    def add(self, leaf_hash: bytes) -> None:
        """Put down one more leaf."""
        level, piece, wholes = self.size, leaf_hash, self._wholes
        # A tree of an odd size ends with a leaf by itself, one that can be halved once with two leaves, and so on.
        while level & 1:
            level, piece = level >> 1, parent(wholes.pop(), piece)
        wholes.append(piece)
        self.size += 1

    def root(self) -> bytes:
        """Return the root over all leaves so far."""
        if not self._wholes:
            return EMPTY
        *others, piece = self._wholes
        for whole in reversed(others):
            piece = parent(whole, piece)
        return piece


def root(nodes: Nodes, size: int) -> bytes:
    """Return the root of the log as it was with so many events."""
    return _over(nodes, 0, size) if size else EMPTY


def _over(nodes: Nodes, first: int, end: int) -> bytes:
    """The hash over leaves that begin where a subtree does: whole ones, the last of which may be small."""
    piece: bytes | None = None
    for level, place in reversed(list(wholes(first, end))):
        the_piece = nodes(level, place)
        piece = the_piece if piece is None else parent(the_piece, piece)
    assert piece is not None  # noqa: S101 - there is at least one leaf
    return piece


def _half(size: int) -> int:
    """The largest power of two that is smaller than a size of at least two."""
    return 1 << (size - 1).bit_length() - 1


def inclusion(nodes: Nodes, index: int, size: int) -> list[bytes]:
    """Return the proof that the leaf at an index (from 0) is in the log of a size (RFC 9162, 2.1.3.1)."""
    if not 0 <= index < size:
        raise ValueError(f"there is no leaf {index} among {size}")
    first, end, path = 0, size, []
    while end - first > 1:
        middle = first + _half(end - first)
        path.append(_over(nodes, middle, end) if index < middle else _over(nodes, first, middle))
        first, end = (first, middle) if index < middle else (middle, end)
    return path[::-1]


def included(leaf_hash: bytes, index: int, size: int, path: Sequence[bytes], root_hash: bytes) -> bool:
    """Return whether a proof shows that a leaf is at an index of the log with this size and root (2.1.3.2)."""
    if not 0 <= index < size:
        return False
    at, last, piece = index, size - 1, leaf_hash
    for each_piece in path:
        if last == 0:
            return False
        if at & 1 or at == last:
            piece = parent(each_piece, piece)
            while not at & 1 and at:
                at, last = at >> 1, last >> 1
        else:
            piece = parent(piece, each_piece)
        at, last = at >> 1, last >> 1
    return last == 0 and piece == root_hash


def consistency(nodes: Nodes, before: int, size: int) -> list[bytes]:
    """Return the proof that the log of a size only added to what it was with `before` events (2.1.4.1)."""
    if not 0 <= before <= size:
        raise ValueError(f"a log of {size} was never one of {before}")
    if before in (0, size):
        return []
    first, end, path, whole = 0, size, [], True
    while before - first != end - first:
        middle = first + _half(end - first)
        if before <= middle:
            path.append(_over(nodes, middle, end))
            end = middle
        else:
            path.append(_over(nodes, first, middle))
            first, whole = middle, False
    if not whole:
        path.append(_over(nodes, first, end))
    return path[::-1]


def consistent(before: int, size: int, root_before: bytes, root_hash: bytes, path: Sequence[bytes]) -> bool:
    """Return whether a proof shows that a later log only added to an earlier one (2.1.4.2)."""
    if before == 0:
        return not path and root_before == EMPTY
    if before == size:
        return not path and root_before == root_hash
    if not 0 < before < size or not path:
        return False
    steps = [root_before, *path] if before & (before - 1) == 0 else list(path)
    at, last = before - 1, size - 1
    while at & 1:
        at, last = at >> 1, last >> 1
    earlier = later = steps[0]
    for step in steps[1:]:
        if last == 0:
            return False
        if at & 1 or at == last:
            earlier, later = parent(step, earlier), parent(step, later)
            while not at & 1 and at:
                at, last = at >> 1, last >> 1
        else:
            later = parent(later, step)
        at, last = at >> 1, last >> 1
    return last == 0 and earlier == root_before and later == root_hash
