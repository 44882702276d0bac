"""A provider is listened to, and later removed: in a browser, with tokens that another library has signed."""

from __future__ import annotations

import re
from collections.abc import Iterator
from threading import Thread
from types import SimpleNamespace
from typing import Any

import httpx
import pytest
from playwright.sync_api import Page, expect
from werkzeug.serving import make_server

from openlatch.client import Client
from openlatch.wiring import now
from tests.harness.transmitter import RISC, Transmitter
from tests.journeys.conftest import provider_page, sign_in


@pytest.fixture
def sender() -> Iterator[Transmitter]:
    """Whoever sends security events, on a port of its own."""
    apps: dict[str, Any] = {}

    def answer(environ: dict[str, Any], start: Any) -> Any:
        return apps[url](environ, start)

    server = make_server("127.0.0.1", 0, answer, threaded=True)
    url = f"http://127.0.0.1:{server.server_port}"
    around = SimpleNamespace(transport=SimpleNamespace(serve=apps.__setitem__), clock=SimpleNamespace(now=now()))
    thread = Thread(target=server.serve_forever)
    thread.start()
    yield Transmitter(around, url)  # type: ignore[arg-type]
    server.shutdown()
    thread.join()


def test_what_a_provider_reports_is_heard_and_seen_to(page: Page, client: Client, sender: Transmitter) -> None:
    entry = next(e for e in client.entries(provider="Dome Control") if e.party.addresses)
    sign_in(page, to="/providers")
    shown = provider_page(page, "Dome Control")
    shown.get_by_role("button", name="Security events…").click()
    expect(shown.get_by_text("Open Latch takes no security events of it yet.")).to_be_visible()
    shown.get_by_role("button", name="Listen…").click()
    shown.get_by_label("Issuer").fill(sender.issuer)
    shown.get_by_label("Address of its keys").fill("signals")
    shown.get_by_role("button", name="Listen", exact=True).click()
    expect(shown.get_by_text("is not an address that can be reached")).to_be_visible()
    shown.get_by_label("Address of its keys").fill(f"{sender.issuer}/keys")
    shown.get_by_role("button", name="Listen", exact=True).click()
    secret = shown.get_by_text(re.compile("^latch-events-")).inner_text()
    stream = client.event_stream("Dome Control")
    token = sender.token(f"{RISC}account-disabled", {"format": "opaque", "id": entry.subject}, stream.audience)
    headers = {"Content-Type": "application/secevent+jwt", "Authorization": f"Bearer {secret}"}
    assert httpx.post(stream.address, content=token, headers=headers).status_code == 202
    expect(shown.get_by_role("row", name=re.compile(f"{entry.party.name}.*disabled.*read again"))).to_be_visible()
    shown.get_by_role("button", name="Stop listening").click()
    expect(shown.get_by_text("Open Latch takes no security events of it yet.")).to_be_visible()


def test_a_provider_is_removed_once_it_is_told_what_that_comes_to(page: Page, client: Client) -> None:
    board = client.add_provider("Old Harbour Board", "by-hand", {})
    kept = client.keep(board.name, account="Old harbour lights", party="Greta Dale", powers=["view"])
    sign_in(page, to="/providers")
    shown = provider_page(page, board.name)
    shown.get_by_role("button", name="Remove…").click()
    expect(shown.get_by_text("1 entry on 1 account will not be looked at any more.")).to_be_visible()
    expect(shown.get_by_text(f"None of that access is ended: whoever has it at {board.name} keeps it.")).to_be_visible()
    shown.get_by_role("button", name="Cancel").click()
    shown.get_by_role("button", name="Remove…").click()
    shown.get_by_role("button", name=f"Remove {board.name}").click()
    expect(page.get_by_role("heading", name=board.name)).to_have_count(0)
    page.goto(f"/inventory?state=ended&entry={kept.ref}")
    panel = page.get_by_role("complementary")
    expect(panel.get_by_text("its provider was removed")).to_be_visible()
    expect(panel.get_by_text(re.compile("Not watched: "))).to_be_visible()
