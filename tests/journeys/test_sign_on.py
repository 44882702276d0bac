"""Single sign-on in the browser: set up in the console, and used at a provider that nobody here wrote."""

from __future__ import annotations

import re
import socket
import subprocess
import sys
import time
from collections.abc import Iterator

import httpx
import pytest
from playwright.sync_api import Page, expect

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.local.stack import Stack
from tests.journeys.conftest import at_the_door, faults_of, long_ago, sign_in

HIS = f"corvin.hale@{DOMAIN}"


@pytest.fixture(scope="module")
def issuer() -> Iterator[str]:
    """A provider on this machine that knows one man."""
    with socket.create_server(("127.0.0.1", 0)) as probe:
        port = probe.getsockname()[1]
    command = [sys.executable, "-W", "ignore", "-m", "oidc_provider_mock", "--port", str(port), "-n", "true"]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    url = f"http://localhost:{port}"
    # It has no word for when he proved who he is, but says whatever else it is told to say of him.
    says = {"email": HIS, "email_verified": True, "name": "Corvin Hale", "groups": ["guides"]}
    with process:
        try:
            for _ in range(400):
                try:
                    httpx.put(f"{url}/users/corvin", json=says | {"auth_time": int(time.time())}).raise_for_status()
                    break
                except httpx.TransportError:
                    time.sleep(0.1)
            yield url
        finally:
            process.terminate()


@pytest.fixture(autouse=True)
def none_left(client: Client) -> Iterator[None]:
    """Whatever becomes of a test, the next one signs in as usual."""
    yield
    for service in client.sign_ons().items:
        client.remove_sign_on(service.ref)


def through(page: Page, subject: str = "corvin") -> None:
    """Prove who one is at the provider."""
    page.get_by_placeholder("sub").fill(subject)
    page.get_by_role("button", name="Authorize").click()


def test_somebody_is_let_in_by_a_service_and_proves_there_again_who_he_is(
    page: Page, hers: Page, stack: Stack, client: Client, issuer: str
) -> None:
    sign_in(page, to="/settings")
    section = page.get_by_role("region", name="Single sign-on")
    section.get_by_role("button", name="Add a single sign-on…").click()
    panel = page.get_by_role("complementary")
    expect(panel).to_contain_text(f"{stack.url}/signed-on")
    panel.get_by_label("Name").fill("Ridge Login")
    panel.get_by_label("Issuer").fill("http://localhost:1")
    panel.get_by_label("Client id").fill("latch")
    panel.get_by_label("Client secret").fill("told to nobody")
    panel.get_by_role("button", name="Give roles by a claim").click()
    panel.get_by_label("The claim").fill("groups")
    panel.get_by_label("Value 1", exact=True).fill("guides")
    panel.get_by_label("Role for value 1").select_option("manager")
    assert faults_of(page) == []
    panel.get_by_role("button", name="Add it").click()
    expect(panel.get_by_role("alert")).to_contain_text("does not answer")
    panel.get_by_label("Issuer").fill(issuer)
    panel.get_by_role("button", name="Add it").click()
    expect(section.get_by_role("row", name="Ridge Login")).to_contain_text("groups: guides as manager")
    assert faults_of(page) == []

    hers.goto("/inventory")
    at_the_door(hers)
    hers.get_by_role("button", name="Sign in at Ridge Login").click()
    hers.get_by_role("button", name="Deny").click()
    expect(hers.get_by_role("alert")).to_contain_text("Ridge Login did not say who you are (access_denied)")
    assert faults_of(hers) == []
    hers.get_by_role("link", name="Sign in").click()
    at_the_door(hers)
    hers.get_by_role("button", name="Sign in at Ridge Login").click()
    through(hers)
    hers.get_by_role("link", name="Corvin Hale", exact=True).click()
    expect(hers.get_by_role("heading", name="My account")).to_be_visible()
    assert "code=" not in hers.url
    assert client.person(HIS).role == "manager"

    # He has no password here, and proves there again that it is still he.
    long_ago(stack, "sign_ins")
    hers.get_by_label("A token for").fill("desk")
    hers.get_by_role("button", name="Make a token").click()
    dialog = hers.get_by_role("dialog")
    expect(dialog).to_contain_text("Confirm that it is you")
    assert faults_of(hers) == []
    dialog.get_by_role("button", name="Confirm at Ridge Login").click()
    through(hers)
    hers.get_by_role("link", name="Go back and do it").click()
    # What is above it has come: nothing moves the button any more while it is pressed.
    expect(hers.get_by_role("region", name="Sessions").get_by_role("row")).to_have_count(2)
    expect(hers.get_by_text("None. The command line makes one")).to_be_visible()
    hers.get_by_label("A token for").fill("desk")
    hers.get_by_role("button", name="Make a token").click()
    expect(hers.get_by_text(re.compile(r"^latch\.[0-9a-f]{32}\."))).to_be_visible()
    expect(hers.get_by_role("region", name="Tokens").get_by_role("row", name="desk")).to_be_visible()
    assert faults_of(hers) == []

    section.get_by_role("button", name="Remove Ridge Login").click()
    expect(section).to_contain_text("Nobody will be able to sign in at Ridge Login")
    section.get_by_role("button", name="Remove Ridge Login").last.click()
    expect(section.get_by_role("row", name="Ridge Login")).to_have_count(0)


def test_who_comes_back_from_nowhere_is_told_so(page: Page, stack: Stack) -> None:
    page.goto("/signed-on?code=x&state=y")
    expect(page.get_by_role("alert")).to_contain_text("no sign-in was started in this browser")
    assert page.url == f"{stack.url}/signed-on"
    assert faults_of(page) == []
