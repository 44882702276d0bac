"""Letting someone in from the command line: offers, requests, secrets, answers."""

from __future__ import annotations

import re
from datetime import date, timedelta
from urllib.parse import urlsplit

import pytest

from openlatch.client import Client
from openlatch.errors import Conflict, Invalid
from openlatch.wire import messages as wire
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal

AMARA = "amara.levy@northcape-uni.example"


STRONG = "faint variables over north cape"


LAST_DAY = (date.today() + timedelta(days=45)).isoformat()  # noqa: DTZ011 - the demo's own days are relative


def letter_to(ridge: Ridge, address: str, about: str) -> str:
    """The text of the last letter to an address that says something."""
    ridge.drain()
    return ridge.post.to(address, about)[-1].text


def link_in(text: str) -> str:
    found = re.search(r"http\S+/answer/\S+", text)
    assert found is not None
    return urlsplit(found[0]).path


def wish(to: str, account: str, **more: object) -> wire.OfferWish:
    part = {"account": account} | {k: more.pop(k) for k in ("level", "needs", "task", "permissions") if k in more}
    return wire.OfferWish.model_validate({"to": to, "parts": [part], "until": LAST_DAY, **more})


def test_whoever_is_not_eligible_is_named_with_what_to_do_before_anything_is_sent(client: Client) -> None:
    for to, account, said in (
        ("noor.haddad@northcape-uni.example", "South Dome", "Their papers have not been seen yet."),
        ("nobody@northcape-uni.example", "South Dome", "Nobody is registered at Dome Control by that."),
        ("@tomas-rell", "Kestrel Ridge Live", "They have not agreed to be invited."),
    ):
        wanted = wish(to, account, needs=["view"], write_to="tomas.rell@northcape-uni.example")
        terms = client.check_offer(wanted)
        (stop,) = [remark for remark in terms.remarks if remark.stops]
        assert said in stop.text
        with pytest.raises(Conflict, match="Nothing was offered"):
            client.offer(wanted, terms.digest)


def test_the_command_line_offers_asks_and_answers(ridge: Ridge, run: Terminal) -> None:
    assert "Take bookings on Saturdays" in run("task", "list")
    assert "is the narrowest that covers view and edit" in run("task", "fit", "South Dome", "--task", "observe")
    plates = ("--account", "Night-Sky Plates=plate reader", "--until", LAST_DAY)
    offer = ("offer", "make", "bram.finch@kestrelridge.example", *plates)
    assert "can view on Night-Sky Plates" in run(*offer, "--dry-run")
    assert "is not an address" in run("offer", "make", "a b@x.example", *plates, exits=1)
    assert "Say to whom, and what." in run("offer", "make", exits=2)
    ref = re.search(r"Offered \(([0-9A-Z-]+)\)", run(*offer, "--reason", "To label plates", "--yes"))
    assert ref is not None
    assert "waiting" in run("offer", "list", "--state", "waiting")
    path = link_in(letter_to(ridge, "bram.finch@kestrelridge.example", "offers you access to Night-Sky Plates"))
    asked = run("answer", ridge.url + path)
    assert "Bram Finch can view on Night-Sky Plates" in asked
    assert "What it is for: To label plates" in asked
    assert "You declined." in run("answer", ridge.url + path, "--decline", "--reason", "No time", "--yes")
    assert "was declined" in run("answer", ridge.url + path, "--agree", "--yes", exits=1)
    assert "declined" in run("offer", "show", ref[1])
    asking = run("request", "make", "Gate", "--power", "view", "--reason", "To see who comes")
    mine = re.search(r"Asked \(([0-9A-Z-]+)\)", asking)
    assert mine is not None
    assert "To see who comes" in run("request", "list", "--mine")
    assert "can view on Gate" in run(
        *("offer", "make", "bram.finch@kestrelridge.example", "--account", "Gate"),
        *("--request", mine[1], "--no-end", "--dry-run"),
    )
    assert "withdrawn" in run("request", "withdraw", mine[1], "--yes")
    told = run("secret", "record", "Gate", "Dov Finch", "the gate code")
    secret = re.search(r"Recorded \(([0-9A-Z-]+)\)", told)
    assert secret is not None
    assert "Dov Finch can view on Gate" in run(
        "offer", "make", "--replaces", secret[1], "--power", "view", "--until", LAST_DAY, "--dry-run"
    )
    assert "offer, request" in run("webhook", "list")
    assert "is not encrypted" in run("webhook", "add", "http://desk.example/latch", exits=1)


def test_a_request_that_asks_for_nothing_is_refused(client: Client) -> None:
    with pytest.raises(Invalid, match="what is asked for"):
        client.ask("Gate", [], reason="because")


def test_offers_that_providers_show_are_listed_beside_those_made_here(client: Client, run: Terminal) -> None:
    there = [entry for entry in client.entries(kind="offer", state="offered") if not entry.by_hand]
    assert there, "the demo's desk shows an offer"
    said = run("offer", "list")
    assert all(entry.ref in said for entry in there)
    assert there[0].ref not in run("offer", "list", "--mine")
    assert there[0].ref not in run("offer", "list", "--state", "declined")
