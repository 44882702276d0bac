"""Serving the app: requests are read whole before a thread is taken for them, and for each there is only so much time.

Whoever sends a byte now and then keeps a connection, and nothing else: threads answer requests that are there. Several
processes share one socket; one that dies is started again.
"""

from __future__ import annotations

import logging
import os
import select
import signal
import socket
import time
from collections.abc import Callable
from types import FrameType
from typing import TYPE_CHECKING, Any

from waitress import wasyncore
from waitress.adjustments import Adjustments
from waitress.channel import HTTPChannel
from waitress.server import TcpWSGIServer
from waitress.task import ThreadedTaskDispatcher

if TYPE_CHECKING:
    from _typeshed.wsgi import WSGIApplication

__all__ = ["serve"]

CONNECTIONS = 900
"""so many are kept at a time; a process has some thousand files"""
REQUEST_WITHIN = 120.0
"""seconds in which a request has to be there, as a whole"""
WHEN_CROWDED = 5.0
"""the same, once more than half of all connections are taken"""
UNUSED = 60
"""seconds after which a connection is closed over which nothing comes"""
LOOKED_AFTER = 2
"""seconds between two looks at how long connections have been sending"""
SIGNALS = (signal.SIGTERM, signal.SIGINT)
"""what tells it to stop"""
TO_ASK = 0.5
"""seconds that whoever has just connected has to ask, once the service is told to stop"""
TO_FINISH = 30.0
"""seconds that requests have to be answered, once the service is told to stop"""


class _Connection(HTTPChannel):  # type: ignore[misc] # the server is not typed
    """One connection; it knows since when its present request has been coming in."""

    since: float | None = None

    def received(self, data: bytes) -> bool:
        taken: bool = super().received(data)
        self.since = (self.since or time.monotonic()) if self.request is not None else None
        return taken


class _Server(TcpWSGIServer):  # type: ignore[misc] # the server is not typed
    """The server of one process."""

    channel_class = _Connection

    def maintenance(self, now: float) -> None:
        super().maintenance(now)
        within = WHEN_CROWDED if len(self.active_channels) > CONNECTIONS / 2 else REQUEST_WITHIN
        for connection in self.active_channels.values():
            if connection.since is not None and time.monotonic() - connection.since > within:
                connection.will_close = True

    def leave(self) -> None:
        """Take whoever has connected, and nobody else: from then on a proxy is refused at once, and asks elsewhere."""
        while select.select([self.socket], [], [], 0)[0]:
            self.handle_accept()
        self.del_channel()
        self.socket.close()

    def busy(self) -> bool:
        """Whether any answer is on its way."""
        return any(
            active_channel.requests or active_channel.total_outbufs_len
            for active_channel in self.active_channels.values()
        )


def serve(
    load: Callable[[], WSGIApplication], where: tuple[str, int], *, processes: int, threads: int, most: int
) -> None:
    """Answer requests at a host and port until told to stop; no body is larger than `most` bytes.

    `load` returns the app, and is called in each process, so that none shares a connection with another.
    """
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    family = socket.AF_INET6 if ":" in where[0] else socket.AF_INET
    with socket.create_server(where, family=family, backlog=1024) as listening:
        listening.settimeout(0)
        if processes == 1:
            _answer(load(), listening, threads, most)
        else:
            _look_after(lambda: _answer(load(), listening, threads, most), processes, listening.close)


def _answer(app: WSGIApplication, listening: socket.socket, threads: int, most: int) -> None:
    given = Adjustments(
        sockets=[listening],
        threads=threads,
        connection_limit=CONNECTIONS,
        channel_timeout=UNUSED,
        cleanup_interval=LOOKED_AFTER,
        max_request_body_size=most,
        asyncore_use_poll=True,
        # Whose word on where a request comes from is believed is decided by the app.
        clear_untrusted_proxy_headers=False,
        ident=None,
    )
    dispatcher = ThreadedTaskDispatcher()
    dispatcher.set_thread_count(threads)
    connections: dict[int, Any] = {}
    info = (listening.family, listening.type, listening.proto, listening.getsockname())
    server = _Server(
        app, connections, _sock=listening, dispatcher=dispatcher, adj=given, bind_socket=False, sockinfo=info
    )
    stop: list[float] = []

    def told(_signal: int, _frame: FrameType | None) -> None:
        stop.append(time.monotonic())

    for number in SIGNALS:
        signal.signal(number, told)
    while not stop:
        wasyncore.loop(timeout=1, use_poll=True, map=connections, count=1)
    server.leave()
    while (server.busy() and time.monotonic() - stop[0] < TO_FINISH) or time.monotonic() - stop[0] < TO_ASK:
        wasyncore.loop(timeout=0.1, use_poll=True, map=connections, count=1)
    dispatcher.shutdown(timeout=1)


def _look_after(work: Callable[[], None], count: int, leave: Callable[[], None]) -> None:
    """Keep so many processes running until told to stop; `leave` lets go of the socket that they share."""
    running: set[int] = set()
    stopping: list[int] = []

    def told(number: int, _frame: FrameType | None) -> None:
        stopping.append(number)
        leave()
        for each_number in running:
            os.kill(each_number, signal.SIGTERM)

    def start() -> None:
        child = os.fork()
        if child == 0:
            for number in SIGNALS:
                signal.signal(number, signal.SIG_DFL)
            work()
            os._exit(0)
        running.add(child)
        if stopping:  # it was told to stop while this one was begun
            os.kill(child, signal.SIGTERM)

    for number in SIGNALS:
        signal.signal(number, told)
    for _ in range(count):
        start()
    while running:
        child, _ = os.wait()
        running.discard(child)
        if not stopping:
            time.sleep(1)
        if not stopping:
            start()
