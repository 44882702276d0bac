"""A secret goes where it was said to go: whoever changes an address without knowing it gets nothing."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any
from uuid import uuid4

import pytest

from openlatch.client import Client
from openlatch.connectors.feed import FeedConnector
from openlatch.connectors.imap import ImapConnector
from openlatch.connectors.oauth import OAuthConnector
from openlatch.connectors.postgres import PostgresConnector
from openlatch.connectors.scim import ScimConnector
from openlatch.connectors.ssh import SshConnector
from openlatch.errors import Invalid
from tests.harness.ridge import Ridge
from tests.harness.transmitter import Transmitter

CONNECTORS = (FeedConnector, ImapConnector, OAuthConnector, PostgresConnector, ScimConnector, SshConnector)
WHERE = {"url", "host", "port", "issuer", "tls", "host_key"}


class Listener:
    """Someone who would like to be told secrets."""

    def __init__(self, ridge: Ridge) -> None:
        self.url = f"https://listener-{uuid4().hex[:8]}.example"
        self.told: list[str] = []
        ridge.transport.serve(self.url, self._answer)

    def _answer(self, environ: dict[str, Any], start: Any) -> Iterable[bytes]:
        size = int(environ.get("CONTENT_LENGTH") or 0)
        self.told.append(f"{environ.get('HTTP_AUTHORIZATION', '')} {environ['wsgi.input'].read(size).decode()}")
        start("200 OK", [("Content-Type", "application/json")])
        return [b'{"sets": {}, "keys": []}']


@pytest.mark.parametrize("connector", CONNECTORS)
def test_every_setting_that_says_where_needs_the_secret_again(connector: Any) -> None:
    leading = {setting.name for setting in connector.about.settings if setting.leads}
    assert leading == WHERE & {setting.name for setting in connector.about.settings}


def test_a_provider_cannot_be_led_elsewhere_by_whoever_does_not_know_its_secret(ridge: Ridge, client: Client) -> None:
    listener = Listener(ridge)
    with ridge.call() as call:
        secret = call.open(call.tx.providers.secret(call.tx.providers.find("Ticket Desk").id))
    before = client.provider("Ticket Desk").settings
    with pytest.raises(Invalid, match="With another url, the secret of Ticket Desk could be sent somewhere else"):
        client.change_provider("Ticket Desk", settings={**before, "url": listener.url})
    assert listener.told == []
    with pytest.raises(Invalid, match="cannot be read with that"):
        client.change_provider("Ticket Desk", settings={**before, "url": listener.url}, secret="one of their own")
    assert listener.told
    assert secret not in str(listener.told)
    assert client.provider("Ticket Desk").settings == before
    settings = {**client.provider("Volunteer Roll").settings, "account": "The Roll"}
    assert client.change_provider("Volunteer Roll", settings=settings).settings == settings, "that leads nowhere else"


def test_a_stream_cannot_be_led_elsewhere_either(ridge: Ridge, client: Client) -> None:
    sender, listener = Transmitter(ridge, "https://box.kestrelridge.example"), Listener(ridge)
    keys = f"{sender.issuer}/keys"
    client.listen("Dome Control", sender.issuer, keys, poll=f"{sender.issuer}/poll", secret=sender.secret)
    client.listen("Dome Control", sender.issuer, keys, poll=f"{listener.url}/poll")
    ridge.clock.go_on(minutes=1)
    ridge.drain()
    assert listener.told
    assert sender.secret not in str(listener.told)
