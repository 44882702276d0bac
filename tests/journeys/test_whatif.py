"""Seeing beforehand what changes would change: by a program, on the command line, and on a page; then doing it."""

from __future__ import annotations

from typing import Any

import pytest
from playwright.sync_api import Page, expect

from openlatch.client import Client
from openlatch.errors import Conflict
from openlatch.local.stack import Stack
from tests.harness.acts import settle
from tests.journeys.conftest import faults_of, sign_in

PLATES = "Night-Sky Plates"
CLOSED = {"do": "share", "account": PLATES, "resource": "unreleased 2026", "zone": "Europe/London", "statements": []}


def proposed(*changes: dict[str, Any], title: str = "What if") -> dict[str, Any]:
    return {"proposal": 1, "title": title, "changes": list(changes)}


def test_a_proposal_is_looked_at_on_a_page_and_applied_as_orders_offers_and_tasks(
    page: Page, client: Client, stack: Stack
) -> None:
    target = next(e for e in client.entries(account="Gate", state="live") if e.level == "guide")
    sign_in(page, to=f"/what-if/new?entry={target.ref}")
    page.get_by_label("What it is about").fill("Fewer at the gate")
    page.get_by_role("button", name="lock", exact=True).click()
    page.get_by_role("combobox", name="Account").fill("plates")
    page.get_by_role("option", name=PLATES).click()
    page.get_by_role("button", name="Work it out").click()
    expect(page.get_by_text("Nobody from outside would gain access.")).to_be_visible()
    expect(page.get_by_role("img", name=f"{target.party.name} loses view on Gate", exact=False)).to_be_visible()
    assert faults_of(page) == []
    apply = page.get_by_role("button", name="Apply all 2 changes")
    expect(apply).to_be_disabled()
    page.get_by_label("I have read this").check()
    apply.click()
    expect(page.get_by_text("Fewer at the gate")).to_be_visible()
    expect(page.get_by_text("Lock Night-Sky Plates at Plate Archive")).to_be_visible()
    the_proposal = next(proposal for proposal in client.proposals() if proposal.title == "Fewer at the gate")
    assert (the_proposal.state, the_proposal.applied_by) == ("applied", "Maren Ashdown")
    order = client.entry(target.ref).order
    assert order is not None
    assert settle(client, order.ref).state == "proved"
    with pytest.raises(Conflict, match="applied already"):
        client.run_proposal(the_proposal.ref)


def test_two_versions_are_laid_beside_each_other_on_a_page(page: Page, client: Client) -> None:
    open_to_all = {"effect": "allow", "to": [{"anyone": True}], "powers": ["view", "export"]}
    ref = client.propose(proposed({**CLOSED, "statements": [open_to_all]}, title="Which way")).ref
    client.worked_out(ref)
    client.change_proposal(ref, proposed(CLOSED, title="Which way"))
    client.worked_out(ref)
    sign_in(page, to=f"/what-if/{ref}")
    page.get_by_label("Compared with").select_option("version 1")
    beside = page.get_by_label("Comparison")
    expect(beside.get_by_text(f"Anyone, from outside, gains export on {PLATES} (unreleased 2026).")).to_be_visible()
    expect(page.get_by_role("button", name="Apply all")).to_have_count(0)
    assert faults_of(page) == []
    client.change_proposal(ref, proposed({"do": "lock", "account": "Bookings", "locked": True}))
    client.worked_out(ref)
    with pytest.raises(Conflict, match="is not worked out"):
        client.compare_versions(ref, 2, 3)
