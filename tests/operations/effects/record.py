"""The log."""

from __future__ import annotations

import json
from uuid import UUID

from openlatch.core.record import ledger, tree
from openlatch.core.record.heads import Checked, Head, checked
from openlatch.errors import Invalid, NotAllowed, NotFound
from tests.operations.effects.world import World, of


@of("log.browse")
def _(w: World) -> None:
    acts = [event.content["act"] for event in w.auditor.events(w.owner.entry(w.things.entry).id, oldest=True)]
    assert acts[0] == "entry.found"
    with w.refused(NotFound, "no account"):
        list(w.auditor.events(account="Nowhere"))


@of("log.head")
def _(w: World) -> None:
    w.ridge.drain()
    head = w.auditor.log_head()
    assert (head.size, head.unsealed) == (len(list(w.auditor.events(oldest=True))), 0)
    with w.refused(NotAllowed, "log.head"):
        w.member.log_head()


@of("log.copy")
def _(w: World) -> None:
    w.ridge.drain()
    head = w.auditor.log_head()
    lines = [json.loads(line) for line in b"".join(w.auditor.log_copy()).splitlines()]
    copy = [ledger.Sealed(line["number"], line["content"], line["link"]) for line in lines]
    assert checked(copy, [Head(head.grown, head.root)]) == Checked(head.size, head.link)
    listed = [(e.number, e.link, e.content) for e in w.auditor.events(sealed=True, oldest=True)]
    assert listed == [(sealed.number, sealed.link, sealed.content) for sealed in copy]
    with w.refused(NotAllowed, "log.copy"):
        list(w.member.log_copy())


@of("log.proof")
def _(w: World) -> None:
    w.ridge.drain()
    event = next(iter(w.auditor.events(sealed=True, oldest=True)))
    proof = w.auditor.prove_event(event.id)
    path = [bytes.fromhex(text) for text in proof.path]
    assert (proof.number, proof.content) == (1, event.content)
    assert tree.included(tree.leaf(event.content), 0, proof.head.grown, path, bytes.fromhex(proof.head.root))
    with w.refused(NotFound, "no sealed event"):
        w.auditor.prove_event(UUID(w.things.token))


@of("log.consistency")
def _(w: World) -> None:
    w.ridge.drain()
    grown = w.auditor.prove_consistency(1)
    first = tree.leaf(next(iter(w.auditor.events(sealed=True, oldest=True))).content)
    path = [bytes.fromhex(text) for text in grown.path]
    assert tree.consistent(1, grown.head.grown, first, bytes.fromhex(grown.head.root), path)
    with w.refused(Invalid, "kept a head of"):
        w.auditor.prove_consistency(grown.head.grown + 100)
