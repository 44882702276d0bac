"""How many requests are answered at a time: nobody takes all threads, and one is left for those that ask for health."""

from __future__ import annotations

import hashlib
import threading
from collections import Counter
from collections.abc import Collection, Iterable
from typing import TYPE_CHECKING

from werkzeug.wrappers import Response
from werkzeug.wsgi import ClosingIterator

from openlatch.wire import messages as wire

if TYPE_CHECKING:
    from _typeshed.wsgi import StartResponse, WSGIApplication, WSGIEnvironment

__all__ = ["Doors"]


class Doors:
    """Lets at most all but one of `threads` through at a time, and one fewer for any one caller.

    Of what takes long (`long`: the last parts of its paths) nobody has more than a quarter of them at a time, and all
    together half. A caller is a token, a session, or where there is neither, an address. Whoever finds no place is told
    to come again in a second, and nothing was done. With fewer than three threads everybody waits for the one before.
    """

    def __init__(self, app: WSGIApplication, threads: int, prefix: str, long: Collection[str] = ()) -> None:
        self._app = app
        self._prefix = prefix
        self._long = frozenset(long)
        self._most = threads - 1 if threads > 2 else 0
        self._each = max(threads - 2, 1)
        self._long_each, self._long_most = max(threads // 4, 1), max(threads // 2, 1)
        self._lock = threading.Lock()
        self._inside: Counter[bytes] = Counter()
        self._long_inside: Counter[bytes] = Counter()

    def __call__(self, environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        if not self._most or not str(environ.get("PATH_INFO", "")).startswith(self._prefix):
            return self._app(environ, start_response)
        who = _caller(environ)
        long = str(environ.get("PATH_INFO", "")).rpartition("/")[2] in self._long
        if not self._enters(who, long=long):
            return _busy()(environ, start_response)
        try:
            answer = self._app(environ, start_response)
        except BaseException:
            self._leaves(who, long=long)
            raise
        return ClosingIterator(answer, [lambda: self._leaves(who, long=long)])

    def others(self) -> bool:
        """Whether anyone else is being answered at this moment."""
        with self._lock:
            return self._inside.total() > 1

    def _enters(self, who: bytes, *, long: bool) -> bool:
        with self._lock:
            inside, at_long = self._inside, self._long_inside
            if inside.total() >= self._most or inside[who] >= self._each:
                return False
            if long and (at_long.total() >= self._long_most or at_long[who] >= self._long_each):
                return False
            inside[who] += 1
            at_long[who] += long
            return True

    def _leaves(self, who: bytes, *, long: bool) -> None:
        with self._lock:
            self._inside[who] -= 1
            self._long_inside[who] -= long
            # Of whoever has gone nothing is remembered.
            self._inside += Counter()
            self._long_inside += Counter()


def _caller(environ: WSGIEnvironment) -> bytes:
    """Who asks, as a digest: no secret is kept."""
    shown = environ.get("HTTP_AUTHORIZATION") or environ.get("HTTP_COOKIE") or environ.get("REMOTE_ADDR") or ""
    return hashlib.blake2b(str(shown).encode(), digest_size=16).digest()


def _busy() -> Response:
    problem = wire.Problem(
        type="urn:openlatch:problem:busy",
        title="Too much at a time",
        status=503,
        detail="Too many requests are being answered at this moment. Nothing was done.",
        code="busy",
        next="Send it again in a second.",
        errors=[],
        facts={"retry_after": 1},
    )
    headers = {"Retry-After": "1", "Cache-Control": "no-store"}
    return Response(problem.model_dump_json(), 503, headers, content_type="application/problem+json")
