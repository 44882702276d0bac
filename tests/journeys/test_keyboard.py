"""Journeys by keyboard alone: after the page is there, nothing is clicked, and what is used is reached by tabbing."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from openlatch.client import Client
from tests.harness.acts import Desk
from tests.journeys.conftest import sign_in

NAME = """() => {
  const one = document.activeElement;
  const by = one.getAttribute('aria-labelledby') ?? '';
  const named = by.split(' ').map((id) => document.getElementById(id)?.textContent ?? '').join(' ');
  const acts = one.matches('a, button, input, select, textarea, summary, [role=gridcell]');
  const label = [...(one.labels ?? [])].map((each) => each.textContent).join(' ');
  return [one.getAttribute('aria-label') ?? '', named, label, acts ? one.textContent : ''].join(' | ');
}"""
MOST = 150
"""So many presses lead through any page."""


def tab_to(page: Page, name: str) -> None:
    """Press Tab until what has this name has the focus, which has to be seen."""
    for _ in range(MOST):
        page.keyboard.press("Tab")
        if re.search(name, page.evaluate(NAME)):
            outline = page.evaluate("getComputedStyle(document.activeElement).outlineStyle")
            assert outline != "none", f"the focus on “{name}” is not seen"
            return
    pytest.fail(f"“{name}” is not reached by the keyboard")


def press(page: Page, name: str) -> None:
    tab_to(page, name)
    page.keyboard.press("Enter")


def test_an_access_is_ended(page: Page, client: Client, desk: Desk) -> None:
    entry = next(e for e in client.entries(q="guide", provider="Ticket Desk", state="live") if "admit" not in e.powers)
    sign_in(page, to=f"/inventory?party={entry.party.ref}&account={entry.account.ref}")
    page.get_by_role("row", name=re.compile(re.escape(entry.party.name))).wait_for()
    page.keyboard.press("j")
    panel = page.get_by_role("complementary")
    panel.get_by_text(f"Entry {entry.ref}").wait_for()
    page.keyboard.press("e")
    panel.get_by_role("heading", name="What happens").wait_for()
    press(page, "End access$")
    expect(panel.get_by_text("A fresh reading of the provider shows it gone.")).to_be_visible()
    assert client.entry(entry.ref).state == "ended"


def test_someone_is_let_in(page: Page, client: Client) -> None:
    sign_in(page, to="/")
    page.get_by_role("heading", name="Today").wait_for()
    page.keyboard.type("gn")
    page.get_by_role("heading", name="Offers and requests").wait_for()
    press(page, "Let someone in")
    page.get_by_role("heading", name="Let someone in").wait_for()
    tab_to(page, "To whom")
    page.keyboard.type("new.guide@kestrelridge.example")
    press(page, "Next: what they need")
    page.keyboard.type("Night-Sky")
    page.get_by_role("option", name=re.compile("Night-Sky Plates")).first.wait_for()
    page.keyboard.press("Enter")
    tab_to(page, "What they need to do there")
    page.keyboard.type("Observe")
    page.get_by_text("is the narrowest that covers").wait_for()
    press(page, "Next: how long")
    page.keyboard.type("2030-05-10")
    press(page, "Next: why")
    page.keyboard.type("A course for guides")
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="Flags it would raise").wait_for()
    tab_to(page, "I have read this and agree")
    page.keyboard.press("Space")
    press(page, "Send the offer")
    page.get_by_text("waiting for an answer").first.wait_for()
    (made,) = [offer for offer in client.offers("waiting") if offer.address == "new.guide@kestrelridge.example"]
    client.withdraw_offer(made.ref)


def test_a_limit_is_changed_tried_and_adopted(page: Page, client: Client) -> None:
    before = client.policy()
    sign_in(page, to="/")
    page.get_by_role("heading", name="Today").wait_for()
    page.keyboard.type("gr")
    page.get_by_role("heading", name="Policy").wait_for()
    press(page, "Limits")
    tab_to(page, "^access that nobody has used for so long")
    page.keyboard.type("200")
    page.keyboard.press("Tab")
    page.get_by_text(re.compile("would be raised|No flag would be")).wait_for()
    page.keyboard.press("Control+Home")
    page.evaluate("document.activeElement.blur()")
    press(page, "Look at it, and adopt it")
    tab_to(page, "Reason, for the log")
    page.keyboard.type("Volunteers come once in a season")
    press(page, "Adopt it as policy")
    page.get_by_text("Volunteers come once in a season").wait_for()
    assert client.policy().number == before.number + 1
    client.return_to_policy(before.number)


def test_more_is_asked_for_ones_own_access(page: Page, client: Client) -> None:
    sign_in(page, "orla.finch", to="/mine")
    page.get_by_role("article", name="Bookings").wait_for()
    for _ in range(MOST):
        page.keyboard.press("Tab")
        inside = "document.activeElement.closest('article')?.getAttribute('aria-label')"
        if page.evaluate(inside) == "Bookings" and "Ask for more" in page.evaluate(NAME):
            break
    page.keyboard.press("Enter")
    panel = page.get_by_role("complementary", name="Ask for access")
    panel.get_by_role("heading", name="Ask for more on Bookings").wait_for()
    tab_to(page, "publish")
    page.keyboard.press("Space")
    tab_to(page, "What you need it for")
    page.keyboard.type("The spring programme")
    press(page, "Send the request")
    expect(page.get_by_role("region", name="What you have asked for")).to_contain_text("Bookings")
    (asked,) = [request for request in client.requests("waiting") if request.reason == "The spring programme"]
    assert asked.account == "Bookings"
    assert "publish" in asked.needs
