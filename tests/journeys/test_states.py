"""What a page says while it does not know yet, when the service fails, and to whom it may say nothing."""

from __future__ import annotations

import json
import re

import pytest
from playwright.sync_api import Page, Route, expect

from openlatch.client import Client
from tests.journeys.conftest import sign_in
from tests.journeys.pages import addresses

API = re.compile(r"/api/v1/(?!me$|session/(?!holders))")
NONE = re.compile(
    r"^(none|nothing|nobody|no \w+)\b|\b(there are no|there is no|is empty|you have no|has no|have no)\b|\bmatches\.$",
    re.I,
)
"""What a page may say only once it knows."""
FAILS = {
    500: {"title": "Failed", "detail": "It failed with an unexpected error.", "next": "Try again."},
    403: {
        "title": "Not allowed",
        "detail": "Your role does not allow this.",
        "next": "Ask an owner.",
        "code": "not-allowed",
    },
}


NEEDS_NOTHING = {"/providers/describe"}
"""Pages that show what one writes, and ask for nothing before."""


def said(page: Page) -> list[str]:
    """The sentences of a page that say that there is nothing."""
    lines = page.get_by_role("main").inner_text().splitlines()
    return [line for line in lines if NONE.search(line)]


def test_no_page_says_that_there_is_nothing_before_it_knows(page: Page, client: Client) -> None:
    every = addresses(client)
    sign_in(page, to="/mine")

    def hold(_: Route) -> None:
        """Never answer."""

    page.route(API, hold)
    too_soon = {}
    for place in every:
        page.goto(place)
        expect(page.get_by_role("main").locator("section, article, h1").first).to_be_visible()
        too_soon[place] = said(page)
    page.goto("about:blank")
    page.unroute_all(behavior="ignoreErrors")
    assert "\n".join(f"{place}: {line}" for place, lines in too_soon.items() for line in lines) == ""


@pytest.mark.parametrize("status", sorted(FAILS))
def test_a_page_that_is_refused_says_so_and_not_that_there_is_nothing(page: Page, client: Client, status: int) -> None:
    every = [place for place in addresses(client) if place not in NEEDS_NOTHING]
    sign_in(page, to="/mine")
    problem = json.dumps({"type": "about:blank", "status": status, "code": "busy", "errors": [], **FAILS[status]})
    page.route(API, lambda route: route.fulfill(status=status, body=problem, content_type="application/problem+json"))
    silent, untrue = [], {}
    for place in every:
        page.goto(place)
        try:
            expect(page.get_by_role("main").get_by_role("alert").first).to_contain_text(FAILS[status]["detail"])
        except AssertionError:
            silent.append(place)
        untrue[place] = said(page)
    assert silent == []
    assert "\n".join(f"{place}: {line}" for place, lines in untrue.items() for line in lines) == ""
