"""Letting someone in: from the task to the letter, between two browsers, and out again by herself."""

from __future__ import annotations

import json
import re
import time
from datetime import date, timedelta
from urllib.parse import urlsplit

import httpx
import pytest
from playwright.sync_api import Page, expect

from openlatch.client import Client
from openlatch.demo.seed import SLUG
from openlatch.errors import NotAllowed
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire
from tests.conftest import sign_in as client_of
from tests.journeys.conftest import faults_of, letter_to, sign_in

AMARA = "amara.levy@northcape-uni.example"
STRONG = "faint variables over north cape"
LAST_DAY = (date.today() + timedelta(days=45)).isoformat()  # noqa: DTZ011 - the demo's own days are relative


def link_in(text: str) -> str:
    found = re.search(r"http\S+/answer/\S+", text)
    assert found is not None
    return urlsplit(found[0]).path


def heard(stack: Stack) -> list[dict[str, str]]:
    """What the duty desk's bell was sent."""
    url, headers = stack.stand_in_url("bell"), dict(stack.stand_in_headers("bell"))
    return [json.loads(value["body"]) for value in httpx.get(f"{url}/heard", headers=headers).json()["heard"]]


def test_a_visiting_astronomer_is_let_in_for_her_nights_and_gives_it_up_herself(
    stack: Stack, page: Page, hers: Page, client: Client
) -> None:
    sign_in(page, to="/offers/new?account=South%20Dome")
    page.get_by_role("combobox", name="To whom").fill(" Amara.Levy@northcape-uni.example")
    page.keyboard.press("Enter")
    page.get_by_label("What they need to do there").select_option("observe")
    expect(page.get_by_text("“observer” is the narrowest that covers view and edit")).to_be_visible()
    page.get_by_role("button", name="Next").click()
    page.get_by_label("Hours of the week, Europe/London (optional)").fill("tue,fri 19:00-04:00")
    page.get_by_label("Last day, Europe/London").fill(LAST_DAY)
    page.get_by_role("button", name="Next").click()
    page.get_by_label("What it is for").fill("Nights on faint variables")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Flags it would raise")).to_be_visible()
    shown = page.get_by_text("Dr Amara Levy can view and edit on South Dome, Tuesdays and Fridays 19:00–04:00")
    expect(shown).to_be_visible()
    expect(page.get_by_text(AMARA, exact=True)).to_be_visible()
    assert faults_of(page) == []
    send = page.get_by_role("button", name="Send the offer")
    expect(send).to_be_disabled()
    page.get_by_label("I have read this").check()
    send.click()
    panel = page.get_by_role("complementary")
    expect(panel.get_by_text("waiting for an answer")).to_be_visible()

    path = link_in(letter_to(stack, AMARA, "offers you access to South Dome"))
    assert "@" not in path, "no addresses in links"
    hers.goto(path)
    expect(hers.get_by_text("Maren Ashdown, Kestrel Ridge Observatory, offers you access")).to_be_visible()
    assert faults_of(hers) == []
    hers.get_by_role("button", name="Decide later").click()
    expect(hers.get_by_text("Nothing has changed")).to_be_visible()
    hers.reload()
    hers.get_by_label("A password of your own").fill("Password123456")
    hers.get_by_role("button", name="Accept").click()
    expect(hers.get_by_role("alert")).to_contain_text("could be guessed")
    hers.get_by_label("A password of your own").fill(STRONG)
    hers.get_by_role("button", name="Accept").click()
    expect(hers.get_by_text("You have access.")).to_be_visible()
    expect(panel.get_by_text("let in", exact=False).first).to_be_visible()

    hers.get_by_role("link", name="Look at your access").click()
    card = hers.get_by_role("article", name="South Dome")
    expect(card).to_contain_text("You can view and edit, Tuesdays and Fridays 19:00–04:00 (Europe/London)")
    expect(card).to_contain_text("For: Nights on faint variables. Given by Maren Ashdown")
    (entry,) = [e for e in client.entries(account="South Dome", state="live") if AMARA in e.party.addresses]
    assert (entry.kind, entry.basis, entry.given_by) == ("grant", "Nights on faint variables", "Maren Ashdown")
    assert entry.hours is not None
    # At the end of the run she needs it no more.
    card.get_by_role("button", name="Look at it, or give it up").click()
    hers.get_by_role("button", name="Give it up…").click()
    hers.get_by_role("button", name="Give it up", exact=True).click()
    for _ in range(300):
        if client.entry(entry.ref).state == "ended":
            break
        time.sleep(0.1)
    assert client.entry(entry.ref).end_reason == "given-up"
    assert "has given up their access to South Dome" in letter_to(
        stack, "maren.ashdown@kestrelridge.example", "has given up their access to South Dome"
    )
    hers.goto(path)
    expect(hers.get_by_text("This offer was accepted already.")).to_be_visible()
    hers.context.close()
    for _ in range(300):
        told = [texts["type"] for texts in heard(stack)]
        if "org.openlatch.offer.taken-up" in told:
            break
        time.sleep(0.1)
    assert told.index("org.openlatch.offer.made") < told.index("org.openlatch.offer.taken-up")


def wish(to: str, account: str, **more: object) -> wire.OfferWish:
    part = {"account": account} | {k: more.pop(k) for k in ("level", "needs", "task", "permissions") if k in more}
    return wire.OfferWish.model_validate({"to": to, "parts": [part], "until": LAST_DAY, **more})


def test_real_servers_let_in_whom_they_know_and_are_read_again(stack: Stack, client: Client) -> None:
    """A mailbox by rights one by one, and a database by a group; neither keeps an end, so it is ended from here."""
    fit = client.fit("School groups", needs=["view", "publish"])
    assert fit.choices[0].level == "lrp"
    assert fit.choices[0].beyond == ["export"]
    for account, more in (
        ("School groups", {"needs": ["view", "publish"]}),
        ("plate_catalogue", {"level": "plate_editors"}),
    ):
        wanted = wish("ruth.calder@kestrelridge.example", account, **more)
        terms = client.check_offer(wanted)
        if account == "plate_catalogue":
            assert "No login" in next(remark.text for remark in terms.remarks if remark.stops)
            continue
        made = client.offer(wanted, terms.digest)
        assert "keeps no end itself" in " ".join(remark.text for remark in terms.remarks)
        with client_of(stack, "ruth.calder") as ruth:
            taken = ruth.answer_offer(made.ref, "take-up")
            with pytest.raises(NotAllowed):
                ruth.withdraw_offer(made.ref)
        order = taken.parts[0].order
        assert order is not None
        done = list(client.follow(order))[-1]
        assert done.state == "proved", done.why
        live = client.offered(made.ref).parts[0].live
        assert live is not None
        entry = client.entry(str(live))
        assert (entry.level, entry.basis) == ("lrp", "")
        assert entry.order is not None
        ending = list(client.follow(entry.order.ref))[-1]
        assert (ending.action, ending.state) == ("end-on", "waiting")


def test_somebody_from_outside_asks_on_a_page_and_a_manager_turns_it_down(
    stack: Stack, page: Page, client: Client
) -> None:
    page.goto("/ask")
    page.wait_for_load_state("networkidle")
    assert faults_of(page) == []
    if page.get_by_label("Whose account").is_visible():
        page.get_by_label("Whose account").fill(SLUG)
    page.get_by_label("Your name").fill("Edwin Sorrel")
    page.get_by_label("Your address").fill("edwin@sorrel-press.example")
    page.get_by_label("Which account, as you know it").fill("night-sky plates")
    page.get_by_label("view", exact=True).check()
    page.get_by_label("What you need it for").fill("One picture for a school book")
    page.get_by_role("button", name="Send the request").click()
    expect(page.get_by_role("status")).to_contain_text("edwin@sorrel-press.example")
    assert "Edwin Sorrel" not in [request.name for request in client.requests()], "anyone can write anyone's address"
    assert "Edwin Sorrel" in [request.name for request in client.requests("unconfirmed")]
    page.goto(link_in(letter_to(stack, "edwin@sorrel-press.example", "Did you ask")))
    page.get_by_role("button", name="Yes, it was me").click()
    expect(page.get_by_text("Your request has arrived")).to_be_visible()
    (request,) = [request for request in client.requests("waiting") if request.name == "Edwin Sorrel"]
    sign_in(page, "tobias.quill", f"/offers?request={request.ref}")
    panel = page.get_by_role("complementary")
    panel.get_by_label("Or decline it").fill("The picture is free to use already")
    panel.get_by_role("button", name="Decline it").click()
    expect(panel.get_by_text("declined")).to_be_visible()
    assert "The picture is free to use already" in letter_to(
        stack, "edwin@sorrel-press.example", "has declined what you asked for"
    )
