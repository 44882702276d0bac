"""Free ports on loopback, the same ones at the next start where nobody took them."""

from __future__ import annotations

import contextlib
import random
import socket
from pathlib import Path

from openlatch.errors import Misconfigured

__all__ = ["greets", "kept_port"]


def greets(port: int, greeting: bytes) -> bool:
    """Return whether a server on this machine greets whoever connects with these words."""
    with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), timeout=5) as connection:
        return connection.recv(len(greeting), socket.MSG_WAITALL) == greeting
    return False


_OURS = range(20_000, 32_000)
"""Below the ports that systems give to connections going out: one of those may be taken between two of our lines."""
_given: set[int] = set()
"""Ports given out by this process: whoever asked for one may not have taken it yet."""


def kept_port(file: Path, wanted: int = 0) -> int:
    """Return the wanted port, or the one that the file keeps from last time, or any free one; keeps it in the file."""
    former = int(file.read_text() or 0) if file.exists() else 0
    some = random.sample(_OURS, 50)  # no secret: any port will do
    for port in (wanted, former, *some):
        if not port:
            continue
        with socket.socket() as probe, contextlib.suppress(OSError):
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            probe.bind(("127.0.0.1", port))
            number = int(probe.getsockname()[1])
            if number in _given and number not in (wanted, former):
                continue
            _given.add(number)
            file.write_text(str(number))
            return number
    raise Misconfigured("There is no free port on this machine.", next_step="End what uses them.")
