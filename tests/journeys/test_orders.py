"""Taking back in every way there is, on a demo of its own: several steps, people who are asked, many at once."""

from __future__ import annotations

import re
from datetime import datetime

import pytest
from playwright.sync_api import Page, expect

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.errors import Changed, Invalid
from openlatch.local.stack import Stack
from openlatch.wire.record.signatures import check
from tests.harness.acts import read
from tests.journeys.conftest import long_ago
from tests.journeys.conftest import sign_in as sign_in_to


def test_somebody_goes_and_everything_they_hold_is_taken_back_in_the_browser(
    stack: Stack, client: Client, page: Page
) -> None:
    hanne = next(p for p in client.parties(q="hanne.prior") if f"hanne.prior@{DOMAIN}" in p.addresses)
    plan = client.plan_leaver(hanne.ref)
    providers = {item.provider for item in plan.items if item.entry}
    assert providers == {"Ticket Desk", "Volunteer Roll", "Front Office Mail"}
    with pytest.raises(Changed):
        client.leave(hanne.ref, count=len(plan.items) + 1)
    with pytest.raises(Invalid, match="over already"):
        client.leave(hanne.ref, count=len(plan.items), last_day=datetime(2020, 1, 1).date())  # noqa: DTZ001
    sign_in_to(page, to=f"/parties/{hanne.ref}")
    page.get_by_role("link", name="Start leaving…").click()
    expect(page.get_by_role("heading", name="Hanne Prior leaves")).to_be_visible()
    expect(page.get_by_text("Remove Hanne Prior from the team Everyone at the ridge.")).to_be_visible()
    act = page.get_by_role("button", name="End all of it")
    expect(act).to_be_disabled()
    page.get_by_label("Who takes care of what only people can do").fill("Tobias Quill")
    page.get_by_label(re.compile("type how many")).fill(str(len(plan.items)))
    long_ago(stack, "sign_ins")
    act.click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Your password").fill("a-wrong-password")
    dialog.get_by_role("button", name="Go on").click()
    expect(dialog.get_by_role("alert")).to_contain_text("not your password")
    dialog.get_by_label("Your password").fill(PASSWORD)
    dialog.get_by_role("button", name="Go on").click()
    expect(page.get_by_text(f"{len(plan.items)} proved")).to_be_visible(timeout=60_000)
    batch = next(client.batches("leaver"))
    assert (batch.over, set(batch.outcomes)) == (True, {"proved"})
    assert client.memberships(hanne.ref).teams == [], "out of the team, by an order"
    for item in client.batch(batch.ref).items:
        if item.order:
            assert check(client.receipt(item.order), client.receipt_keys())["party"]
    for provider in providers:
        read(client, provider)
    assert not list(client.entries(party=hanne.ref))
