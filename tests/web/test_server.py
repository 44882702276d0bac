"""Requests that never come to their end hold nobody up, and are closed; what was begun is answered when it stops."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import textwrap
from collections.abc import Iterator
from pathlib import Path

import pytest

APP = """
    import os
    import sys
    from openlatch.web import server
    from openlatch.web.server import serve

    server.REQUEST_WITHIN = server.LOOKED_AFTER = 1

    def app(environ, start_response):
        body = environ["wsgi.input"].read()
        if environ["PATH_INFO"] == "/slow":
            os.write(1, b"begun\\n")
            sys.stdin.readline()
        start_response("200 OK", [("Content-Type", "text/plain")])
        return [f"{{len(body)}} {{environ.get('HTTP_X_FORWARDED_FOR')}}".encode()]

    def load():
        os.write(1, b"up\\n")
        return app

    serve(load, ("127.0.0.1", {port}), processes={processes}, threads=2, most=100_000)
"""


def free_port() -> int:
    with socket.create_server(("127.0.0.1", 0)) as probe:
        return int(probe.getsockname()[1])


class Running:
    """A server in a process of its own."""

    def __init__(self, processes: int) -> None:
        self.port, self.processes = free_port(), processes
        program = textwrap.dedent(APP).format(port=self.port, processes=processes)
        self.process = subprocess.Popen(
            [sys.executable, "-c", program], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )

    def up(self) -> None:
        """Wait until each process says that it has the app."""
        for _ in range(self.processes):
            assert self.says() == "up"

    def stop(self) -> int:
        with self.process:
            self.process.terminate()
            return self.process.wait(60)

    def says(self) -> str:
        assert self.process.stdout is not None
        return self.process.stdout.readline().strip()

    def connect(self) -> socket.socket:
        return socket.create_connection(("127.0.0.1", self.port), timeout=30)

    def ask(self, head: str, body: bytes = b"") -> bytes:
        with self.connect() as connection:
            connection.sendall(head.replace("\n", "\r\n").encode() + b"Connection: close\r\n\r\n" + body)
            return b"".join(iter(lambda: connection.recv(65536), b""))

    def children(self) -> list[int]:
        text = Path(f"/proc/{self.process.pid}/task/{self.process.pid}/children").read_text()
        return [int(part) for part in text.split()]


@pytest.fixture(params=[1, 2])
def running(request: pytest.FixtureRequest) -> Iterator[Running]:
    made = Running(request.param)
    try:
        made.up()
        yield made
    finally:
        made.stop()


def test_half_sent_requests_hold_nobody_up_and_are_closed(running: Running) -> None:
    half = [running.connect() for _ in range(40)]
    for number, connection in enumerate(half):
        rest = b"" if number % 2 else b"Content-Length: 100\r\n\r\nhalf"
        connection.sendall(b"POST / HTTP/1.1\r\nHost: a\r\n" + rest)
    answer = running.ask("POST / HTTP/1.1\nHost: a\nX-Forwarded-For: 10.1.1.1\nContent-Length: 5\n", b"12345")
    assert answer.startswith(b"HTTP/1.1 200")
    assert b"5 10.1.1.1" in answer, "whose word is believed is decided by the app"
    assert b"Server:" not in answer
    for connection in half:
        assert connection.recv(1) == b"", "each is closed after its time"
        connection.close()


def test_a_body_that_is_too_large_is_refused_before_it_is_read(running: Running) -> None:
    assert b"413" in running.ask("POST / HTTP/1.1\nHost: a\nContent-Length: 100001\n").partition(b"\r\n")[0]


def test_what_was_begun_is_answered_when_it_is_told_to_stop(running: Running) -> None:
    with running.connect() as connection:
        connection.sendall(b"GET /slow HTTP/1.1\r\nHost: a\r\n\r\n")
        assert running.says() == "begun"
        running.process.send_signal(signal.SIGTERM)
        assert running.process.stdin is not None
        print(file=running.process.stdin, flush=True)
        assert connection.recv(65536).startswith(b"HTTP/1.1 200")
    assert running.process.wait(60) == 0


def test_once_told_to_stop_it_refuses_whoever_comes_and_answers_whoever_was_there(running: Running) -> None:
    """A proxy that is refused asks another server; one whose connection is taken and then broken cannot know."""
    with running.connect() as slow, running.connect() as there:
        slow.sendall(b"GET /slow HTTP/1.1\r\nHost: a\r\n\r\n")
        assert running.says() == "begun"
        running.process.send_signal(signal.SIGTERM)
        refused = False
        while not refused:
            try:
                running.connect().close()
            except (ConnectionRefusedError, ConnectionResetError):
                refused = True
        there.sendall(b"GET / HTTP/1.1\r\nHost: a\r\nConnection: close\r\n\r\n")
        assert there.recv(65536).startswith(b"HTTP/1.1 200")
        assert running.process.stdin is not None
        print(file=running.process.stdin, flush=True)
        assert slow.recv(65536).startswith(b"HTTP/1.1 200")
    assert running.process.wait(60) == 0


def test_a_process_that_dies_is_started_again() -> None:
    made = Running(2)
    try:
        made.up()
        first = made.children()
        assert len(first) == 2
        for number in first:
            os.kill(number, signal.SIGKILL)
        answer = made.ask("GET / HTTP/1.1\nHost: a\n")
        assert answer.startswith(b"HTTP/1.1 200")
        assert not set(made.children()) & set(first)
    finally:
        assert made.stop() == 0
