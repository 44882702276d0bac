"""The OAuth connector against an authorization server that is built on a library nobody here wrote."""

from __future__ import annotations

import json
from typing import Any

import httpx
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from joserfc.jwk import ECKey

from openlatch.connectors.oauth import OAuthConnector
from openlatch.errors import Invalid, ProviderDown, ProviderRefused
from tests.harness.authorization import ISSUER, Authorization, Issued, Registered
from tests.harness.faults import Meddling

APP = "star-chart"
KEY = ECKey.generate_key("P-256", {"kid": "k1", "use": "sig", "alg": "ES256"})
WAYS = ("client_secret_basic", "client_secret_post", "private_key_jwt")


def server(
    way: str = "client_secret_basic", client: str = "open-latch", secret: str = "s", **more: Any
) -> Authorization:
    ours = Registered(client, secret, way, frozenset({APP, "ledger"}), KEY.as_dict(private=False))
    tokens = [
        Issued("a-1", "access_token", APP),
        Issued("r-1", "refresh_token", APP, renews="a-1"),
        Issued("r-2", "refresh_token", "ledger"),
    ]
    return Authorization({client: ours}, {token.value: token for token in tokens}, **more)


def connector(there: Authorization, transport: httpx.BaseTransport | None = None, **given: Any) -> OAuthConnector:
    (ours,) = there.clients.values()
    key = {"private_key": KEY.as_dict(private=True)} if ours.method == "private_key_jwt" else {}
    secret = {
        "client_id": ours.client_id,
        "client_secret": ours.secret,
        "tokens": [
            {"token": "a-1", "refresh_token": "r-1", "app": "Star Chart Weekly"},
            {"token": "r-2"},
        ],
    }
    return OAuthConnector(
        {"issuer": ISSUER}, json.dumps(secret | key | given), transport or httpx.WSGITransport(there.app())
    )


def shown(auth_connector: OAuthConnector) -> set[str]:
    return {entry.party for page in auth_connector.pages() for entry in page.entries}


awkward = st.text(st.sampled_from("ab %:+/&=ü~"), min_size=1, max_size=12)


@pytest.mark.parametrize("way", WAYS)
@given(client=awkward, secret=awkward, metadata=st.booleans())
@settings(max_examples=20)
def test_every_client_is_known_however_it_is_registered_and_whatever_its_secret_is_made_of(
    way: str, client: str, secret: str, metadata: bool
) -> None:
    there = server(way, client, secret, metadata=metadata)
    assert shown(connector(there)) == {APP, "ledger"}
    assert shown(connector(there, auth=way)) == {APP, "ledger"}


@pytest.mark.parametrize("strict", [False, True])
def test_ending_an_app_ends_what_renews_it_and_is_proved_only_once_neither_lives(strict: bool) -> None:
    there = server(strict=strict)
    ours = connector(there)
    (key,) = [e.key for page in ours.pages() for e in page.entries if e.party == APP]
    there.tokens["a-1"].revoked = True
    assert APP in shown(ours), "what renews it lives"
    there.tokens["a-1"].revoked = False
    there.kept = {"r-1"}
    assert "refresh token and its access token" in ours.end(key, APP, "1").said
    assert (there.tokens["r-1"].revoked, there.tokens["a-1"].revoked) == (False, True)
    assert [e.key for e in ours.look(APP).entries] == [key], "it can renew itself still"
    there.kept = set()
    ours.end(key, APP, "1")
    assert ours.look(APP).entries == ()
    assert ours.end(key, APP, "1").already
    assert shown(ours) == {"ledger"}


def test_a_token_is_found_whatever_is_thought_to_be_its_type() -> None:
    there = server(strict=True)
    watched = [{"token": "a-1", "hint": "refresh_token"}]
    ours = connector(there, tokens=watched)
    (entry,) = [e for page in ours.pages() for e in page.entries]
    ours.end(entry.key, APP, "1")
    assert there.tokens["a-1"].revoked
    assert ours.look(APP).entries == ()


def test_of_an_access_token_alone_it_is_said_that_it_may_be_renewed() -> None:
    there = server()
    ours = connector(there, tokens=[{"token": "a-1", "hint": "access_token"}])
    (entry,) = [e for page in ours.pages() for e in page.entries]
    assert "whether the app can get another one is not known here" in ours.end(entry.key, APP, "1").said


def test_credentials_that_are_refused_fail_and_those_without_rights_are_told_nothing() -> None:
    there = server()
    with pytest.raises(ProviderRefused, match="does not accept our credentials"):
        shown(connector(there, client_secret="wrong"))
    there.clients["open-latch"].sees = frozenset()
    assert shown(connector(there)) == set()
    assert connector(there).abilities().discreet, "so that none of it is believed to be gone"
    with pytest.raises(Invalid, match="private_key"):
        connector(there, auth="private_key_jwt", private_key={})


def test_a_connection_that_closes_after_the_revocation_is_tried_again_and_nothing_is_done_twice() -> None:
    there = server()
    between = Meddling(there.app(), [*[""] * 6, "closed"])
    ours = connector(there, between)
    (key,) = [e.key for e in ours.look(APP).entries]
    with pytest.raises(ProviderDown):
        ours.end(key, APP, "1")
    assert any(token.revoked for token in there.tokens.values()), "it has acted"
    assert connector(there).end(key, APP, "1").said
    assert connector(there).look(APP).entries == ()
