"""What changes would change, before anyone makes them."""

from __future__ import annotations

from openlatch.demo.cast import DOMAIN
from openlatch.errors import Changed, Conflict, Invalid, NotAllowed, NotFound
from tests.operations.effects.world import World, of


@of("proposals.create")
def _(w: World) -> None:
    made = w.manager.propose(w.locked())
    assert made.state == "working"
    outcome = w.manager.worked_out(made.ref).runs[-1].outcome
    assert outcome is not None
    assert any(shift.who == "Anyone" and shift.lost for shift in outcome.shifts)
    with w.refused(Invalid, "changes.0"):
        w.manager.propose({"proposal": 1, "title": "x", "changes": [{"do": "fly"}]})


@of("proposals.of_offer")
def _(w: World) -> None:
    w.ridge.drain()  # what others have set going is over
    there = w.owner.summary()
    preview = w.manager.preview_offer(w.wish(f"finn.dale@{DOMAIN}"))
    assert {shift.who for shift in preview.outcome.shifts} == {"Finn Dale"}
    assert all(shift.gained and not shift.lost for shift in preview.outcome.shifts)
    again = w.manager.worked_out(w.manager.propose(preview.proposal).ref).runs[-1].outcome
    assert again == preview.outcome
    assert w.owner.summary() == there
    with w.refused(NotAllowed, "offers"):
        w.reviewer.preview_offer(w.wish(f"finn.dale@{DOMAIN}"))


@of("proposals.change")
def _(w: World) -> None:
    made = w.owner.worked_out(w.owner.propose(w.locked()).ref)
    w.owner.change_proposal(made.ref, w.locked(locked=False))
    assert len(w.owner.worked_out(made.ref).runs) == 2
    with w.refused(NotFound, "no proposal"):
        w.owner.change_proposal("7Q4K-BRM2", w.locked())


@of("proposals.run_again")
def _(w: World) -> None:
    made = w.owner.worked_out(w.owner.propose(w.locked()).ref)
    assert w.owner.run_proposal(made.ref).state == "working"
    assert w.owner.worked_out(made.ref).state == "done"
    with w.refused(NotAllowed, "proposals.run_again"):
        w.auditor.run_proposal(made.ref)


@of("proposals.browse")
def _(w: World) -> None:
    assert w.things.proposal in {proposal.ref for proposal in w.auditor.proposals()}
    with w.refused(NotAllowed, "proposals.browse"):
        list(w.member.proposals())


@of("proposals.show")
def _(w: World) -> None:
    assert [run.number for run in w.auditor.proposal(w.things.proposal).runs] == [1, 2]
    with w.refused(NotFound, "no proposal"):
        w.auditor.proposal("7Q4K-BRM2")


@of("proposals.compare")
def _(w: World) -> None:
    versions = w.auditor.compare_versions(w.things.proposal, 1, 2)
    assert versions.only_first
    with w.refused(NotFound, "has no version 7"):
        w.auditor.compare_versions(w.things.proposal, 1, 7)


@of("proposals.look_up")
def _(w: World) -> None:
    # What providers are asked before a proposal is applied; an end asks none.
    made = w.owner.worked_out(w.owner.propose(_end(w)).ref)
    with w.refused(NotAllowed, "proposals"):
        w.reviewer.apply_proposal(made.ref, 1)
    assert w.owner.apply_proposal(made.ref, 1).state == "applied"


@of("proposals.apply")
def _(w: World) -> None:
    proposal = _end(w)
    made = w.owner.worked_out(w.owner.propose(proposal).ref)
    with w.refused(Changed, "."):
        w.owner.apply_proposal(made.ref, 7)
    assert w.owner.apply_proposal(made.ref, 1).state == "applied"
    w.ridge.drain()
    changes = proposal["changes"]
    assert isinstance(changes, list)
    assert w.owner.entry(changes[0]["entry"]).state == "ended"
    with w.refused(Conflict, "applied already"):
        w.owner.apply_proposal(made.ref, 1)


def _end(w: World) -> dict[str, object]:
    return {"proposal": 1, "title": "Fewer guides", "changes": [{"do": "end", "entry": w.spare().ref}]}
