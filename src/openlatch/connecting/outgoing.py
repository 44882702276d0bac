"""Where the service may call: what a holder enters as an address must not reach what only the service can reach.

A name is looked up once, each address that it means is looked at, and the connection goes to one of those: no
answer of a name server given a moment later counts. Loopback, link-local, private and other addresses that are not on
the public internet are refused, unless whoever runs the service permits them (OPENLATCH_PERMITTED_NETWORKS). Whether
anything listens there is never tried, and so never told.
"""

from __future__ import annotations

import ipaddress
import socket
import ssl
import typing
from collections.abc import Callable, Iterable, Sequence
from contextlib import suppress
from typing import TYPE_CHECKING

from openlatch.deferred import deferred
from openlatch.errors import Misconfigured, ProviderDown, ProviderRefused

if TYPE_CHECKING:
    import httpcore
    import httpx
else:
    httpcore, httpx = deferred("httpcore"), deferred("httpx")

__all__ = ["Network", "Permitted", "addresses_of", "carriers", "connected", "is_beside", "networks", "permit"]

Address = ipaddress.IPv4Address | ipaddress.IPv6Address
Network = ipaddress.IPv4Network | ipaddress.IPv6Network
Resolver = Callable[[str, int], Sequence[str]]


def _resolved(host: str, port: int) -> Sequence[str]:
    found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    return list(dict.fromkeys(str(where[4][0]) for where in found))


class Permitted:
    """The networks beside the public internet that may be called, and what looks names up."""

    def __init__(self, beside: Iterable[Network] = (), resolver: Resolver = _resolved) -> None:
        self.beside, self.resolver = tuple(beside), resolver

    def beside_holds(self, address: Address) -> bool:
        """Return whether an address is in a network that whoever runs the service has permitted."""
        return any(address.version == network.version and address in network for network in self.beside)

    def holds(self, address: Address) -> bool:
        """Return whether an address may be called at all."""
        return self.beside_holds(address) or (address.is_global and not address.is_multicast)


_present = Permitted()


def permit(permitted: Permitted) -> Permitted:
    """Have these networks be called from now on in this process; returns those of before."""
    global _present
    former, _present = _present, permitted
    return former


def networks(written: Iterable[str]) -> tuple[Network, ...]:
    """Return the networks that a setting names, such as 10.0.0.0/8; raises Misconfigured for anything else."""
    try:
        return tuple(ipaddress.ip_network(text) for text in written)
    except ValueError as error:
        raise Misconfigured(
            f"OPENLATCH_PERMITTED_NETWORKS has something in it that is not a network: {error}.",
            next_step="Write networks with their length, separated by commas, such as 10.0.0.0/8,fd00::/8.",
        ) from error


def addresses_of(host: str, port: int, *, in_clear: bool = False) -> list[str]:
    """Return the addresses at which a host may be called, in turn; raises ProviderRefused where it may not.

    What goes `in_clear`, unencrypted, goes to permitted networks only: it would show a secret to whoever is between.
    """
    if not host or host[0] in "/@" or "," in host:
        raise ProviderRefused(
            f"“{host}” is not a host. Nothing was sent.", next_step="Give the name or the address of one server."
        )
    try:
        addresses = [_plain(ipaddress.ip_address(text.partition("%")[0])) for text in _present.resolver(host, port)]
    except (OSError, UnicodeError, ValueError) as error:
        raise ProviderDown(
            f"No address of {host} is found.", next_step="Check the name; it will be tried again automatically."
        ) from error
    # All of them: a name that means one of ours too is not what a holder has.
    if not addresses or not all(map(_present.holds, addresses)):
        raise ProviderRefused(
            f"{host} is in a network that this service does not call. Nothing was sent.",
            next_step="Give an address on the public internet, or have whoever runs the service permit that network: "
            "OPENLATCH_PERMITTED_NETWORKS.",
        )
    if in_clear and not all(map(_present.beside_holds, addresses)):
        raise ProviderRefused(
            f"{host} would be reached unencrypted, over the public internet. Nothing was sent.",
            next_step="Give its address with https, or choose encryption in its settings.",
        )
    return [str(address) for address in addresses]


def is_beside(address: str) -> bool:
    """Return whether an address is in a network that whoever runs the service has permitted."""
    return _present.beside_holds(ipaddress.ip_address(address))


def _plain(address: Address) -> Address:
    """An IPv4 address that is written as one of IPv6 is that IPv4 address."""
    within = getattr(address, "ipv4_mapped", None) or getattr(address, "sixtofour", None)
    if within is None and address.version == 6 and address in ipaddress.ip_network("64:ff9b::/96"):
        within = ipaddress.IPv4Address(int(address) & 0xFFFFFFFF)
    return within or address


def connected(host: str, port: int, timeout: float | None, *, in_clear: bool = False) -> socket.socket:
    """Return a socket that is connected to a host, if it may be called."""
    *former, last = addresses_of(host, port, in_clear=in_clear)
    for address in former:
        with suppress(OSError):
            return socket.create_connection((address, port), timeout)
    return socket.create_connection((last, port), timeout)


def carriers(verify: ssl.SSLContext) -> dict[str, httpx.BaseTransport]:
    """Return what carries requests of httpx, by scheme, to where the service may call and nowhere else."""
    made: dict[str, httpx.BaseTransport] = {}
    for scheme in ("https", "http"):
        transport = httpx.HTTPTransport(verify=verify, trust_env=False)
        transport._pool._network_backend = _backend(in_clear=scheme == "http")
        made[f"{scheme}://"] = transport
    return made


def _backend(*, in_clear: bool) -> httpcore.NetworkBackend:
    plain = httpcore.SyncBackend()

    class Guarded(httpcore.NetworkBackend):
        """Looks at where each connection goes; what is encrypted is so for the name, not for the address."""

        def connect_tcp(
            self,
            host: str,
            port: int,
            timeout: float | None = None,
            local_address: str | None = None,
            socket_options: typing.Any = None,
        ) -> httpcore.NetworkStream:
            *former, last = addresses_of(host, port, in_clear=in_clear)
            for address in former:
                with suppress(httpcore.ConnectError, httpcore.ConnectTimeout):
                    return plain.connect_tcp(address, port, timeout, local_address, socket_options)
            return plain.connect_tcp(last, port, timeout, local_address, socket_options)

        def connect_unix_socket(
            self, path: str, timeout: float | None = None, socket_options: typing.Any = None
        ) -> httpcore.NetworkStream:
            raise httpcore.ConnectError("this machine has no socket called")

    return Guarded()
