"""Every page for everybody: WCAG 2.2 AA in both themes, zoomed to 200 %, and on a phone."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from openlatch.client import Client
from tests.journeys.conftest import choose_list, faults_of, provider_page, sign_in
from tests.journeys.pages import addresses, shown

ZOOMED = {"width": 640, "height": 400}
"""1280×800 at 200 %."""
PHONE = {"width": 390, "height": 844}


def test_every_page_has_an_address_here(client: Client) -> None:
    assert not [address for address in addresses(client) if ":" in address]


def test_every_page_keeps_to_wcag_2_2_aa_in_both_themes(page: Page, client: Client) -> None:
    page.goto("/sign-in")
    page.get_by_role("heading", name=re.compile("Sign in")).wait_for()
    assert faults_of(page) == []
    sign_in(page)
    entry = next(e for e in client.entries(flagged=True, state="live") if not e.by_hand)
    mast = client.account("Weather Mast").ref
    faults = {}
    for place in (
        *addresses(client),
        "/policy?rule=sole-administrator",
        "/policy?show=policy",
        "/policy?show=history",
        f"/accounts/{mast}?show=risk",
        f"/accounts/{entry.account.ref}?show=activity",
        f"/accounts/{entry.account.ref}?show=history",
        f"/entries/{entry.ref}?show=history",
        "/accounts?sort=risk&criticality=vital",
        "/log?what=order&actor=maren",
        "/reviews?new=yes",
        "/mine?ask=yes",
        f"/inventory?entry={entry.ref}",
    ):
        shown(page, place)
        faults[place] = faults_of(page)
    assert {place: found for place, found in faults.items() if found} == {}
    page.get_by_role("button", name="End or narrow…").click()
    page.get_by_role("heading", name="What happens").wait_for()
    assert faults_of(page) == []
    page.goto("/providers")
    roll = provider_page(page, "Volunteer Roll")
    roll.get_by_role("button", name="What its levels mean").click()
    roll.get_by_role("button", name="Say what badge printer means").click()
    assert faults_of(page) == []
    page.goto("/providers?add=1")
    page.get_by_label("How it is read").select_option("ssh")
    page.get_by_label("host key").wait_for()
    assert faults_of(page) == []
    page.goto("/providers")
    choose_list(page, "Hill Road Signage", b"Account,Who\nHill Road display,\n")
    page.get_by_text("it names nobody", exact=True).wait_for()
    assert faults_of(page) == []


SIDEWAYS = """() => {
  const cut = [...document.querySelectorAll("main, main *")].filter((one) => {
    const style = getComputedStyle(one);
    // A table may be wider than a phone: it scrolls by itself, in a region of its own.
    if (one.closest("[role=region], [role=table], pre, [data-wide]")) return false;
    if (style.overflowX === "visible" || style.overflowX === "hidden") return false;
    return one.scrollWidth > one.clientWidth + 1;
  });
  const page = document.documentElement.scrollWidth > innerWidth + 1 ? ["the page"] : [];
  return [...page, ...cut.map((one) => `${one.tagName} ${one.getAttribute("aria-label") ?? one.className}`)];
}"""


@pytest.mark.parametrize("size", [ZOOMED, PHONE], ids=["at 200 %", "on a phone"])
def test_no_page_is_scrolled_sideways(page: Page, client: Client, size: dict[str, int]) -> None:
    page.set_viewport_size(size)  # type: ignore[arg-type]
    sign_in(page)
    wide = {}
    for place in addresses(client):
        shown(page, place)
        wide[place] = page.evaluate(SIDEWAYS)
    assert {place: found for place, found in wide.items() if found} == {}


def test_marks_are_seen_where_the_system_sets_the_colours(page: Page) -> None:
    """What is told by a filled mark is told by nothing else in its column: its colour must not be taken away."""
    sign_in(page, to="/inventory?sort=party")
    page.get_by_role("row").nth(2).wait_for()
    every = "[...document.querySelectorAll('[role=row] [role=img] i')].slice(0, 200)"
    marks = f"{every}.map((mark) => getComputedStyle(mark).backgroundColor)"
    before = page.evaluate(marks)
    page.emulate_media(forced_colors="active")
    assert len(set(before)) > 1
    assert page.evaluate(marks) == before


def test_on_a_phone_the_places_are_in_a_menu(page: Page) -> None:
    page.set_viewport_size(PHONE)  # type: ignore[arg-type]
    sign_in(page, to="/")
    expect(page.get_by_role("navigation").get_by_role("link", name="Flags")).to_be_hidden()
    page.get_by_role("button", name="Menu").click()
    page.get_by_role("navigation").get_by_role("link", name="Flags").click()
    expect(page.get_by_role("heading", name="Flags", level=1)).to_be_visible()
    expect(page.get_by_role("link", name="Log", exact=True)).to_be_hidden()


def test_the_help_is_found_searched_and_read_by_everyone(page: Page) -> None:
    sign_in(page)
    page.get_by_role("link", name="Help", exact=True).click()
    page.get_by_role("heading", name="Open Latch", exact=True).wait_for()
    assert faults_of(page) == []
    page.get_by_role("searchbox", name="Search the help").fill("pause access")
    page.keyboard.press("Enter")
    page.get_by_role("link", name="Taking it back").last.click()
    page.get_by_role("heading", name="Taking it back", exact=True).wait_for()
    for size, scheme in ((ZOOMED, "light"), (PHONE, "dark")):
        page.set_viewport_size(size)
        page.emulate_media(color_scheme=scheme)
        for path in ("guide/taking-back.html", "reference/api/entries.html", "search.html?q=pause"):
            page.goto(f"/help/{path}")
            assert faults_of(page) == []
            wide = page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
            assert wide == 0, path
