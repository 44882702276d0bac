"""Tasks, offers and requests."""

from __future__ import annotations

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.errors import Changed, Conflict, Invalid, NotAllowed, NotFound, NotSignedIn
from tests.harness.acts import settle
from tests.harness.furniture import PLATES
from tests.operations.effects.world import World, of


@of("tasks.browse")
def _(w: World) -> None:
    assert {"observe"} <= {task.id for task in w.auditor.tasks()}
    with w.refused(NotAllowed, "tasks.browse"):
        w.member.tasks()


@of("tasks.fit")
def _(w: World) -> None:
    fit = w.auditor.fit("South Dome", "observe")
    assert (fit.choices[0].level, fit.needs) == ("observer", ["view", "edit"])
    with w.refused(NotFound, "no task"):
        w.auditor.fit("South Dome", "levitate")


@of("accounts.choices")
def _(w: World) -> None:
    found = w.auditor.choices(PLATES, "folder 20", 3)
    assert found.levels[0].level == "plate reader"
    assert (len(found.parts), found.more_parts > 0) == (3, True)
    assert all("folder 20" in part for part in found.parts)
    with w.refused(NotAllowed, "accounts.choices"):
        w.member.choices(PLATES)


@of("offers.look_up")
def _(w: World) -> None:
    terms = w.manager.check_offer(w.wish(f"finn.dale@{DOMAIN}"))
    assert terms.known is not None
    assert terms.known.name == "Finn Dale"
    with w.refused(NotAllowed, "offers"):
        w.reviewer.check_offer(w.wish(f"finn.dale@{DOMAIN}"))


@of("offers.check")
def _(w: World) -> None:
    terms = w.manager.check_offer(w.wish("tquil@kestrelridge.example"))
    assert (terms.near, len(terms.digest)) == (f"tobias.quill@{DOMAIN}", 64)
    assert "can view on Night-Sky Plates" in terms.sentences[0]
    with w.refused(Invalid, "is not an address"):
        w.manager.check_offer(w.wish("finn dale@x.example"))


@of("offers.create")
def _(w: World) -> None:
    wanted = w.wish(f"greta.dale@{DOMAIN}", basis="To sort the plates")
    made = w.manager.offer(wanted, w.manager.check_offer(wanted).digest)
    entry = w.owner.entry(str(made.parts[0].entry))
    assert (made.state, entry.state, entry.given_by) == ("waiting", "offered", "Tobias Quill")
    w.ridge.drain()
    assert w.ridge.post.to(f"greta.dale@{DOMAIN}", "offers you access")
    with w.refused(Changed, "not what was shown"):
        w.manager.offer(w.wish(f"hugo.dale@{DOMAIN}"), "0" * 64)


@of("offers.correct")
def _(w: World) -> None:
    made = w.offer(f"isla.dale@{DOMAIN}")
    less = w.wish(f"isla.dale@{DOMAIN}", until=w.day(5).isoformat())
    digest = w.owner.check_offer(less, made.ref).digest
    corrected = w.owner.correct_offer(made.ref, less, digest, version=made.version)
    assert corrected.parts[0].ends_at != made.parts[0].ends_at
    with w.refused(Changed, "."):
        w.owner.correct_offer(made.ref, less, digest, version=made.version)


@of("offers.send_again")
def _(w: World) -> None:
    made = w.offer(f"joss.dale@{DOMAIN}")
    w.ridge.drain()
    w.owner.send_offer_again(made.ref)
    w.ridge.drain()
    first, second = w.ridge.post.to(f"joss.dale@{DOMAIN}", "offers you access")
    assert first.text != second.text, "the former link leads nowhere"
    w.owner.withdraw_offer(made.ref)
    with w.refused(Conflict, "withdrawn"):
        w.owner.send_offer_again(made.ref)


@of("offers.withdraw")
def _(w: World) -> None:
    made = w.offer(f"kira.dale@{DOMAIN}")
    assert w.manager.withdraw_offer(made.ref, "not needed any more").state == "withdrawn"
    assert w.owner.entry(str(made.parts[0].entry)).end_reason == "withdrawn"
    with w.refused(Conflict, "withdrawn"):
        w.manager.withdraw_offer(made.ref)


@of("offers.browse")
def _(w: World) -> None:
    assert w.things.offer in {offer.ref for offer in w.auditor.offers()}
    with w.refused(NotAllowed, "offers.browse"):
        list(w.member.offers())


@of("offers.show")
def _(w: World) -> None:
    assert w.auditor.offered(w.things.offer).address == f"bram.finch@{DOMAIN}"
    with w.refused((NotAllowed, NotFound), "."):  # type: ignore[arg-type]
        w.member.offered(w.things.offer)


@of("offers.mine")
def _(w: World) -> None:
    made = w.offer(f"orla.finch@{DOMAIN}")
    assert made.ref in {offer.ref for offer in w.member.my_offers()}
    assert w.auditor.my_offers() == []
    w.owner.withdraw_offer(made.ref)
    with w.refused(NotSignedIn, "."):
        Client(w.ridge.url, "", transport=w.ridge.transport).my_offers()


@of("offers.take_up")
def _(w: World) -> None:
    made = w.offer(f"orla.finch@{DOMAIN}")
    with w.refused(NotAllowed, "to someone else"):
        w.owner.answer_offer(made.ref, "take-up")
    taken = w.member.answer_offer(made.ref, "take-up")
    assert taken.state == "taken-up"
    assert taken.parts[0].order is not None
    assert settle(w.owner, taken.parts[0].order).state == "proved"
    live = w.owner.offered(made.ref).parts[0].live
    assert live is not None
    assert w.owner.entry(str(live)).state == "live"
    history = {event.content["act"] for event in w.owner.events(entry=str(live))}
    assert {"offer.made", "offer.taken-up", "order.proved", "entry.found"} <= history, "how it came about, to its end"
    w.owner.end(str(live))
    w.ridge.drain()


@of("offers.decline")
def _(w: World) -> None:
    made = w.offer(f"orla.finch@{DOMAIN}")
    assert w.member.answer_offer(made.ref, "decline", "Too far away").state == "declined"
    assert w.owner.entry(str(made.parts[0].entry)).end_reason == "declined"
    with w.refused(Conflict, "declined"):
        w.member.answer_offer(made.ref, "decline")


@of("offers.leave")
def _(w: World) -> None:
    made = w.offer(f"orla.finch@{DOMAIN}")
    assert w.member.answer_offer(made.ref, "later").state == "waiting"
    assert w.last() == "offer.left"
    w.owner.withdraw_offer(made.ref)
    with w.refused(Conflict, "withdrawn"):
        w.member.answer_offer(made.ref, "later")


@of("requests.ask")
def _(w: World) -> None:
    asked = w.member.ask("Gate", ["view"], reason="To open on Sundays", until=w.day(30))
    assert asked.ref in {request.ref for request in w.owner.requests("waiting")}
    w.member.withdraw_request(asked.ref)
    with w.refused(Invalid, "what is asked for"):
        w.member.ask("Gate", reason="because")


@of("requests.browse")
def _(w: World) -> None:
    assert w.things.request in {request.ref for request in w.auditor.requests()}
    with w.refused(NotAllowed, "requests.browse"):
        list(w.member.requests())


@of("requests.show")
def _(w: World) -> None:
    asked = w.owner.request(w.things.request)
    assert (asked.ref, bool(asked.reason)) == (w.things.request, True)
    with w.refused(NotFound, "no request"):
        w.owner.request("7Q4K-BRM2")


@of("requests.mine")
def _(w: World) -> None:
    assert {request.name for request in w.member.my_requests()} == {"Orla Finch"}
    with w.refused(NotSignedIn, "."):
        Client(w.ridge.url, "", transport=w.ridge.transport).my_requests()


@of("requests.turn_down")
def _(w: World) -> None:
    asked = w.member.ask(PLATES, ["view"], reason="To look at comets")
    assert w.manager.turn_down(asked.ref, "The comets are on the web page").state == "turned-down"
    with w.refused(Conflict, "turned-down"):
        w.manager.turn_down(asked.ref, "again")


@of("requests.withdraw")
def _(w: World) -> None:
    asked = w.member.ask(PLATES, ["view"], reason="To look at moons")
    with w.refused((NotAllowed, NotFound), "."):  # type: ignore[arg-type]
        w.owner.withdraw_request(asked.ref)
    assert w.member.withdraw_request(asked.ref).state == "withdrawn"
