"""Getting through: a provider that refuses now and then is read to its end, and never asked before it wants to be."""

from __future__ import annotations

import json
import ssl
from collections.abc import Callable, Iterator
from contextlib import suppress
from datetime import UTC, datetime
from email.utils import format_datetime
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from threading import Thread

import httpx
import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from openlatch.connecting.http import Caller
from openlatch.connectors.scim import ScimConnector
from openlatch.core.providers.ports import Page
from openlatch.errors import ProviderDown, ProviderRefused, ProviderUnreadable
from tests.factories import NOW, ago

URL = "https://roll.example/scim"
SECRET = "a-token-that-nobody-may-see"


class Clock:
    """Seconds that pass only while someone waits."""

    def __init__(self) -> None:
        self.now = 0.0

    def wait(self, seconds: float) -> None:
        self.now += seconds


def connector(answer: Callable[[httpx.Request], httpx.Response], clock: Clock) -> ScimConnector:
    made = ScimConnector({"url": URL}, SECRET, httpx.MockTransport(answer))
    made._caller.pause = clock.wait
    return made


def caller(answer: Callable[[httpx.Request], httpx.Response]) -> Caller:
    made = Caller("SCIM", {"Authorization": f"Bearer {SECRET}"}, httpx.MockTransport(answer))
    made.pause = Clock().wait
    return made


def test_a_directory_of_twenty_thousand_that_refuses_every_ninth_call_is_read_to_its_end() -> None:
    clock, calls, open_at = Clock(), 0, 0.0

    def answer(request: httpx.Request) -> httpx.Response:
        nonlocal calls, open_at
        calls += 1
        assert clock.now >= open_at, "asked before it wanted to be"
        if calls % 9 == 0:
            open_at = clock.now + 1
            return httpx.Response(429, headers={"Retry-After": "1"})
        query = request.url.params
        first, count = int(query.get("startIndex", 1)), int(query.get("count", 100))
        there = 20_000 if request.url.path.endswith("/Users") else 0
        users = [
            {"id": f"{n}", "userName": f"user{n}@roll.example", "active": True}
            for n in range(first, min(first + count, there + 1))
        ]
        body = {"totalResults": there, "startIndex": first, "itemsPerPage": len(users), "Resources": users}
        return httpx.Response(200, content=json.dumps(body))

    seen: list[Page] = list(connector(answer, clock).pages())
    assert len({party.key for page in seen for party in page.parties}) == 20_000
    assert calls >= 225, "every page but the refused ones was asked for once"
    assert calls <= 201 + 201 // 8 + 2


@pytest.mark.parametrize("after", ["2", format_datetime(ago(-2 / 86400), usegmt=True)])
def test_seconds_and_dates_are_waited_for_by_the_providers_own_clock(after: str) -> None:
    clock, asked = Clock(), list[float]()

    def answer(_: httpx.Request) -> httpx.Response:
        asked.append(clock.now)
        if len(asked) == 1:
            return httpx.Response(503, headers={"Retry-After": after, "Date": format_datetime(NOW, usegmt=True)})
        return httpx.Response(200, content=b"{}")

    made = caller(answer)
    made.pause = clock.wait
    assert made.send("GET", URL).status_code == 200
    assert 2 <= asked[1] - asked[0] < 3


def test_who_wants_to_be_left_in_peace_for_long_is_and_what_changes_something_is_sent_once() -> None:
    calls = list[str]()

    def answer(request: httpx.Request) -> httpx.Response:
        calls.append(request.method)
        return httpx.Response(429, headers={"Retry-After": "1800"} if request.method == "GET" else {})

    with pytest.raises(ProviderDown) as down:
        caller(answer).send("GET", URL)
    assert down.value.fields["retry_after"] == 1800
    with pytest.raises(ProviderDown):
        caller(answer).send("PATCH", URL)
    assert calls == ["GET", "PATCH"]


def test_one_that_never_gets_better_is_given_up_after_a_while() -> None:
    calls = 0

    def answer(_: httpx.Request) -> httpx.Response:
        nonlocal calls
        calls += 1
        raise httpx.ReadError("closed")

    made, clock = caller(answer), Clock()
    made.pause = clock.wait
    for _ in range(40):
        with pytest.raises(ProviderDown):
            made.send("GET", URL)
    assert clock.now <= 60, "no reading waits for longer in all"
    assert 40 < calls < 160


@pytest.mark.parametrize(
    ("status", "body", "error", "words"),
    [
        (401, {"detail": "The token has expired."}, ProviderRefused, "401: “The token has expired”"),
        (400, {"error": "invalid", "error_description": "Unknown client"}, ProviderUnreadable, "“Unknown client”"),
        (500, {"detail": ["no", "text"], "error": "out of order"}, ProviderDown, "500: “out of order”"),
        (403, {"detail": f"{SECRET} may not do that"}, ProviderRefused, "credentials (403)"),
        (403, ["a list"], ProviderRefused, "credentials (403)"),
        (502, "<html>", ProviderDown, "answered 502."),
    ],
)
def test_the_providers_own_words_are_told_but_for_our_secret(
    status: int, body: object, error: type[Exception], words: str
) -> None:
    content = body if isinstance(body, str) else json.dumps(body)
    with pytest.raises(error, match=r"answered|credentials") as told:
        caller(lambda _: httpx.Response(status, content=content)).send("GET", URL)
    assert words in str(told.value)
    assert SECRET not in str(told.value)


@pytest.mark.parametrize("repeated", ["a-secret-of-a-client", "a-token-that-is-asked-about"])
def test_a_provider_that_repeats_a_clients_secret_or_a_token_is_not_quoted(repeated: str) -> None:
    def answer(_: httpx.Request) -> httpx.Response:
        return httpx.Response(400, json={"error_description": f"cannot do with {repeated}"})

    made = Caller("OAuth", {}, httpx.MockTransport(answer), auth=httpx.BasicAuth("us", "a-secret-of-a-client"))
    with pytest.raises(ProviderUnreadable) as told:
        made.send("POST", URL, data={"token": "a-token-that-is-asked-about"})
    assert repeated not in str(told.value)


@pytest.fixture
def impostor(tmp_path: Path) -> Iterator[tuple[str, list[str]]]:
    """A server with a certificate that nobody vouches for: its address, and what it was asked."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(datetime(2000, 1, 1, tzinfo=UTC))
        .not_valid_after(datetime(2100, 1, 1, tzinfo=UTC))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName("localhost")]), critical=False)
        .sign(key, hashes.SHA256())
    )
    plain = serialization.NoEncryption()
    form = serialization.PrivateFormat.PKCS8
    file = tmp_path / "server.pem"
    file.write_bytes(
        made.public_bytes(serialization.Encoding.PEM) + key.private_bytes(serialization.Encoding.PEM, form, plain)
    )
    asked: list[str] = []

    class Asked(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            asked.append(self.path)

    server = HTTPServer(("127.0.0.1", 0), Asked)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(file)
    server.socket = context.wrap_socket(server.socket, server_side=True)
    with suppress(OSError):
        Thread(target=server.serve_forever, daemon=True).start()
    yield f"https://localhost:{server.server_port}/scim", asked
    server.shutdown()
    server.server_close()


def test_whoever_shows_a_certificate_that_is_not_valid_is_told_nothing(impostor: tuple[str, list[str]]) -> None:
    url, asked = impostor
    with pytest.raises(ProviderUnreadable, match="certificate that is not valid") as caught:
        list(ScimConnector({"url": url}, SECRET).pages())
    assert SECRET not in caught.value.message
    assert "self-signed" in caught.value.message.replace("self signed", "self-signed")
    assert asked == [], "nothing was sent, least of all the token"
