"""Where the service may call: never where only it can reach, whatever a name says, now or a moment later."""

from __future__ import annotations

import gc
import ipaddress
import socket
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.connecting import outgoing
from openlatch.connecting.http import Caller
from openlatch.connecting.outgoing import Permitted, addresses_of, networks
from openlatch.connectors.postgres import PostgresConnector
from openlatch.connectors.webhook import HttpHerald
from openlatch.errors import Misconfigured, ProviderDown, ProviderRefused

OUTSIDE = "93.184.216.34"
LOOPBACK = networks(["127.0.0.0/8"])
WITHIN = [
    "127.0.0.1",
    "10.1.2.3",
    "172.16.9.9",
    "192.168.1.1",
    "169.254.169.254",
    "100.64.0.1",
    "0.0.0.0",
    "224.0.0.1",
    "::1",
    "::ffff:127.0.0.1",
    "::ffff:10.0.0.1",
    "64:ff9b::7f00:1",
    "2002:7f00:1::",
    "fd00::1",
    "fe80::1%eth0",
]


@contextmanager
def permitted(*addresses: str, beside: Any = ()) -> Iterator[list[str]]:
    """Names mean these addresses, the last one for good; yields the names that were looked up."""
    asked: list[str] = []

    def resolver(host: str, _port: int) -> list[str]:
        asked.append(host)
        return [addresses[min(len(asked), len(addresses)) - 1]]

    former = outgoing.permit(Permitted(beside, resolver))
    try:
        yield asked
    finally:
        outgoing.permit(former)


@contextmanager
def listening() -> Iterator[tuple[int, list[bytes]]]:
    """A server on this machine that writes down what it is sent."""
    heard: list[bytes] = []
    with socket.create_server(("127.0.0.1", 0)) as server:
        server.settimeout(30)

        def hear() -> None:
            try:
                while True:
                    connection, _ = server.accept()
                    with connection:
                        heard.append(connection.recv(4096))
                        connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\n{}")
            except OSError:
                return

        thread = threading.Thread(target=hear, daemon=True)
        thread.start()
        yield server.getsockname()[1], heard
        server.shutdown(socket.SHUT_RDWR)
        thread.join()


@pytest.mark.parametrize("address", WITHIN)
def test_what_only_the_service_can_reach_is_refused_however_it_is_written(address: str) -> None:
    with permitted(address), pytest.raises(ProviderRefused, match="in a network that this service does not call"):
        addresses_of("desk.example", 443)


@given(st.ip_addresses())
def test_an_address_is_called_if_it_is_public_or_permitted(address: ipaddress.IPv4Address) -> None:
    network = ipaddress.ip_network(address)
    for beside, may in (((), address.is_global and not address.is_multicast), ([network], True)):
        with permitted(str(address), beside=beside):
            try:
                called = [*map(ipaddress.ip_address, addresses_of("desk.example", 443))] == [address]
            except ProviderRefused:
                called = False
        assert called == may or within(address), address


def within(address: ipaddress.IPv4Address | ipaddress.IPv6Address) -> bool:
    """Whether an address of IPv6 has one of IPv4 in it, which counts then."""
    if isinstance(address, ipaddress.IPv4Address):
        return False
    return bool(address.ipv4_mapped or address.sixtofour) or address in ipaddress.ip_network("64:ff9b::/96")


def test_a_name_that_means_one_of_ours_too_is_refused() -> None:
    former = outgoing.permit(Permitted((), lambda _host, _port: [OUTSIDE, "10.0.0.5"]))
    try:
        with pytest.raises(ProviderRefused):
            addresses_of("desk.example", 443)
    finally:
        outgoing.permit(former)


@pytest.mark.parametrize("host", ["/var/run/postgresql", "@abstract", "desk.example,127.0.0.1", ""])
def test_what_is_no_host_is_refused(host: str) -> None:
    with permitted(OUTSIDE) as asked, pytest.raises(ProviderRefused, match="not a host"):
        addresses_of(host, 5432)
    assert asked == []


def test_nothing_goes_unencrypted_over_the_public_internet() -> None:
    with permitted(OUTSIDE), pytest.raises(ProviderRefused, match="unencrypted"):
        Caller("desk", {"Authorization": "Bearer x"}).send("GET", "http://desk.example/entries")


def test_whether_a_port_is_open_is_not_told() -> None:
    with listening() as (open_port, heard), permitted("127.0.0.1"):
        said = set()
        for port in (open_port, 1):
            for call in (
                lambda port=port: Caller("desk", {}).send("GET", f"http://desk.example:{port}/"),
                lambda port=port: HttpHerald().post(f"https://desk.example:{port}/hook", b"{}", {}),
                lambda port=port: list(
                    PostgresConnector(
                        {"host": "desk.example", "port": str(port), "database": "d", "user": "u"}, "x"
                    ).pages()
                ),
            ):
                with pytest.raises(ProviderRefused) as refused:
                    call()
                said.add(str(refused.value).replace(str(port), "PORT"))
        assert len(said) == 1
    assert heard == []


def test_a_name_that_means_something_else_a_moment_later_is_not_followed() -> None:
    """The connection goes to the address that was looked at: a second look-up never happens for it."""
    with listening() as (port, heard), permitted("127.0.0.1", "10.0.0.5", beside=LOOPBACK) as asked:
        answer = Caller("desk", {}).send("GET", f"http://desk.example:{port}/")
        assert answer.json() == {}
        assert asked == ["desk.example"]
        assert b"Host: desk.example" in heard[0]
        with pytest.raises(ProviderRefused):
            Caller("desk", {}).send("GET", f"http://desk.example:{port}/")
    assert len(heard) == 1


def test_each_address_of_a_name_is_tried_in_turn() -> None:
    with listening() as (port, heard):
        former = outgoing.permit(Permitted(networks(["127.0.0.0/8", "::1/128"]), lambda *_: ["::1", "127.0.0.1"]))
        try:
            assert Caller("desk", {}).send("GET", f"http://desk.example:{port}/").json() == {}
            with outgoing.connected("desk.example", port, 5) as connection:
                connection.sendall(b"directly")
                assert connection.recv(12) == b"HTTP/1.1 200"
        finally:
            outgoing.permit(former)
    assert len(heard) == 2


@pytest.mark.parametrize(
    "call",
    [
        lambda url: Caller("desk", {}).send("GET", url),
        lambda url: HttpHerald().post(url, b"{}", {}),
    ],
)
def test_whoever_calls_no_more_keeps_no_connection(call: Callable[[str], object]) -> None:
    """Else a worker that reads many providers holds their connections until memory is cleared."""
    with socket.create_server(("127.0.0.1", 0)) as server, permitted("127.0.0.1", beside=LOOPBACK):
        server.settimeout(30)
        after: list[bytes] = []

        def hear() -> None:
            connection, _ = server.accept()
            with connection:
                connection.settimeout(30)
                connection.recv(4096)
                connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\n{}")
                while (more := connection.recv(4096)) == b"{}":
                    pass
                after.append(more)

        thread = threading.Thread(target=hear, daemon=True)
        thread.start()
        gc.disable()
        try:
            call(f"http://desk.example:{server.getsockname()[1]}/")
            thread.join()
        finally:
            gc.enable()
    assert after == [b""]


def test_what_is_encrypted_is_so_for_the_name() -> None:
    with listening() as (port, heard), permitted("127.0.0.1", beside=LOOPBACK), pytest.raises(ProviderDown):
        Caller("desk", {}).send("GET", f"https://desk.example:{port}/")
    assert b"desk.example" in heard[0], "the name is in the greeting (SNI), though the address was called"


def test_proxies_of_the_environment_are_passed_by(monkeypatch: pytest.MonkeyPatch) -> None:
    with listening() as (port, heard), permitted("127.0.0.1", beside=LOOPBACK):
        monkeypatch.setenv("HTTP_PROXY", "http://127.0.0.1:1")
        assert Caller("desk", {}).send("GET", f"http://desk.example:{port}/").status_code == 200
    assert len(heard) == 1


def test_networks_are_written_with_their_length() -> None:
    assert networks(["10.0.0.0/8", "fd00::/8"])[1].version == 6
    with pytest.raises(Misconfigured, match="not a network"):
        networks(["10.0.0.1/8"])
    assert httpx.HTTPTransport()._pool._network_backend is not None, "what is put in place of it is there"
