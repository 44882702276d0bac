"""The policy and its flags, on a demo of their own: what the stories raise, trying, adopting, accepting, and time."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from openlatch.client import Client
from openlatch.local.stack import Stack
from tests.journeys.conftest import faults_of
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
    present = client.policy()
    # The rule that was asked for is gone to once the file is there.
    expect(page.get_by_text("In rule crowded")).to_be_visible()
    # The editor draws only what is seen of a long text; all of it is chosen as a person does that.
    text.click()
    page.keyboard.press("Control+a")
    page.keyboard.insert_text(
        present.text.replace("account.shared_with > limits.crowd", "account.shared_wit > limits.crowd")
    )
    expect(page.get_by_text("there is no field “account.shared_wit”").first).to_be_visible()
    draft = page.get_by_role("region", name="Draft")
    expect(draft).to_contain_text("It has mistakes.")
    draft.get_by_role("button", name="Discard").click()
    expect(draft).to_be_hidden()
    # The same by a field: what it would change is said at once, on every page of the policy.
    page.get_by_role("link", name="Limits").click()
    page.get_by_label("a vital account that is shared with more parties than this").fill("2")
    page.keyboard.press("Tab")
    expect(page.get_by_role("row").filter(has_text="a vital account that is shared")).to_contain_text("flags")
    expect(draft).to_contain_text("would be raised")
    page.get_by_role("link", name="Rules", exact=True).click()
    page.get_by_role("link", name="Vital account shared with very many").click()
    expect(draft).to_contain_text("would be raised")
    assert faults_of(page) == []
    draft.get_by_role("button", name="Look at it").click()
    expect(draft.get_by_text(re.compile(r"is shared with \d+ parties")).first).to_be_visible()
    assert client.policy() == present
    draft.get_by_label("Reason").fill("Two are a crowd")
    draft.get_by_role("button", name=f"Adopt it as policy {present.number + 1}").click()
    expect(page.get_by_text("Two are a crowd")).to_be_visible()
    assert client.policy().note == "Two are a crowd"
    page.get_by_role("button", name="Roll back to it").first.click()
    expect(page.get_by_text(f"Back to policy {present.number}.")).to_be_visible()
    assert client.policy().text == present.text


def test_a_rule_of_ones_own_is_put_together_from_fields(page: Page, client: Client) -> None:
    sign_in_to(page, to="/policy")
    page.get_by_role("link", name="New rule…").click()
    page.get_by_label("What it finds").fill("A guide who can spend")
    page.get_by_role("combobox", name="Field").fill("own name for what was given")
    page.get_by_role("option", name="entry.level").click()
    page.get_by_label("Value").fill("cashier")
    page.get_by_role("button", name="And another condition").click()
    page.get_by_role("combobox", name="Field").nth(1).fill("entry.powers")
    page.get_by_role("option", name="entry.powers").first.click()
    page.get_by_label("Value").nth(1).fill("spend")
    expect(page.get_by_text('entry.level == "cashier" && "spend" in entry.powers')).to_be_visible()
    expect(page.get_by_text(re.compile(r"It would flag \d+ now."))).to_be_visible()
    assert faults_of(page) == []
    page.get_by_role("button", name="Add it to the policy…").click()
    draft = page.get_by_role("region", name="Draft")
    expect(draft).to_contain_text("would be raised")
    draft.get_by_role("button", name="Look at it").click()
    draft.get_by_role("button", name="Adopt it as policy").click()
    expect(page.get_by_text("Adds the rule a-guide-who-can-spend.")).to_be_visible()
    page.goto("/policy/rules/a-guide-who-can-spend")
    expect(page.get_by_role("heading", name="A guide who can spend", level=1)).to_be_visible()
    expect(page.get_by_text(re.compile("^Flags [1-9]"))).to_be_visible()
    assert "a-guide-who-can-spend" in {flag.rule for flag in client.flags()}
