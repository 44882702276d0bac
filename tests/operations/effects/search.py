"""Search."""

from __future__ import annotations

from openlatch.errors import Invalid
from tests.operations.effects.world import World, of


@of("search.find")
def _(w: World) -> None:
    entry = w.owner.entry(w.things.entry)
    found = w.owner.search(entry.party.name)
    assert {(hit.kind, hit.ref) for hit in found} >= {("party", entry.party.ref), ("entry", entry.ref)}
    assert [(hit.kind, hit.ref) for hit in w.owner.search(w.things.order)][:1] == [("order", w.things.order)]
    hers = w.member.search(entry.party.name)
    assert entry.ref not in {hit.ref for hit in hers}, "a member finds their own access only"
    assert w.member.search(w.things.offer) == []
    with w.refused(Invalid, "longer than 200"):
        w.owner.search("x" * 201)
