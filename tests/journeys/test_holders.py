"""Somebody who acts for several holders: each sign-in with its own rights, all of what waits in one place."""

from __future__ import annotations

from uuid import uuid4

import pytest
from playwright.sync_api import Page, expect

from openlatch.core.model import Circle, Workspace
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.local.stack import Stack
from openlatch.operations.call import Actor, as_service
from openlatch.operations.letting_in import requests
from openlatch.operations.people import people
from openlatch.wire.letting_in.requests import RequestWish
from openlatch.words import Power, Role, Scope
from tests.journeys.conftest import faults_of, sign_in

MAREN = f"maren.ashdown@{DOMAIN}"


@pytest.fixture
def society(stack: Stack) -> str:
    """Another holder, for whom Maren acts as well; somebody has asked for something there."""
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
    expect(rows.nth(1)).to_contain_text("you act in this name now")
    expect(rows.nth(2)).to_contain_text("Kestrel Ridge Observatory")
    assert faults_of(page) == []
    rows.nth(2).get_by_role("button", name="Act in this name").click()
    expect(page.get_by_role("link", name="Kestrel Ridge Observatory")).to_contain_text("1 waiting elsewhere")
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
    assert page.request.get("/api/v1/me").status == 401
    assert page.request.get("/api/v1/session/holders").status == 401
