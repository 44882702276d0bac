"""Plans, orders, receipts, batches and leavers."""

from __future__ import annotations

import json

import pytest

from openlatch.demo.cast import DOMAIN
from openlatch.errors import Changed, Conflict, Invalid, NotAllowed, NotFound
from openlatch.wire.record.signatures import check
from tests.harness.acts import settle
from tests.operations.effects.world import World, of


@of("orders.plan")
def _(w: World) -> None:
    plan = w.auditor.plan(w.things.entry)
    assert [step.call for step in plan.steps] == ["end", "read", "receipt"]
    assert w.owner.entry(w.things.entry).order is None, "looking orders nothing"
    with w.refused(Invalid, "action"):
        w.auditor.plan(w.things.entry, "explode")


@of("orders.browse")
def _(w: World) -> None:
    assert w.things.stuck in {order.ref for order in w.auditor.orders("stuck")}
    with w.refused(Invalid, "state"):
        list(w.auditor.orders("lost"))


@of("orders.show")
def _(w: World) -> None:
    order = w.auditor.order(w.things.order)
    assert (order.state, order.reason, order.receipt is not None) == ("proved", "Left in spring", True)
    with w.refused((NotAllowed, NotFound), "."):  # type: ignore[arg-type]
        w.member.order(w.things.order)


@of("orders.give_up")
def _(w: World) -> None:
    own = next(w.member.entries(provider="Volunteer Roll", state="live"))
    order = settle(w.member, w.member.give_up(own.ref, reason="Too many Saturdays").ref)
    assert (order.state, w.owner.entry(own.ref).end_reason) == ("proved", "given-up")
    with w.refused(NotFound, "no entry"):
        w.member.give_up(w.things.entry)


@of("orders.create")
def _(w: World) -> None:
    entry = w.spare()
    with w.refused(Changed, "Nothing was ordered"):
        w.manager.end(entry.ref, digest="0" * 64)
    order = w.manager.end(entry.ref, reason="The season is over", digest=w.manager.plan(entry.ref).digest)
    assert (order.ordered_by, w.owner.entry(entry.ref).state) == ("Tobias Quill", "ending")
    assert w.owner.end(entry.ref).already
    assert settle(w.owner, order.ref).state == "proved"
    with w.refused(Conflict, "already ended"):
        w.owner.end(entry.ref)


@of("orders.cancel")
def _(w: World) -> None:
    entry, order = w.stuck()
    assert (w.manager.cancel(order.ref).state, w.owner.entry(entry.ref).state) == ("cancelled", "live")
    with w.refused(Conflict, "cannot cancel"):
        w.manager.cancel(order.ref)


@of("orders.try_again")
def _(w: World) -> None:
    entry, order = w.stuck()
    w.desk.refuse(entry, None)
    w.manager.try_again(order.ref)
    assert settle(w.owner, order.ref).state == "proved"
    with w.refused(Conflict, "."):
        w.manager.try_again(order.ref)


@of("orders.confirm_done")
def _(w: World) -> None:
    kept = w.by_hand("Lorne Dale")
    order = settle(w.owner, w.owner.end(kept.ref).ref)
    assert order.state == "waiting"
    w.manager.done(order.ref, "taken off the board")
    assert (settle(w.owner, order.ref).state, w.owner.entry(kept.ref).end_reason) == ("proved", "revoked")
    with w.refused(Conflict, "asks nobody"):
        w.manager.done(order.ref)


@of("receipts.show")
def _(w: World) -> None:
    said = check(w.auditor.receipt(w.things.order), w.auditor.receipt_keys())
    assert (said["order"], said["did"]) == (w.things.order, "end")
    with w.refused(Conflict, "no receipt yet"):
        w.auditor.receipt(w.things.stuck)


@of("receipts.keys")
def _(w: World) -> None:
    (key,) = w.member.receipt_keys()["keys"]
    assert (key["kty"], key["crv"], "d" in key) == ("OKP", "Ed25519", False)
    with w.refused(Invalid, "does not hold"):
        check("a.b.c", {"keys": [key]})


@of("batches.browse")
def _(w: World) -> None:
    assert w.things.batch in {batch.ref for batch in w.auditor.batches()}
    with w.refused(NotAllowed, "batches.browse"):
        list(w.member.batches())


@of("batches.show")
def _(w: World) -> None:
    batch = w.auditor.batch(w.things.batch)
    assert (batch.action, sum(batch.outcomes.values())) == ("pause", batch.count)
    with w.refused(NotFound, "no batch"):
        w.auditor.batch("7Q4K-BRM2")


@of("batches.plan")
def _(w: World) -> None:
    plan = w.auditor.plan_batch({"account": "Gate", "kind": "delegate"})
    assert plan.count == len(list(w.owner.entries(account="Gate", kind="delegate")))
    with w.refused(Invalid, "."):
        w.auditor.plan_batch({"kind": "ghost"})


@of("batches.create")
def _(w: World) -> None:
    entry = w.spare()
    where = {"account": "Bookings", "party": entry.party.ref}
    with w.refused(Changed, "of them now"):
        w.manager.command_batch(where, count=40)
    made = w.manager.command_batch(where, count=w.manager.plan_batch(where).count)
    *_, batch = w.owner.follow_batch(made.ref)
    assert (batch.over, set(batch.outcomes)) == (True, {"proved"})
    assert w.owner.entry(entry.ref).state == "ended"


@of("batches.cancel")
def _(w: World) -> None:
    entry = w.spare()
    where = {"account": "Bookings", "party": entry.party.ref}
    made = w.owner.command_batch(where, "end-on", count=w.owner.plan_batch(where).count, until=w.day(5))
    called_off = w.owner.cancel_batch(made.ref)
    assert called_off.cancelled_at is not None
    assert called_off.outcomes == {"cancelled": made.count}
    (item,) = w.owner.batch(made.ref, "cancelled").items
    assert item.entry is not None
    assert item.entry.ref == entry.ref
    with pytest.raises(Invalid, match="outcome"):
        w.owner.batch(made.ref, "given up")
    with w.refused(Conflict, "cancelled already"):
        w.owner.cancel_batch(made.ref)


@of("batches.tick")
def _(w: World) -> None:
    celia = w.owner.party(f"celia.crane@{DOMAIN}")
    w.owner.record_secret("Gate", celia.name, "the gate code")
    plan = w.owner.plan_leaver(celia.ref)
    made = w.owner.leave(celia.ref, count=len(plan.items), who="Tobias Quill")
    w.ridge.drain()
    batch = w.owner.batch(made.ref)
    to_do = [item.place for item in batch.items if item.outcome == "to do"]
    for place in to_do:
        batch = w.owner.done_in_batch(made.ref, place)
    assert "to do" not in batch.outcomes
    with w.refused((Conflict, NotFound), "."):  # type: ignore[arg-type]
        w.owner.done_in_batch(made.ref, 900)


@of("batches.leave_open")
def _(w: World) -> None:
    entry = next(entry for entry in iter(w.spare, None) if entry.party.name != "Orla Finch")
    made = w.owner.leave(entry.party.ref, count=len(w.owner.plan_leaver(entry.party.ref).items))
    w.ridge.drain()
    batch = w.owner.batch(made.ref)
    place = next(item.place for item in batch.items if item.outcome == "to do")
    with w.refused(Invalid, "cannot be asked here"):
        w.owner.leave_open_in_batch(made.ref, place, "She stays a guest", "nobody@kestrelridge.example")
    left = w.owner.leave_open_in_batch(made.ref, place, "She stays a guest", f"tobias.quill@{DOMAIN}")
    item = next(item for item in left.items if item.place == place)
    assert item.left_open is not None
    assert (item.outcome, item.left_open.owner, item.left_open.by) == ("left open", "Tobias Quill", "Maren Ashdown")
    with w.refused(Conflict, "is left to be done"):
        w.owner.leave_open_in_batch(made.ref, place, "Again", f"tobias.quill@{DOMAIN}")
    w.owner.cancel_batch(made.ref)


@of("batches.report")
def _(w: World) -> None:
    report = json.loads(w.auditor.batch_report(w.things.batch))["report"]
    assert len(report["lines"]) == w.owner.batch(w.things.batch).count
    with w.refused(Invalid, "format"):
        w.auditor.batch_report(w.things.batch, "docx")


@of("leavers.plan")
def _(w: World) -> None:
    plan = w.auditor.plan_leaver(w.owner.party(f"hanne.prior@{DOMAIN}").ref)
    assert {item.provider for item in plan.items if item.entry} == {
        "Ticket Desk",
        "Volunteer Roll",
        "Front Office Mail",
    }
    with w.refused(NotFound, "no party"):
        w.auditor.plan_leaver("Nobody at all")


@of("leavers.create")
def _(w: World) -> None:
    edda = w.owner.party(f"edda.alder@{DOMAIN}")
    plan = w.owner.plan_leaver(edda.ref)
    with w.refused(Changed, "."):
        w.manager.leave(edda.ref, count=len(plan.items) + 1)
    with w.refused(Invalid, "over already"):
        w.manager.leave(edda.ref, count=len(plan.items), last_day=w.day(-400))
    made = w.manager.leave(edda.ref, count=len(plan.items), last_day=w.day(3))
    assert (made.kind, made.begins_at is not None) == ("leaver", True)
    assert list(w.owner.entries(party=edda.ref)), "nothing is taken before the last day is over"


@of("teams.memberships")
def _(w: World) -> None:
    membership_list = w.auditor.memberships("Dark-sky wardens")
    assert (len(membership_list.members) > 5, {team.team.name for team in membership_list.teams}) == (True, {"Helpers"})
    assert all(member.removable for member in membership_list.members)
    with w.refused(NotFound, "."):
        w.auditor.memberships("Nobody at all")


@of("teams.plan")
def _(w: World) -> None:
    membership = w.auditor.memberships("Dark-sky wardens").members[0]
    plan = w.auditor.plan_member(str(membership.team.id), str(membership.member.id))
    assert [step.call for step in plan.steps] == ["remove-member", "read", "receipt"]
    with w.refused(Conflict, "in the team Dark-sky wardens already"):
        w.auditor.plan_member(str(membership.team.id), str(membership.member.id), "add-member")
    with w.refused(Invalid, "action"):
        w.auditor.plan_member(str(membership.team.id), str(membership.member.id), "explode")


@of("teams.order")
def _(w: World) -> None:
    membership = w.owner.memberships("Dark-sky wardens").members[-1]
    team, member = str(membership.team.id), str(membership.member.id)
    with w.refused(Changed, "Nothing was ordered"):
        w.manager.command_member(team, member, digest="0" * 64)
    digest = w.manager.plan_member(team, member).digest
    order = w.manager.command_member(team, member, reason="Left the group", digest=digest)
    assert (order.entry, order.team and order.team.name) == (None, "Dark-sky wardens")
    assert w.owner.command_member(team, member).already
    assert settle(w.owner, order.ref).state == "proved"
    with w.refused(Conflict, "is not in the team"):
        w.owner.command_member(team, member)
    with w.refused((NotAllowed, NotFound), "."):  # type: ignore[arg-type]
        w.member.order(order.ref)
