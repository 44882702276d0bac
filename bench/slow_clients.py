"""What slow clients do to everybody else: half-sent requests in their hundreds, and how fast `/readyz` answers then."""

from __future__ import annotations

import json
import os
import socket
import statistics
import tempfile
import time
from pathlib import Path

import httpx

from openlatch.local.stack import Stack

__all__ = ["slow_clients"]

SLOW = int(os.environ.get("SLOW", "500"))
ASKED = 40
LIMIT = 0.5
"""Seconds: no answer of `/readyz` takes longer meanwhile."""
HEAD = "POST /api/v1/session HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\n"


def slow_clients() -> str:
    """Half of them sent half of their headers, the others half of a body; each sends another byte now and then."""
    with tempfile.TemporaryDirectory(prefix="openlatch-bench-") as folder:
        Path(folder).chmod(0o711)
        with Stack(Path(folder) / "stack", fast=True, seeded=False) as stack:
            quiet = _seconds(stack.url)
            held = [_slow(stack.port, number) for number in range(SLOW)]
            busy = _seconds(stack.url, meanwhile=lambda: _drip(held))
            standing = sum(connection is not None for connection in held)
            for connection in held:
                if connection is not None:
                    connection.close()
    line = {
        "id": "slow",
        "what": f"/readyz beside {SLOW} connections that send a byte now and then, against nobody beside it",
        "ratio": round(statistics.median(busy) / statistics.median(quiet), 2),
        "seconds": round(statistics.median(busy), 4),
        "floor_seconds": round(statistics.median(quiet), 4),
        "longest_seconds": round(max(busy), 3),
        "connected": standing,
        "holds": max(busy) < LIMIT,
    }
    return json.dumps(line)


def _slow(port: int, number: int) -> socket.socket | None:
    try:
        connection = socket.create_connection(("127.0.0.1", port), timeout=2)
        rest = "" if number % 2 else 'Content-Length: 100000\r\n\r\n{"workspace": "'
        connection.sendall((HEAD + rest).encode())
    except OSError:
        return None
    return connection


def _drip(held: list[socket.socket | None]) -> None:
    for connection in held:
        if connection is not None:
            try:
                connection.sendall(b"x")
            except OSError:
                continue


def _seconds(url: str, meanwhile: object = None) -> list[float]:
    """How long each of some answers took; one that does not come in 10 seconds took so long."""
    took = []
    for _ in range(ASKED):
        start = time.perf_counter()
        try:
            httpx.get(f"{url}/readyz", timeout=10).raise_for_status()
        except httpx.HTTPError:
            took.append(10.0)
            break
        took.append(time.perf_counter() - start)
        if callable(meanwhile):
            meanwhile()
    return took
