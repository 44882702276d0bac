"""Reviews, their rounds, and what is decided in them."""

from __future__ import annotations

import json

from openlatch.demo.cast import DOMAIN
from openlatch.errors import Changed, Conflict, Invalid, NotAllowed, NotFound
from openlatch.wire import messages as wire
from tests.operations.effects.world import World, of

INES, PELL = f"ines.okoro@{DOMAIN}", f"pell.varga@{DOMAIN}"


@of("reviews.browse")
def _(w: World) -> None:
    assert w.things.review in {review.name for review in w.auditor.reviews()}
    with w.refused(NotAllowed, "reviews.browse"):
        w.member.reviews()


@of("reviews.show")
def _(w: World) -> None:
    review = w.auditor.review(w.things.review)
    assert (review.where, review.says) == (
        {"outside": True},
        "every month on the first Monday, at 08:00 (Europe/London)",
    )
    with w.refused(NotFound, "no review"):
        w.auditor.review("Nothing of the kind")


@of("reviews.check")
def _(w: World) -> None:
    said = w.auditor.check_review("Fridays", named=[INES], recurs="FREQ=MONTHLY;BYDAY=-1FR")
    assert said.says == "every month on the last Friday, at 08:00 (Europe/London)"
    with w.refused(Invalid, "recurrence rule"):
        w.auditor.check_review("Never", named=[INES], recurs="NOW AND THEN")


@of("reviews.save")
def _(w: World) -> None:
    added = w.owner.add_review("Apps", where={"kind": "app"}, named=[INES], recurs="FREQ=YEARLY")
    assert (added.where, w.last()) == ({"kind": "app"}, "review.added")
    with w.refused(Conflict, "."):
        w.owner.add_review("Apps", named=[INES], recurs="FREQ=YEARLY")
    with w.refused(Invalid, "."):
        w.owner.add_review("Nobody's", named=[f"nobody@{DOMAIN}"], recurs="FREQ=YEARLY")


@of("reviews.change")
def _(w: World) -> None:
    added = w.owner.add_review("Sessions", where={"kind": "session"}, named=[INES], recurs="FREQ=YEARLY")
    fields = {"where": {"kind": "session"}, "named": [INES, PELL], "recurs": "FREQ=MONTHLY"}
    assert w.owner.change_review("Sessions", "Sessions", **fields, version=added.version).named == [INES, PELL]
    with w.refused(Changed, "."):
        w.owner.change_review("Sessions", "Sessions", **fields, version=added.version)


@of("reviews.pause")
def _(w: World) -> None:
    w.owner.add_review("Secrets", where={"kind": "secret"}, named=[INES], recurs="FREQ=YEARLY")
    assert w.manager.pause_review("Secrets").paused
    assert w.manager.pause_review("Secrets", resume=True).paused is False
    with w.refused(NotFound, "no review"):
        w.manager.pause_review("Nothing of the kind")


@of("reviews.open")
def _(w: World) -> None:
    opened = w.opened("One guide")
    assert (opened.state, w.owner.round(opened.ref).review.name) == ("open", "One guide")
    with w.refused(NotFound, "no review"):
        w.owner.open_round("Nothing of the kind")


@of("rounds.browse")
def _(w: World) -> None:
    assert w.things.round in {review_round.ref for review_round in w.auditor.rounds("open")}
    with w.refused(NotAllowed, "rounds.browse"):
        list(w.member.rounds())


@of("rounds.show")
def _(w: World) -> None:
    assert w.auditor.round(w.things.round).review.name == w.things.review
    with w.refused(NotFound, "no round"):
        w.auditor.round("7Q4K-BRM2")


@of("rounds.items")
def _(w: World) -> None:
    items = w.auditor.round_items(w.things.round)
    assert [item.place for item in items] == list(range(1, len(items) + 1))
    first = w.ridge.http(w.auditor).get(f"/rounds/{w.things.round}/items?limit=1").json()
    assert ([one["place"] for one in first["items"]], first["next"] is not None) == ([1], len(items) > 1)
    mine = w.reviewer.round_items(w.things.round, mine=True)
    assert {item.reviewer for item in mine} == {"Ines Okoro"}
    with w.refused(NotFound, "no round"):
        w.auditor.round_items("7Q4K-BRM2")


@of("rounds.decide")
def _(w: World) -> None:
    opened = w.opened("To decide")
    assert w.reviewer.decide(opened.ref, [1], "keep", reason="Still needed").instead_of == []
    (item, *_) = w.owner.round_items(opened.ref)
    assert item.decision is not None
    assert (item.decision.choice, item.decision.by) == ("keep", "Ines Okoro")
    with w.refused(Invalid, "has no item 901"):
        w.reviewer.decide(opened.ref, [1, 901], "keep")
    with w.ridge.client("pell.varga") as pell, w.refused(NotAllowed, "."):
        pell.decide(opened.ref, [1], "keep")


@of("rounds.decide_list")
def _(w: World) -> None:
    opened = w.opened("To decide by a list")
    items = w.owner.round_items(opened.ref)

    def line(item: wire.RoundItem, **more: object) -> wire.DecisionLine:
        given = {"place": item.place, "entry": item.entry.ref, "choice": "keep", "reason": "Still needed"}
        return wire.DecisionLine.model_validate(given | more)

    with w.refused(Invalid, f"of {len(items) + 2} lines cannot be taken") as caught:
        w.reviewer.decide_list(
            opened.ref,
            [
                *(line(item, **({"entry": "7Q4K-BRM2"} if item.place == 1 else {})) for item in items),
                line(items[-1]),
                line(items[-1], place=900),
            ],
        )
    assert caught.value.fields["errors"][0]["problem"].startswith("item 1 is about entry")
    assert [value["at"] for value in caught.value.fields["errors"]] == [
        "line 1",
        f"line {len(items) + 1}",
        f"line {len(items) + 2}",
    ]
    assert w.owner.round(opened.ref).outcomes == {"undecided": len(items)}, "all of it, or none"
    assert w.reviewer.decide_list(opened.ref, [line(item) for item in items]).decided == len(items)
    assert w.owner.round(opened.ref).outcomes == {"kept": len(items)}


@of("rounds.cancel")
def _(w: World) -> None:
    opened = w.opened("To call off")
    (first, *_) = w.owner.round_items(opened.ref)
    told = w.owner.decide(opened.ref, [first.place], "keep", reason="Still needed")
    assert (told.decided, told.instead_of) == (1, ["Ines Okoro"])
    (asked,) = [progress for progress in w.owner.round(opened.ref).progress if progress.name == "Ines Okoro"]
    assert (asked.decided, asked.by_others) == (1, 1), "an owner has decided for the reviewer"
    decision = w.owner.round_items(opened.ref)[0].decision
    assert decision is not None
    assert (decision.by, decision.instead_of) == ("Maren Ashdown", "Ines Okoro")
    event = next(e.content for e in w.owner.events(opened.id) if e.content["act"] == "round.decided")
    assert (event["actor"], event["on_behalf_of"]) == ("Maren Ashdown", "Ines Okoro")
    line = json.loads(w.owner.round_report(opened.ref))["report"]["lines"][0]
    assert line["decided_by"] == "Maren Ashdown, in the place of Ines Okoro"
    with w.refused(Invalid, "not said why"):
        w.owner.cancel_round(opened.ref, " ")
    with w.refused(NotAllowed, "rounds.cancel"):
        w.reviewer.cancel_round(opened.ref, "No time")
    assert w.owner.cancel_round(opened.ref, "Asked in spring already").state == "cancelled"
    assert "Why: Asked in spring already" in [notice.text for notice in w.reviewer.notices()]
    with w.refused(Conflict, "is cancelled"):
        w.owner.cancel_round(opened.ref, "Again")
    with w.refused(Conflict, "."):
        w.reviewer.decide(opened.ref, [first.place], "keep", reason="Still needed")


@of("reviews.remove")
def _(w: World) -> None:
    opened = w.opened("To give up")
    again = w.owner.review("To give up")
    (asked,) = [already for already in again.asked_already if already.ref == opened.ref]
    assert (asked.review, asked.entries) == ("To give up", opened.count), "a second one would ask the same"
    with w.refused(Conflict, f"Round {opened.ref} of “To give up” is open"):
        w.owner.remove_review("To give up")
    with w.refused(NotAllowed, "reviews.remove"):
        w.reviewer.remove_review("To give up")
    w.owner.cancel_round(opened.ref, "Not needed")
    w.owner.remove_review("To give up")
    assert "To give up" not in {review.name for review in w.owner.reviews()}
    with w.refused(NotFound, "no review"):
        w.owner.review("To give up")
    assert w.owner.round(opened.ref).review.name == "To give up", "its rounds stay"
    assert w.opened("To give up").ref != opened.ref, "the name is free again"
    w.owner.cancel_round(w.owner.round(next(iter(w.owner.rounds(review="To give up"))).ref).ref, "Not needed")


@of("rounds.assign")
def _(w: World) -> None:
    opened = w.opened("To assign")
    w.manager.assign_items(opened.ref, [1], [PELL])
    assert w.owner.round_items(opened.ref)[0].reviewer == "Pell Varga"
    with w.refused(Invalid, "."):
        w.manager.assign_items(opened.ref, [1], [f"nobody@{DOMAIN}"])


@of("rounds.pause")
def _(w: World) -> None:
    opened = w.opened("To rest")
    assert w.manager.pause_round(opened.ref).paused_at is not None
    with w.refused(Conflict, "."):
        w.reviewer.decide(opened.ref, [1], "keep")
    assert w.manager.pause_round(opened.ref, resume=True).paused_at is None


@of("rounds.plan")
def _(w: World) -> None:
    opened = w.opened("To foresee")
    assert w.auditor.plan_round(opened.ref).count == 0
    (first, *_) = w.owner.round_items(opened.ref)
    alone = w.reviewer.plan_round(opened.ref, [first.place], "end-now")
    assert (alone.count, alone.looked_at) == (1, 1)
    assert {named.entry.ref for consequence in alone.consequences for named in consequence.entries} == {first.entry.ref}
    assert w.owner.round_items(opened.ref)[0].decision is None, "nothing was decided"
    w.reviewer.decide(opened.ref, [first.place], "end-now", reason="So it is")
    assert w.owner.plan_round(opened.ref).count == 1
    with w.refused(NotFound, "no round"):
        w.auditor.plan_round("7Q4K-BRM2")


@of("rounds.finish")
def _(w: World) -> None:
    opened = w.opened("To finish")
    with w.refused(Conflict, "not decided yet"):
        w.owner.finish_round(opened.ref)
    places = [item.place for item in w.owner.round_items(opened.ref)]
    w.reviewer.decide(opened.ref, places, "keep", reason="Still needed")
    with w.refused(Changed, "not 3"):
        w.owner.finish_round(opened.ref, count=3)
    w.owner.finish_round(opened.ref, count=0)
    w.ridge.drain()
    assert w.owner.round(opened.ref).state == "closed"


@of("rounds.leave_open")
def _(w: World) -> None:
    opened = w.opened("To leave open")
    items = w.owner.round_items(opened.ref)
    entry = next(item.entry for item in items if item.entry.provider.name == "Ticket Desk")
    w.desk.refuse(w.owner.entry(entry.ref), "consent is missing")
    for item in items:
        w.reviewer.decide(
            opened.ref, [item.place], "end-now" if item.entry.id == entry.id else "keep", reason="So it is"
        )
    w.owner.finish_round(opened.ref)
    for _ in range(3):
        w.ridge.drain()
    place = next(item.place for item in items if item.entry.id == entry.id)
    assert w.owner.round_items(opened.ref)[place - 1].outcome == "stuck"
    with w.refused(Invalid, "."):
        w.owner.leave_open(opened.ref, place, "They are away", f"nobody@{DOMAIN}")
    w.owner.leave_open(opened.ref, place, "They are away until May", f"tobias.quill@{DOMAIN}")
    w.ridge.drain()
    assert w.owner.round_items(opened.ref)[place - 1].outcome == "left open"
    assert w.owner.round(opened.ref).state == "closed"


@of("rounds.try_again")
def _(w: World) -> None:
    opened = w.opened("To try again")
    w.reviewer.decide(opened.ref, [1], "keep", reason="Still needed")
    with w.refused(Conflict, "."):
        w.owner.try_item_again(opened.ref, 1)


@of("rounds.report")
def _(w: World) -> None:
    report = json.loads(w.auditor.round_report(w.things.round))["report"]
    assert len(report["lines"]) == len(w.owner.round_items(w.things.round))
    with w.refused(Invalid, "format"):
        w.auditor.round_report(w.things.round, "docx")


@of("prints.start")
def _(w: World) -> None:
    asked = w.auditor._send(wire.Print, "POST", f"/rounds/{w.things.round}/prints")
    assert (asked.kind, asked.subject, asked.state) == ("round", w.things.round, "queued")
    with w.refused(NotFound, "no round"):
        w.auditor.round_report("AAAA-AAAA", "pdf")


@of("prints.show")
def _(w: World) -> None:
    assert w.auditor.round_report(w.things.round, "pdf").startswith(b"%PDF")
    with w.refused(NotFound, "no printed report"):
        w.auditor._send(wire.Print, "GET", "/prints/AAAA-AAAA")


@of("prints.file")
def _(w: World) -> None:
    asked = w.auditor._send(wire.Print, "POST", f"/batches/{w.things.batch}/prints")
    with w.refused(Conflict, "there is no file yet"):
        w.auditor._request("GET", f"/prints/{asked.ref}/file")
    w.ridge.drain()
    done = w.auditor._send(wire.Print, "GET", f"/prints/{asked.ref}")
    assert (done.state, done.name) == ("done", f"bulk-{w.things.batch}.pdf"), done
    assert w.auditor._request("GET", f"/prints/{asked.ref}/file").content.startswith(b"%PDF")
