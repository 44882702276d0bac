"""Second factors in the console: codes from an app, a passkey of Chromium's own making, and being asked for either."""

from __future__ import annotations

import re

import pyotp
from playwright.sync_api import Page, expect

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.local.stack import Stack
from tests.journeys.conftest import at_the_door, enter, faults_of, letter_to
from tests.journeys.test_holders import link_in

WORDS = "four words in a row"
DEVICE = {
    "protocol": "ctap2",
    "transport": "internal",
    "hasResidentKey": True,
    "hasUserVerification": True,
    "isUserVerified": True,
    "automaticPresenceSimulation": True,
}


def joined(page: Page, stack: Stack, client: Client, name: str, role: str) -> str:
    """Someone new, who is signed in on a page; returns what their address begins with."""
    who = name.lower().replace(" ", ".")
    client.invite(f"{who}@{DOMAIN}", role)
    page.goto(link_in(letter_to(stack, f"{who}@{DOMAIN}", "invites you")))
    page.get_by_label("Your name").fill(name)
    page.get_by_label("Password").fill(WORDS)
    page.get_by_role("button", name="Accept and sign in").click()
    page.get_by_role("navigation", name="Places").wait_for()
    return who


def test_codes_from_an_app_are_set_up_asked_for_and_taken_away(page: Page, stack: Stack, client: Client) -> None:
    who = joined(page, stack, client, "Idris Vale", "manager")
    page.goto("/me")
    expect(page.get_by_text("whoever learns your password can sign in as you")).to_be_visible()
    page.get_by_label("Its name, such as the device").fill("phone")
    page.get_by_role("button", name="Add codes from an app…").click()
    form = page.get_by_role("form", name="Codes from an app")
    expect(form.get_by_role("img", name=re.compile("QR code"))).to_be_visible()
    assert faults_of(page) == []
    secret = re.search(r"(?:[A-Z2-7]{4} ){7}[A-Z2-7]{4}", form.inner_text())
    assert secret is not None
    app = pyotp.TOTP(secret[0].replace(" ", ""))
    form.get_by_label("The code that it shows now").fill("000000")
    form.get_by_role("button", name="Use these codes").click()
    expect(form.get_by_role("alert")).to_contain_text("not the code of this moment")
    form.get_by_label("The code that it shows now").fill(app.now())
    form.get_by_role("button", name="Use these codes").click()
    codes = page.get_by_role("list", name="Recovery codes").get_by_role("listitem")
    expect(codes).to_have_count(10)
    first = codes.first.inner_text()
    assert faults_of(page) == []
    page.get_by_role("button", name="Sign out").click()
    page.get_by_role("heading", name="Sign in").wait_for()
    page.goto("/me")

    enter(page, who, WORDS)
    expect(page.get_by_label("Code")).to_be_focused()
    assert faults_of(page) == []
    page.get_by_label("Code").fill("000000")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("That code is not right")
    page.get_by_label("Code").fill(first)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("navigation", name="Places").wait_for()
    page.goto("/me")
    expect(page.get_by_text("9 recovery codes are left")).to_be_visible()

    client.reset_factors(f"{who}@{DOMAIN}")
    page.reload()
    enter(page, who, WORDS)
    page.get_by_role("navigation", name="Places").wait_for()


def test_a_passkey_signs_in_alone_and_confirms(page: Page, stack: Stack, client: Client) -> None:
    who = joined(page, stack, client, "Juno Marsh", "auditor")
    devices = page.context.new_cdp_session(page)
    devices.send("WebAuthn.enable")
    devices.send("WebAuthn.addVirtualAuthenticator", {"options": DEVICE})
    page.goto("/me")
    page.get_by_label("Its name, such as the device").fill("laptop")
    page.get_by_role("button", name="Add a passkey…").click()
    expect(page.get_by_role("region", name="Second factors").get_by_role("row", name="laptop passkey")).to_be_visible()
    page.get_by_role("button", name="Add a passkey…").click()
    expect(page.get_by_role("alert")).to_contain_text("has a passkey for you here already")
    page.get_by_role("button", name="Sign out").click()

    at_the_door(page)
    page.get_by_role("button", name="Use a passkey").click()
    page.get_by_role("link", name="Juno Marsh", exact=True).click()
    expect(page.get_by_role("heading", name="My account")).to_be_visible()
    (signed_in, *_) = [
        event for event in client.events(client.person(f"{who}@{DOMAIN}").id) if "how" in event.content["facts"]
    ]
    assert signed_in.content["facts"]["how"] == "passkey laptop"


def test_whoever_needs_a_second_factor_is_led_to_adding_one(page: Page, stack: Stack, client: Client) -> None:
    joined(page, stack, client, "Wren Talbot", "reviewer")
    client.change_workspace(second_factor=["reviewer"])
    try:
        page.goto("/inventory")
        expect(page.get_by_role("alert")).to_contain_text("As reviewer you need a second factor here")
        assert faults_of(page) == []
        page.get_by_label("Its name, such as the device").fill("phone")
        page.get_by_role("button", name="Add codes from an app…").click()
        form = page.get_by_role("form", name="Codes from an app")
        secret = re.search(r"(?:[A-Z2-7]{4} ){7}[A-Z2-7]{4}", form.inner_text())
        assert secret is not None
        form.get_by_label("The code that it shows now").fill(pyotp.TOTP(secret[0].replace(" ", "")).now())
        form.get_by_role("button", name="Use these codes").click()
        page.get_by_role("link", name="Inventory").click()
        expect(page.get_by_role("heading", name="Inventory")).to_be_visible()
    finally:
        client.change_workspace(second_factor=[])
