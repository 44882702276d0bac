"""The OAuth connector: tokens are watched by what the server says of them, revoked, and never shown."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import httpx
import pytest

from openlatch.connectors.oauth import OAuthConnector
from openlatch.core.providers.meaning import Vocabulary
from openlatch.core.providers.observation import ObservedEntry
from openlatch.errors import Invalid, ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.simulator import OAuthStandIn
from openlatch.words import Kind, Power

SETTINGS = {"issuer": "http://box.example", "account": "Donations"}
TOKENS = [
    {"token": "t-chart", "client_id": "star-chart", "scope": "email donations.read", "iat": 1767225600},
    {"token": "t-payout", "client_id": "ledger", "scope": "payouts.withdraw", "exp": 4102444800, "username": "maren"},
]
WATCHED = [
    {"token": "t-chart", "app": "Star Chart Weekly", "publisher": "Star Chart Press", "home": "https://chart.example"},
    {"token": "t-payout", "account": "Payouts"},
    {"token": "t-long-gone"},
]


@pytest.fixture
def stand_in(tmp_path: Path) -> OAuthStandIn:
    load = tmp_path / "box.json"
    load.write_text(json.dumps({"tokens": TOKENS}))
    return OAuthStandIn(tmp_path / "box.sqlite", load, "secret")


def connect(stand_in: OAuthStandIn, client_secret: str = "secret", **settings: str) -> OAuthConnector:
    secret = {"client_id": "open-latch", "client_secret": client_secret, "tokens": WATCHED}
    return OAuthConnector(SETTINGS | settings, json.dumps(secret), httpx.WSGITransport(stand_in))


def entries(connector: OAuthConnector) -> dict[str, ObservedEntry]:
    return {e.party: e for page in connector.pages() for e in page.entries}


def test_an_app_is_shown_with_its_publisher_its_scopes_and_no_token(stand_in: OAuthStandIn) -> None:
    connector = connect(stand_in)
    pages = list(connector.pages())
    observed_entries = entries(connector)
    assert pages[-1].total == len(observed_entries) == 2, "a token that is not active lets nobody in"
    chart, ledger = observed_entries["star-chart"], observed_entries["ledger"]
    assert (chart.kind, chart.account, chart.permissions) == (Kind.APP, "Donations", ("email", "donations.read"))
    assert (ledger.account, ledger.given_by, str(ledger.ends_at)) == ("Payouts", "maren", "2100-01-01 00:00:00+00:00")
    means = Vocabulary(OAuthConnector.words).meaning(chart.level, chart.permissions, chart.powers)
    assert (means.powers, means.unknown) == ((Power.VIEW,), ("donations.read",))
    (party,) = [p for page in pages for p in page.parties if p.key == "star-chart"]
    assert (party.name, party.publisher, party.home) == (
        "Star Chart Weekly",
        "Star Chart Press",
        "https://chart.example",
    )
    assert "t-chart" not in repr(pages)


def test_a_revoked_token_is_gone_and_revoking_it_twice_is_revoking_it_once(stand_in: OAuthStandIn) -> None:
    connector = connect(stand_in)
    key = entries(connector)["star-chart"].key
    assert not connector.end(key, "star-chart", "1").already
    assert connector.look("star-chart").entries == ()
    assert connector.end(key, "star-chart", "1").already
    assert [row[0] for row in stand_in._db.execute("select entry from effects")] == ["t-chart"]
    assert list(entries(connector)) == ["ledger"]


def test_what_the_server_says_and_still_shows_is_what_counts(stand_in: OAuthStandIn) -> None:
    connector = connect(stand_in)
    key = entries(connector)["star-chart"].key
    connector.end(key, "star-chart", "1")
    stand_in.set_fault("keep_active", 1)
    assert [e.key for e in connector.look("star-chart").entries] == [key]
    assert connector.look("star-chart").entries == ()


@pytest.mark.parametrize(
    ("fault", "error"),
    [("down", ProviderDown), ("throttle", ProviderDown), ("garbage", ProviderUnreadable)],
)
def test_a_server_in_trouble_ends_no_entry(stand_in: OAuthStandIn, fault: str, error: type[Exception]) -> None:
    stand_in.set_fault(fault, 9)
    with pytest.raises(error):
        list(connect(stand_in).pages())


def test_another_servers_answers_are_not_believed(stand_in: OAuthStandIn) -> None:
    stand_in.set_fault("other_issuer", 1)
    with pytest.raises(ProviderUnreadable, match="8414"):
        list(connect(stand_in).pages())


def test_refusals_say_what_to_do(stand_in: OAuthStandIn) -> None:
    with pytest.raises(ProviderRefused):
        list(connect(stand_in, "wrong").pages())
    stand_in.set_fault("unsupported", 1)
    connector = connect(stand_in)
    with pytest.raises(ProviderRefused, match="unsupported_token_type"):
        connector.end(entries(connector)["ledger"].key, "ledger", "1")
    with pytest.raises(ProviderRefused, match="no longer among"):
        connector.end("token:0", "ledger", "1")


@pytest.mark.parametrize(
    "secret",
    [
        "",
        "t-chart",
        "[]",
        '{"client_id": "x"}',
        '{"client_id": "x", "tokens": [{"token": ""}]}',
        json.dumps({"client_id": "x", "tokens": [WATCHED[0], WATCHED[0]]}),
    ],
)
def test_a_secret_that_cannot_work_is_refused_without_being_repeated(secret: str) -> None:
    with pytest.raises(Invalid) as refused:
        OAuthConnector(SETTINGS, secret)
    assert "t-chart" not in str(refused.value)
    assert "t-chart" not in json.dumps(refused.value.fields, default=str)


def test_settings_are_checked(stand_in: OAuthStandIn) -> None:
    bad: Any
    for bad in ({"issuer": "box"}, {}, {"issuer": "https://box.example", "pin": "1"}):
        with pytest.raises(Invalid):
            OAuthConnector(bad, json.dumps({"client_id": "x", "tokens": []}))


def test_a_server_that_does_not_decode_what_the_standard_wants_encoded_is_read_too(tmp_path: Path) -> None:
    load = tmp_path / "box.json"
    load.write_text(json.dumps({"tokens": TOKENS}))
    stand_in = OAuthStandIn(tmp_path / "box.sqlite", load, "p%41:+/")
    assert set(entries(connect(stand_in, "p%41:+/"))) == {"star-chart", "ledger"}
