"""Who signs in: for several holders at once, by an invitation, and not any more."""

from __future__ import annotations

import re
from uuid import uuid4

import pytest
from playwright.sync_api import Page, Route, expect

from openlatch.core.model import Circle, Workspace
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.local.stack import Stack
from openlatch.operations.call import Actor, as_service
from openlatch.operations.letting_in import requests
from openlatch.operations.people import people
from openlatch.wire.letting_in.requests import RequestWish
from openlatch.words import Power, Role, Scope
from tests.journeys.conftest import faults_of, letter_to, sign_in

MAREN = f"maren.ashdown@{DOMAIN}"


@pytest.fixture
def society(stack: Stack) -> str:
    """Another holder, for whom Maren acts as well; someone has asked for something there."""
    slug = f"plate-society-{uuid4().hex[:8]}"
    workspace = Workspace(uuid4(), slug, "Ridge Plate Society", "Europe/London", Circle(frozenset({DOMAIN})))
    with stack.service.store.found(workspace, stack.service.services.clock()) as tx:
        call = as_service(tx, stack.service.services)
        people.add_first(call, "Maren Ashdown", MAREN, Role.MANAGER, PASSWORD)
        pell = people.add_first(call, "Pell Varga", f"pell.varga@{DOMAIN}", Role.MEMBER, PASSWORD)
        as_pell = type(call)(tx, call.services, Actor(pell.name, pell, Scope.CHANGE, call.now), call.now)
        requests.ask(as_pell, RequestWish(account="Plate swaps", needs=[Power.VIEW], reason="To swap plates"))
    return slug


def test_in_the_console_what_waits_elsewhere_is_seen_and_acted_on_in_that_name(
    page: Page, stack: Stack, society: str
) -> None:
    sign_in(page, to="/")
    page.goto("/sign-in?more=yes")
    page.get_by_label("Workspace").fill(society)
    page.get_by_label("Address").fill(MAREN)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("link", name="Ridge Plate Society")).to_be_visible()
    page.goto("/holders")
    rows = page.get_by_role("table").get_by_role("row")
    expect(rows.nth(1)).to_contain_text("Ridge Plate Society")
    expect(rows.nth(1)).to_contain_text("in use now")
    expect(rows.nth(2)).to_contain_text("Kestrel Ridge Observatory")
    assert faults_of(page) == []
    rows.nth(2).get_by_role("button", name="Switch to it").click()
    expect(page.get_by_role("link", name="Kestrel Ridge Observatory")).to_contain_text("1 waiting in others")
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
    assert page.request.get("/api/v1/me").status == 401
    assert page.request.get("/api/v1/session/holders").status == 401


def link_in(text: str) -> str:
    found = re.search(r"http\S+(/link#\S+)", text)
    assert found is not None
    return found[1]


def test_somebody_is_invited_in_the_console_chooses_a_password_and_is_disabled_again(
    page: Page, hers: Page, stack: Stack
) -> None:
    address = f"sabine.thorne@{DOMAIN}"
    sign_in(page, to="/people")
    expect(page.get_by_text("can sign in; one of them is an owner")).to_be_visible()
    assert faults_of(page) == []
    page.get_by_role("button", name="Invite someone…").click()
    panel = page.get_by_role("complementary")
    panel.get_by_label("Address").fill(address)
    panel.get_by_label("manager").check()
    assert faults_of(page) == []
    panel.get_by_role("button", name="Send the invitation").click()
    expect(page.get_by_role("status")).to_contain_text(f"A letter is on its way to {address}")
    expect(page.get_by_role("row", name=re.compile(address))).to_contain_text("invited, not yet accepted")

    hers.goto(link_in(letter_to(stack, address, "invites you")))
    expect(hers.get_by_text("Kestrel Ridge Observatory")).to_be_visible()
    hers.get_by_label("Your name").fill("Sabine Thorne")
    hers.get_by_label("Password").fill("kestrel-ridge-")
    hers.get_by_role("button", name="Accept and sign in").click()
    expect(hers.get_by_role("alert")).to_contain_text("could be guessed")
    hers.get_by_label("Password").fill("four words in a row")
    assert faults_of(hers) == []
    hers.get_by_role("button", name="Accept and sign in").click()
    hers.get_by_role("link", name="Sabine Thorne", exact=True).click()
    expect(hers.get_by_role("heading", name="My account")).to_be_visible()
    expect(hers.get_by_role("region", name="Sessions").get_by_role("row").nth(1)).to_contain_text(
        "Chrome on Linux this one"
    )
    hers.get_by_label("Dates").select_option("de")
    hers.get_by_role("button", name="Save").click()
    expect(hers.get_by_text("Saved.")).to_be_visible()
    assert faults_of(hers) == []

    page.reload()
    page.get_by_role("button", name="Sabine Thorne").click()
    panel.get_by_role("button", name="Disable sign-in…").click()
    expect(panel.get_by_text("Their sessions and tokens end at once")).to_be_visible()
    assert faults_of(page) == []
    panel.get_by_role("button", name="Disable sign-in", exact=True).click()
    expect(page.get_by_role("row", name=re.compile(address))).to_contain_text("disabled")
    hers.reload()
    expect(hers.get_by_role("heading", name="Sign in")).to_be_visible()
    hers.goto("/forgotten")
    expect(hers.get_by_role("heading", name="Forgot your password?")).to_be_visible()
    assert faults_of(hers) == []


def test_whoever_is_told_to_come_again_while_signing_in_need_not_do_so_by_hand(page: Page) -> None:
    told: list[str] = []

    def busy_at_first(route: Route) -> None:
        if route.request.method != "POST" or told:
            route.continue_()
            return
        told.append("come again")
        problem = {"code": "busy", "detail": "Too many people are signing in at this moment.", "status": 503}
        route.fulfill(status=503, content_type="application/problem+json", json=problem)

    page.route("**/api/v1/session", busy_at_first)
    sign_in(page, to="/inventory")
    expect(page.get_by_role("heading", name="Inventory")).to_be_visible()
    assert told == ["come again"]
