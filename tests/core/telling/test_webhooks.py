"""What webhooks are signed with, and what a receiver makes of it."""

from __future__ import annotations

import base64
import hashlib
import hmac
from datetime import UTC, datetime, timedelta

import pytest

from openlatch.wire.telling.signed_news import is_genuine, signed

NOW = datetime(2027, 3, 1, 12, tzinfo=UTC)
URL, BODY, SECRET = "https://desk.example/latch", b'{"specversion":"1.0"}', "kept by both sides"


def test_what_is_sent_is_genuine_for_whoever_has_the_secret_and_for_nobody_else() -> None:
    headers = signed(URL, BODY, "354Y-V8NE", SECRET, NOW)
    assert is_genuine(URL, headers, BODY, SECRET, NOW + timedelta(minutes=4))
    assert is_genuine(URL, {name.upper(): value for name, value in headers.items()}, BODY, SECRET, NOW)
    for altered in (
        {"body": BODY + b" "},
        {"url": "https://other.example/latch"},
        {"secret": "another"},
        {"now": NOW + timedelta(minutes=6)},
        {"now": NOW - timedelta(minutes=6)},
    ):
        given = {"url": URL, "body": BODY, "secret": SECRET, "now": NOW, **altered}
        assert not is_genuine(given["url"], headers, given["body"], given["secret"], given["now"]), altered  # type: ignore[arg-type]


@pytest.mark.parametrize("name", ["Content-Type", "Content-Digest", "Signature-Input", "Signature"])
def test_no_header_can_be_left_out_or_changed(name: str) -> None:
    headers = signed(URL, BODY, "354Y-V8NE", SECRET, NOW)
    assert not is_genuine(URL, {**headers, name: ""}, BODY, SECRET, NOW)
    assert not is_genuine(URL, {k: v for k, v in headers.items() if k != name}, BODY, SECRET, NOW)
    fewer = headers | {"Signature-Input": headers["Signature-Input"].replace(' "content-digest"', "")}
    assert not is_genuine(URL, fewer, BODY, SECRET, NOW)


def test_the_signature_is_what_the_standard_says_worked_out_by_hand() -> None:
    headers = signed(URL, BODY, "k", SECRET, NOW)
    digest = base64.b64encode(hashlib.sha256(BODY).digest()).decode()
    base = (
        '"@method": POST\n'
        '"@target-uri": https://desk.example/latch\n'
        '"content-type": application/cloudevents+json\n'
        f'"content-digest": sha-256=:{digest}:\n'
        '"@signature-params": ("@method" "@target-uri" "content-type" "content-digest")'
        f';created={int(NOW.timestamp())};keyid="k";alg="hmac-sha256"'
    )
    mac = base64.b64encode(hmac.digest(SECRET.encode(), base.encode(), "sha256")).decode()
    assert headers["Signature"] == f"latch=:{mac}:"
