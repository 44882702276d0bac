"""Second factors at the terminal: set up, asked for when signing in, and removed again."""

from __future__ import annotations

import re

import pyotp
import pytest

from openlatch.demo.cast import DOMAIN
from openlatch.demo.seed import SLUG
from openlatch.operations.people import people
from openlatch.words import Role
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal

SECRET = "JBSWY3DPEHPK3PXPJBSWY3DPEHPK3PXP"
WORDS = "four words in a row"


def test_codes_are_added_asked_for_and_removed(ridge: Ridge, run: Terminal, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("openlatch.operations.people.factors.pyotp.random_base32", lambda: SECRET)
    address = f"keeva.lorne@{DOMAIN}"
    with ridge.call() as call:
        people.add_first(call, "Keeva Lorne", address, Role.OWNER, WORDS)
    signing = ("sign-in", ridge.url, "--workspace", SLUG, "--address", address, "--password", WORDS)
    run(*signing)

    def code() -> str:
        ridge.clock.go_on(seconds=31)
        return str(pyotp.TOTP(SECRET).at(ridge.clock.now))

    said = run("me", "add-codes", "--name", "phone", given=f"{code()}\n")
    assert SECRET in said
    assert "█" in said, "a QR code to photograph"
    codes = re.findall(r"^  ([0-9a-z]{5}(?:-[0-9a-z]{5}){2})$", said, re.M)
    assert len(codes) == 10
    assert re.search(r"phone\s+codes", run("me", "factors"))
    assert "10 recovery codes left" in run("me", "factors")

    said = run(*signing, exits=3)
    assert "a second factor is needed too" in said
    assert "the code that your app shows now" in said
    assert "Signed in to" in run(*signing, "--code", code())
    assert "Signed in to" in run(*signing, "--code", codes[3].upper())
    run("confirm", "--code", code())
    assert "needed by: owner" in run("workspace", "change", "--second-factor", "owner")
    assert "your only one" in run("me", "remove-factor", "phone", "--yes", exits=1)
    assert "needed by: nobody" in run("workspace", "change", "--second-factor", "")
    assert "There are: phone." in run("me", "remove-factor", "tablet", "--yes", exits=4)
    assert "Removed: phone." in run("me", "remove-factor", "phone", "--yes")
    assert "Signed in to" in run(*signing)
