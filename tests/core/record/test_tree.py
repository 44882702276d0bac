"""Proofs of the log against the definitions of RFC 9162, and every way in which someone could forge a log."""

from __future__ import annotations

import hashlib
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.record import tree
from openlatch.core.record.heads import Head, Start, checked
from openlatch.core.record.ledger import START, Sealed, link

leaves = st.lists(st.binary(min_size=32, max_size=32), min_size=1, max_size=70)
contents = st.fixed_dictionaries(
    {"act": st.sampled_from(["order.given", "order.proved"]), "facts": st.text(max_size=4)}
)


def by_definition(some: list[bytes]) -> bytes:
    """The root as section 2.1.1 writes it down."""
    if not some:
        return hashlib.sha256(b"").digest()
    if len(some) == 1:
        return some[0]
    half = 1
    while half * 2 < len(some):
        half *= 2
    return hashlib.sha256(b"\x01" + by_definition(some[:half]) + by_definition(some[half:])).digest()


@given(leaves, st.data())
def test_roots_and_proofs_are_those_of_the_definition(some: list[bytes], data: st.DataObject) -> None:
    nodes, size = tree.nodes_of(some), len(some)
    before = data.draw(st.integers(0, size), "before")
    growing = tree.Growing()
    for piece in some[:before]:
        growing.add(piece)
    at = data.draw(st.integers(0, size - 1), "index")
    root, earlier = tree.root(nodes, size), tree.root(nodes, before)
    assert root == by_definition(some)
    assert earlier == growing.root() == by_definition(some[:before])
    path = tree.inclusion(nodes, at, size)
    assert len(path) <= size.bit_length()
    assert tree.included(some[at], at, size, path, root)
    grown = tree.consistency(nodes, before, size)
    assert tree.consistent(before, size, earlier, root, grown)


@given(leaves, st.data())
def test_a_proof_shows_nothing_else(some: list[bytes], data: st.DataObject) -> None:
    nodes, size = tree.nodes_of(some), len(some)
    at = data.draw(st.integers(0, size - 1), "index")
    root, path = tree.root(nodes, size), tree.inclusion(nodes, at, size)
    other = bytes(32) if some[at] != bytes(32) else bytes([1]) * 32
    assert not tree.included(other, at, size, path, root)
    assert not tree.included(some[at], at, size, path, other)
    assert not tree.included(some[at], at, size, [*path, other], root)
    assert not path or not tree.included(some[at], at, size, path[:-1], root)
    if size > 1:
        before = data.draw(st.integers(1, size - 1), "before")
        grown = tree.consistency(nodes, before, size)
        assert not tree.consistent(before, size, other, root, grown)
        assert not tree.consistent(before, size, tree.root(nodes, before), other, grown)
        assert not tree.consistent(before, size, tree.root(nodes, before), root, grown[:-1])


@given(st.integers(0, 500), st.integers(0, 500))
def test_a_stretch_is_made_of_whole_subtrees_that_follow_each_other(first: int, length: int) -> None:
    reached = first
    for level, place in tree.wholes(first, first + length):
        assert place << level == reached
        reached += 1 << level
    assert reached == first + length


def sealed(some: list[dict[str, Any]]) -> list[Sealed]:
    """A log of these events, numbered and linked as whoever holds the keys would."""
    sealed_events, last = [], START
    for number, content in enumerate(some, 1):
        last = link(last, content)
        sealed_events.append(Sealed(number, content, last))
    return sealed_events


def head_of(log: list[Sealed], size: int) -> Head:
    return Head(size, tree.root(tree.nodes_of([tree.leaf(sealed_event.content) for sealed_event in log]), size).hex())


@given(st.lists(contents, min_size=2, max_size=20), st.data())
def test_however_a_log_is_forged_a_head_that_was_kept_shows_it_and_about_where(
    some: list[dict[str, Any]], data: st.DataObject
) -> None:
    # So that no two events are alike, and an exchange is one.
    events = [document | {"id": str(place)} for place, document in enumerate(some)]
    log = sealed(events)
    size = data.draw(st.integers(1, len(log)), "the head was kept at")
    heads = [head_of(log, size), head_of(log, data.draw(st.integers(0, size), "and before that at"))]
    assert checked(log, heads).broken is None
    assert checked(log, [*heads, head_of(log, len(log))]).broken is None
    at = data.draw(st.integers(0, size - 1), "where")
    how = data.draw(st.sampled_from(["alter", "remove", "insert", "exchange", "cut", "back-date"]), "how")
    forged = list(events)
    if how == "alter":
        forged[at] = forged[at] | {"act": "nothing.happened"}
    elif how == "back-date":
        forged[at] = forged[at] | {"at": "1999-12-31T23:59:59+00:00"}
    elif how == "remove":
        del forged[at]
    elif how == "insert":
        forged.insert(at, {"act": "order.given", "id": "forged"})
    elif how == "cut":
        del forged[at:]
    else:
        other = data.draw(st.integers(0, len(log) - 1).filter(lambda number: number != at), "with")
        forged[at], forged[other] = forged[other], forged[at]
    # Wholly recomputed: every number and every link fits.
    broken = checked(sealed(forged), heads).broken
    assert broken is not None
    if how != "exchange":
        vouched = max((head.size for head in heads if head.size <= at), default=0)
        assert broken.number > vouched
    # Recomputed by nobody: the very event is named.
    if how in ("alter", "back-date"):
        careless = [*log[:at], log[at]._replace(content=forged[at]), *log[at + 1 :]]
        the_break = checked(careless, heads).broken
        assert the_break is not None
        assert the_break.number == at + 1


def test_what_was_never_there_has_no_proof() -> None:
    nodes = tree.nodes_of([bytes(32)])
    with pytest.raises(ValueError, match="no leaf 1"):
        tree.inclusion(nodes, 1, 1)
    with pytest.raises(ValueError, match="never one of 2"):
        tree.consistency(nodes, 2, 1)
    assert tree.root(nodes, 0) == tree.EMPTY
    assert tree.consistent(0, 1, tree.EMPTY, bytes(32), [])


@given(st.lists(contents, min_size=1, max_size=40), st.data())
def test_a_copy_that_begins_later_is_as_good_as_the_whole_and_leads_to_the_same_heads(
    some: list[dict[str, Any]], data: st.DataObject
) -> None:
    last, log = START, []
    for number, content in enumerate(some, 1):
        last = link(last, content)
        log.append(Sealed(number, content, last))
    nodes = tree.nodes_of([tree.leaf(event.content) for event in log])
    cut = data.draw(st.integers(0, len(log)), "archived")
    wholes = tuple(nodes(*place) for place in tree.wholes(0, cut))
    start = Start(cut, log[cut - 1].link if cut else START, wholes)
    kept = data.draw(st.integers(cut, len(log)), "of the head that was kept")
    head = Head(kept, tree.root(nodes, kept).hex())
    found = checked(log[cut:], [head], [log[-1].link], start)
    assert (found.broken, found.held, found.link, found.began) == (None, len(log), last, cut)
    assert last in found.links
    if 0 < cut < len(log):
        altered = log[cut]._replace(content={"act": "order.given", "facts": "another"})
        assert checked([altered, *log[cut + 1 :]], [head], (), start).broken is not None
        # Whoever says that something else was archived is found out by any head of later.
        other = Start(cut, start.link, (bytes(32), *wholes[1:]))
        root = Head(len(log), tree.root(nodes, len(log)).hex())
        assert checked(log[cut:], [root], (), other).broken is not None
