"""The first afternoon, from an empty database to an access that is ended and proved, all in the console."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from openlatch.local.stack import Stack
from tests.journeys.conftest import faults_of, opened

PASSWORD = "lantern orchard seven plates"


@pytest.fixture
def empty(tmp_path: Path) -> Iterator[Stack]:
    """The service as somebody starts it for the first time, and a provider that they have."""
    with Stack(tmp_path / "stack", fast=True, seeded=False) as stack:
        stack.start_desk()
        yield stack


@pytest.fixture
def page(browser: Browser, empty: Stack) -> Iterator[Page]:
    with opened(browser, empty) as page:
        yield page


def printed_code(stack: Stack) -> str:
    found = re.search(r"enter this code:\s+(\S+)", (stack.folder / "web.log").read_text())
    assert found is not None
    return found[1]


def test_a_holder_begins_with_nothing_and_has_ended_an_access_with_proof(page: Page, empty: Stack) -> None:
    # Founding: a wrong code keeps what was typed.
    page.goto("/")
    page.get_by_label("Code").fill("0000-0000-0000")
    page.get_by_label("Name of the holder").fill("Kestrel Ridge Observatory")
    expect(page.get_by_label("Short name")).to_have_value("kestrel-ridge-observatory")
    page.get_by_label("Short name").fill("kestrel-ridge")
    page.get_by_label("Your name").fill("Maren Ashdown")
    page.get_by_label("Your address").fill("maren.ashdown@kestrelridge.example")
    expect(page.get_by_label("Domains of your own")).to_have_value("kestrelridge.example")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Found the workspace").click()
    expect(page.get_by_text("not the code that was printed")).to_be_visible()
    assert faults_of(page) == []
    page.get_by_label("Code").fill(printed_code(empty).upper())
    page.get_by_role("button", name="Found the workspace").click()
    # Three ways to begin: writing down what one knows.
    steps = page.get_by_role("region", name="First steps")
    expect(steps.get_by_role("link", name="Connect a provider")).to_be_visible()
    assert faults_of(page) == []
    steps.get_by_role("button", name="Write down what you know").click()
    steps.get_by_label("What people can use there").fill("Keys and codes")
    steps.get_by_role("button", name="Write the first entry").click()
    page.get_by_role("combobox", name="Account").fill("Front door")
    page.get_by_label("Who").fill("Finn Crane")
    page.get_by_role("button", name="Record it").click()
    expect(page.get_by_text("Finn Crane on Front door")).to_be_visible()
    # Connecting a provider: what it found is said in a sentence.
    page.get_by_role("link", name="Providers").first.click()
    page.get_by_role("button", name="Add a provider").click()
    form = page.get_by_role("form", name="Add a provider")
    form.get_by_label("Name").fill("Ticket Desk")
    form.get_by_label("How it is read").select_option("feed")
    form.get_by_label("url").fill(empty.stand_in_url("desk"))
    form.get_by_label("Secret").fill(empty.secret("desk"))
    form.get_by_role("button", name="Add it, and read it now").click()
    expect(page.get_by_text(re.compile("^ ?complete: 9[0-9] entries"))).to_be_visible()
    page.get_by_role("link", name="Today").click()
    expect(steps.get_by_text(re.compile("Known so far:.*entries on.*accounts.*a flag"))).to_be_visible()
    assert faults_of(page) == []
    # A first review is proposed, with whoever makes it as its reviewer and nothing wrong with it.
    steps.get_by_role("link", name="Plan a first review").click()
    panel = page.get_by_role("complementary")
    expect(panel.get_by_label("Name")).to_have_value("The riskiest access")
    expect(panel.get_by_role("alert")).to_have_count(0)
    panel.get_by_role("button", name=re.compile("^(Add|Save|Make|Plan)")).click()
    expect(page.get_by_text("The riskiest access").first).to_be_visible()
    # A first access is ended, and proved.
    page.goto("/inventory?q=orla&sort=risk")
    page.get_by_role("row", name=re.compile("Orla Finch.*Bookings")).first.click()
    panel.get_by_role("button", name="End or narrow…").click()
    page.get_by_role("heading", name="What happens").wait_for()
    page.get_by_role("button", name="End access").click()
    expect(page.get_by_text(re.compile("proved")).first).to_be_visible()


def test_a_workspace_that_was_founded_is_signed_in_to_and_not_founded_again(page: Page, empty: Stack) -> None:
    code = printed_code(empty)
    page.goto("/found")
    fields = {"Code": code, "Name of the holder": "Hill Farm", "Your name": "Edda Brook"}
    for label, text in {**fields, "Your address": "edda@hillfarm.example", "Password": PASSWORD}.items():
        page.get_by_label(label).fill(text)
    page.get_by_role("button", name="Found the workspace").click()
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("heading", name="Sign in to Hill Farm")).to_be_visible()
    page.goto("/found")
    for label, text in {**fields, "Your address": "edda@hillfarm.example", "Password": PASSWORD}.items():
        page.get_by_label(label).fill(text)
    page.get_by_role("button", name="Found the workspace").click()
    expect(page.get_by_text("A workspace was founded here already.")).to_be_visible()
