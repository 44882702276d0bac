"""What the service says where it is reached over https, and to whoever found a weakness of it."""

from __future__ import annotations

from datetime import datetime

import pytest
from flask import Flask

from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.seed import SLUG
from openlatch.web.api import Backend
from openlatch.web.app import create_app
from openlatch.wiring import Settings
from tests.harness.ridge import Ridge

SIGN_IN = {"workspace": SLUG, "address": f"maren.ashdown@{DOMAIN}", "password": PASSWORD}


def app(ridge: Ridge, *, secure: bool = True, contact: str = "") -> Flask:
    return create_app(Backend(ridge.store, ridge.services, secure, threads=4, security_contact=contact))


def test_over_https_a_session_is_sent_over_nothing_else_and_set_by_nobody_else(ridge: Ridge) -> None:
    browser = app(ridge).test_client()
    signed_in = browser.post("/api/v1/session", json=SIGN_IN, base_url="https://localhost")
    (cookie, *_) = signed_in.headers.getlist("Set-Cookie")
    assert cookie.startswith("__Host-openlatch_session=latch.")
    assert {"Secure", "HttpOnly", "Path=/", "SameSite=Strict"} <= set(cookie.split("; "))
    assert "Domain" not in cookie
    assert signed_in.headers["Strict-Transport-Security"] == "max-age=31536000"
    assert browser.get("/api/v1/me", base_url="https://localhost").status_code == 200
    # A cookie of the same name without what keeps others from setting it counts for nothing.
    planted = app(ridge).test_client()
    planted.set_cookie("openlatch_session", cookie.partition("=")[2].partition(";")[0], domain="localhost")
    assert planted.get("/api/v1/me", base_url="https://localhost").status_code == 401


def test_without_https_nothing_is_promised(ridge: Ridge) -> None:
    browser = app(ridge, secure=False).test_client()
    signed_in = browser.post("/api/v1/session", json=SIGN_IN)
    assert signed_in.headers.getlist("Set-Cookie")[0].startswith("openlatch_session=latch.")
    assert "Strict-Transport-Security" not in signed_in.headers


@pytest.mark.parametrize(
    ("console", "said", "secure"),
    [
        ("https://latch.example", None, True),
        ("http://localhost:8480", None, False),
        ("", None, False),
        ("http://localhost:8480", True, True),
        ("https://latch.example", False, False),
    ],
)
def test_its_address_says_whether_it_is_reached_over_https(console: str, said: bool | None, secure: bool) -> None:
    given = Settings(database_url="postgresql://x@y/z", secret_keys=["k"], console_url=console, secure_cookies=said)
    assert given.secure is secure


def test_whoever_found_a_weakness_learns_where_to_say_so(ridge: Ridge) -> None:
    visitor = app(ridge, contact="mailto:security@kestrelridge.example").test_client()
    lines = visitor.get("/.well-known/security.txt").text.splitlines()
    assert lines[0] == "Contact: mailto:security@kestrelridge.example"
    until = datetime.fromisoformat(lines[1].removeprefix("Expires: "))
    assert 100 < (until - ridge.clock.now).days < 365
    nobody = app(ridge).test_client().get("/.well-known/security.txt")
    assert nobody.status_code == 404
