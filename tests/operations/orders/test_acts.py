"""Taking back in every way there is: several steps, people who are asked, many at once."""

from __future__ import annotations

import base64
import itertools
import json
from dataclasses import replace
from datetime import date, timedelta
from zoneinfo import ZoneInfo

import pytest
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

from openlatch.client import Client
from openlatch.demo.cast import PASSWORD
from openlatch.demo.seed import SLUG
from openlatch.errors import Changed, Conflict, Invalid, NotAllowed, NotConfirmed, OpenLatchError
from openlatch.jobs.carry_out import carry_out
from openlatch.operations.telling import links
from openlatch.wire import messages as wire
from openlatch.wire.record.signatures import check
from tests.harness.acts import Desk, events, settle
from tests.harness.ridge import Ridge


def one(client: Client, **wanted: str) -> wire.Entry:
    return next(client.entries(**wanted))  # type: ignore[arg-type]


def calls(order: wire.Order | wire.Plan) -> list[str]:
    return [step.call for step in order.steps]


def test_an_administrator_who_cannot_be_removed_is_reduced_first_and_removed_then(client: Client, desk: Desk) -> None:
    entry = one(client, q="jory.penrose", account="Bookings")
    assert entry.level == "administrator"
    plan = client.plan(entry.ref)
    assert calls(plan) == ["change", "read", "end", "read", "receipt"]
    with desk.fault(lose_answers=2):
        order = settle(client, client.end(entry.ref, digest=plan.digest).ref)
    assert order.state == "proved", order.why
    assert all(step.at for step in order.steps)
    assert desk.effects(entry) == 2, "once reduced, once removed, though both answers were lost"
    assert client.entry(entry.ref).end_reason == "revoked"


def test_the_last_administrator_goes_only_after_another_one_has_come(client: Client) -> None:
    last = one(client, q="ivo.marsh", account="Weather Mast")
    stopped = client.plan(last.ref)
    assert "last one" in stopped.stop
    with pytest.raises(Conflict, match="Name a new administrator first"):
        client.end(last.ref)
    assert client.entry(last.ref).state == "live"
    follows = next(way for way in stopped.ways_out if way.name == "Maren Ashdown")
    order = settle(client, client.end(last.ref, successor=follows.entry).ref)
    assert order.state == "proved", order.why
    maren = client.entry(follows.entry)
    assert (maren.level, "admit" in maren.powers) == ("instrument keeper", True)
    assert client.entry(last.ref).state == "ended"


def test_what_was_ended_by_mistake_is_given_back_as_it_was(client: Client, desk: Desk) -> None:
    guides = (e for e in client.entries(account="Bookings", state="live") if e.level == "guide" and not e.by_hand)
    guide = next(e for e in guides if client.entry(e.ref).order is None)
    with pytest.raises(Conflict, match="has this access"):
        client.plan(guide.ref, "give-back")
    assert settle(client, client.end(guide.ref).ref).state == "proved"
    plan = client.plan(guide.ref, "give-back")
    assert calls(plan) == ["read", "give", "read", "receipt"], "what is there is looked at before anything is given"
    with desk.fault(lose_answers=1):
        order = settle(client, client.command(guide.ref, "give-back", digest=plan.digest).ref)
    assert order.state == "proved", order.why
    again = next(e for e in client.entries(q=guide.party.name, account="Bookings") if e.level == "guide")
    assert (again.state, again.powers, again.resources) == ("live", guide.powers, guide.resources)
    assert client.entry(guide.ref).state == "ended", "what was ended stays in the history"
    with pytest.raises(Conflict, match="again already"):
        client.command(guide.ref, "give-back")


def test_less_than_ending_narrow_pause_and_a_last_day(ridge: Ridge, client: Client) -> None:
    cashier = next(e for e in client.entries(account="Bookings") if e.level == "cashier" and "spend" in e.powers)
    with pytest.raises(Invalid, match="gives more"):
        client.command(cashier.ref, "narrow", level="administrator")
    narrowed = settle(client, client.command(cashier.ref, "narrow", level="guide").ref)
    assert narrowed.receipt is not None
    assert (narrowed.state, narrowed.receipt.did) == ("proved", "narrow")
    assert (client.entry(cashier.ref).level, client.entry(cashier.ref).powers) == ("guide", ["view"])

    paused = settle(client, client.command(cashier.ref, "pause").ref)
    assert (paused.state, client.entry(cashier.ref).state) == ("proved", "paused")
    with pytest.raises(Conflict, match=r"is paused"):
        client.command(cashier.ref, "pause")
    assert settle(client, client.command(cashier.ref, "resume").ref).state == "proved"
    assert client.entry(cashier.ref).state == "live"

    grant = next(e for e in client.entries(q="amara", provider="Dome Control") if e.kind == "grant")
    assert grant.ends_at is not None
    last_day = (grant.ends_at - timedelta(days=9)).date()
    with pytest.raises(Invalid, match="ends before that"):
        client.command(grant.ref, "end-on", until=grant.ends_at.date() + timedelta(days=3))
    assert settle(client, client.command(grant.ref, "end-on", until=last_day).ref).state == "proved"
    kept = client.entry(grant.ref).ends_at
    assert kept is not None
    assert kept < grant.ends_at
    assert (kept - timedelta(seconds=1)).astimezone(ZoneInfo("Europe/London")).date() == last_day


def test_an_end_that_no_provider_keeps_is_waited_for_here_and_can_be_called_off(ridge: Ridge, client: Client) -> None:
    spare = [
        e for e in client.entries(account="Bookings", state="live") if e.level == "guide" and e.party.kind == "person"
    ]
    first, second = spare[:2]
    until = (ridge.clock() + timedelta(days=3)).date()
    waiting = [settle(client, client.command(e.ref, "end-on", until=until).ref) for e in (first, second)]
    assert [(o.state, calls(o)[0]) for o in waiting] == [("waiting", "wait")] * 2
    assert client.entry(first.ref).state == "live", "it holds until then"
    assert client.cancel(waiting[1].ref).state == "cancelled"

    after = waiting[0].again_at
    assert after is not None
    for at, state in ((after - timedelta(seconds=1), "waiting"), (after, "proved")):
        services = replace(ridge.services, clock=lambda at=at: at)
        with ridge.store.transaction(SLUG) as tx:
            workspace_id = tx.workspace.id
        for order in waiting:
            carry_out(ridge.store, services, workspace_id, [order.id])
        assert client.order(waiting[0].ref).state == state
    assert (client.entry(first.ref).state, client.entry(first.ref).end_reason) == ("ended", "expired")
    assert client.entry(second.ref).state == "live"


def test_a_secret_that_four_know_is_changed_once_and_whoever_knew_it_has_nothing(client: Client) -> None:
    told = list(client.entries(account="Newsletter", kind="secret"))
    assert len(told) == 4
    with pytest.raises(Conflict) as refused:
        client.end(told[0].ref)
    assert "openlatch secret change" in refused.value.next_step
    order = settle(client, client.command(told[0].ref, "change-secret").ref)
    assert (order.state, "done" in order.moves, order.again_at is not None) == ("waiting", True, True)
    with pytest.raises(Conflict, match="in progress"):
        client.command(told[0].ref, "narrow", level="reader")
    client.done(order.ref, "Sabine changed it in the letter's own settings")
    proved = settle(client, order.ref)
    assert proved.receipt is not None
    assert (proved.state, "no reading can see it" in proved.receipt.showed) == ("proved", True)
    assert list(client.entries(account="Newsletter", kind="secret")) == []
    assert "secret-known-to-several" not in {flag.rule for flag in client.flags(account="Newsletter")}
    assert "entry.ended" in events(client, told[3])


def test_what_a_person_is_asked_to_do_is_not_proved_before_it_is_so(client: Client, desk: Desk) -> None:
    lantern = one(client, q="Lantern Works", provider="Hill Road Signage")
    order = settle(client, client.end(lantern.ref).ref)
    assert (order.state, calls(order)) == ("waiting", ["ask", "receipt"])
    assert client.entry(lantern.ref).state == "ending"
    client.done(order.ref)
    assert settle(client, order.ref).state == "proved"
    assert (client.entry(lantern.ref).state, client.entry(lantern.ref).end_reason) == ("ended", "revoked")
    with pytest.raises(Conflict, match="asks nobody"):
        client.done(order.ref)


def test_a_receipt_is_checked_without_us_and_an_altered_one_does_not_hold(client: Client) -> None:
    guides = client.entries(account="Bookings", state="live", kind="delegate")
    guide, other = itertools.islice((e for e in guides if e.level in ("guide", "visitor desk") and not e.order), 2)
    order = settle(client, client.end(guide.ref).ref)
    signed, keys = client.receipt(order.ref), client.receipt_keys()
    said = check(signed, keys)
    assert (said["order"], said["party"]) == (order.ref, order.party)

    # Once more with nothing of ours, by the letter of RFC 7515.
    header, payload, signature = signed.split(".")
    (key,) = [key for key in keys["keys"] if key["kid"] == json.loads(_decoded(header))["kid"]]
    public = Ed25519PublicKey.from_public_bytes(_decoded(key["x"]))
    public.verify(_decoded(signature), f"{header}.{payload}".encode())
    altered = base64.urlsafe_b64encode(json.dumps(said | {"party": "Someone else"}).encode()).decode().rstrip("=")
    with pytest.raises(InvalidSignature):
        public.verify(_decoded(signature), f"{header}.{altered}".encode())
    for wrong in (f"{header}.{altered}.{signature}", signed[:-8], "", "a.b.c", json.dumps(said)):
        with pytest.raises(Invalid, match="does not hold"):
            check(wrong, keys)
    with pytest.raises(Conflict, match="no receipt yet"):
        client.receipt(client.command(other.ref, "end-on", until=date(2099, 1, 1)).ref)


def _decoded(text: str) -> bytes:
    return base64.urlsafe_b64decode(text + "=" * (-len(text) % 4))


def test_many_are_ended_together_if_they_are_as_many_as_was_said(client: Client, desk: Desk) -> None:
    where = {"account": "Gate", "kind": "delegate"}
    plan = client.plan_batch(where)
    assert plan.count == plan.looked_at > 10
    assert {c.kind for c in plan.consequences} >= {"dependency", "effect"}
    with pytest.raises(Changed, match=f"{plan.count} of them now"):
        client.command_batch(where, count=plan.count + 1)
    with pytest.raises(Changed, match="0 of them now"):
        client.command_batch({"account": "Gate", "kind": "app"}, count=1)
    keys = {e.ref: e for e in client.entries(**where)}  # type: ignore[arg-type]
    batch = list(client.follow_batch(client.command_batch(where, count=plan.count, reason="The gate is closed").ref))[
        -1
    ]
    assert (batch.over, batch.outcomes) == (True, {"proved": plan.count})
    assert {item.entry.ref for item in batch.items if item.entry} == set(keys)
    assert {desk.effects(entry) for entry in keys.values()} == {1}
    assert len(list(client.orders(batch=batch.ref))) == plan.count
    assert not list(client.entries(**where))  # type: ignore[arg-type]


def test_what_is_not_possible_in_a_batch_says_why_and_a_batch_can_be_called_off(ridge: Ridge, client: Client) -> None:
    where = {"account": "Lost property"}
    there = list(client.entries(account="Lost property"))
    batch = list(client.follow_batch(client.command_batch(where, "pause", count=len(there)).ref))[-1]
    assert batch.outcomes == {"refused": len(there)}
    assert all("cannot be paused" in item.trouble for item in batch.items)
    with ridge.client("ruth.calder") as auditor, pytest.raises(NotAllowed):
        auditor.cancel_batch(batch.ref)
    assert client.cancel_batch(batch.ref).cancelled_at is not None
    with pytest.raises(Conflict, match="cancelled already"):
        client.cancel_batch(batch.ref)


def test_a_dangerous_act_asks_for_the_password_if_it_was_not_given_lately(ridge: Ridge, client: Client) -> None:
    entry = next(e for e in client.entries(account="Bookings", state="live") if e.level == "visitor desk")
    ridge.clock.go_on(minutes=31)
    assert client.plan(entry.ref).steps, "looking needs no password"
    with pytest.raises(NotConfirmed, match="Nothing was changed"):
        client.end(entry.ref)
    with pytest.raises(NotConfirmed, match="not your password"):
        client.confirm("a-wrong-password")
    assert client.entry(entry.ref).state == "live"
    client.confirm(PASSWORD)
    assert settle(client, client.end(entry.ref).ref).state == "proved"


def test_an_account_is_handed_over_once_its_owner_agrees_signed_in(ridge: Ridge, client: Client) -> None:
    owner = one(client, q="pell.varga", account="North Dome", state="live")
    keeper = one(client, q="jory.penrose", account="North Dome", state="live")
    with pytest.raises(Invalid, match="owns North Dome already"):
        client.plan(owner.ref, "hand-over", successor=keeper.ref)
    ways = client.plan(owner.ref, "hand-over").ways_out
    assert keeper.ref not in {way.entry for way in ways}
    to = client.entry(ways[0].entry)
    plan = client.plan(owner.ref, "hand-over", successor=to.ref)
    assert f"by a link in a letter to {owner.party.addresses[0]}" in plan.steps[0].text
    order = settle(client, client.command(owner.ref, "hand-over", digest=plan.digest, successor=to.ref).ref)
    assert (order.state, order.rests) == ("waiting", True)
    with ridge.call() as call:
        path = next(n.notice.link for n in call.tx.notices.to(owner.party.addresses[0]) if "over to" in n.notice.title)
        link = links.whole(call, path).removeprefix(links.PATH)
    stranger = Client(ridge.url, "nobody's", transport=ridge.transport)
    asked = stranger.question(link)
    assert asked.title == f"Hand North Dome at Dome Control over to {to.party.name} ({to.party.addresses[0]})?"
    assert any(f"{to.party.name} owns North Dome from then on" in line for line in asked.text)
    assert asked.needs == "sign-in"
    for other in (stranger, client, ridge.client("pell.varga", scope="read")):
        with pytest.raises(OpenLatchError):
            other.answer(link, agrees=True)
        assert client.order(order.ref).state == "waiting"
    ridge.client("pell.varga").answer(link, agrees=True)
    waits = settle(client, order.ref)
    assert "own" in client.entry(to.ref).powers
    assert waits.moves == ["done", "cancel"], "Dome Control narrows nobody from here, so that a person does it there"
    assert waits.why.startswith("Have Pell Varga narrowed to “night assistant” at Dome Control itself")


def test_only_what_can_be_ordered_is_offered_and_advised(client: Client) -> None:
    for wanted in (
        {"kind": "session"},
        {"kind": "secret"},
        {"kind": "open"},
        {"account": "North Dome"},
        {"account": "Bookings", "q": "Volunteers"},
        {"state": "ended"},
    ):
        for entry in itertools.islice(client.entries(**wanted), 3):  # type: ignore[arg-type]
            shown = client.entry(entry.ref)
            for act in ("end", "pause", "resume", "close-sessions", "change-secret", "give-back"):
                offered = act in {act.action for act in shown.acts}
                try:
                    plan = client.plan(entry.ref, act)
                except Conflict:
                    assert not offered, (entry.ref, act)
                else:
                    assert offered or act == "end-on" or entry.kind in ("session", "open"), (entry.ref, act)
                    here = next((possible_act.here for possible_act in shown.acts if possible_act.action == act), True)
                    assert here is ("ask" not in calls(plan))
    dome = client.entry(next(client.entries(account="North Dome", kind="delegate", state="live")).ref)
    assert {act.action for act in dome.acts if not act.here} == {"narrow"}, "nobody is narrowed there from here"
