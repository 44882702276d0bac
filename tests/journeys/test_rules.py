"""The policy and its flags, on a demo of their own: what the stories raise, trying, adopting, accepting, and time."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from openlatch.client import Client
from openlatch.local.stack import Stack
from tests.journeys.conftest import sign_in as sign_in_to


def test_a_flag_is_lived_with_and_a_policy_changed_in_the_browser(stack: Stack, client: Client, page: Page) -> None:
    sign_in_to(page, to="/")
    expect(page.get_by_role("heading", name="What to look at first")).to_be_visible()
    expect(page.get_by_role("button", name=re.compile(r"risk \d+.*Lise Hartnell on Donations"))).to_be_visible()

    page.goto("/flags?rule=lock-off")
    page.get_by_role("button", name=re.compile("Night-Sky Plates.*lock")).click()
    panel = page.get_by_role("complementary")
    panel.get_by_role("button", name="Accept…").click()
    panel.get_by_label("Reason").fill("The partners still move their plates")
    panel.get_by_role("button", name="Accept", exact=True).click()
    expect(page.get_by_text("Nothing is stale or risky by the rules of your policy.")).to_be_visible()
    page.get_by_role("button", name="accepted", exact=True).click()
    expect(page.get_by_role("button", name=re.compile("Night-Sky Plates.*until"))).to_be_visible()

    page.goto("/policy?show=policy&rule=crowded")
    text = page.get_by_label("The policy, as TOML")
    expect(page.get_by_text("no mistakes")).to_be_visible()
    present = client.policy()
    text.fill(present.text.replace("account.shared_with > limits.crowd", "account.shared_wit > limits.crowd"))
    expect(page.get_by_text("there is no field “account.shared_wit”")).to_be_visible()
    expect(page.get_by_role("button", name="Adopt…")).to_be_disabled()
    text.fill(present.text.replace("crowd = 60", "crowd = 2"))
    outcome = page.get_by_role("region", name="What it would change, and fields")
    expect(outcome.get_by_text("crowded")).to_be_visible()
    expect(outcome.get_by_text(re.compile(r"is shared with \d+ parties")).first).to_be_visible()
    assert client.policy() == present
    page.get_by_role("button", name="Adopt…").click()
    page.get_by_label("Reason").fill("Two are a crowd")
    page.get_by_role("button", name=f"Adopt it as policy {present.number + 1}").click()
    expect(page.get_by_text("Two are a crowd")).to_be_visible()
    assert client.policy().note == "Two are a crowd"
    page.get_by_role("button", name="Roll back to it").first.click()
    expect(page.get_by_text(f"Back to policy {present.number}.")).to_be_visible()
    assert client.policy().text == present.text
