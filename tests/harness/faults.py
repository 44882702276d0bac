"""A server between us and a real one, that loses, delays, shortens and garbles as a test wants it to."""

from __future__ import annotations

import json
import random
from collections import Counter
from collections.abc import Callable, Iterable
from datetime import UTC, datetime, timedelta
from email.utils import format_datetime
from typing import Any

import httpx

FAULTS = ("throttled", "throttled-until", "unavailable", "closed", "html", "redirected")


class Meddling(httpx.BaseTransport):
    """A transport to a WSGI app that is at fault for some requests, by name; `rewrite` changes what is answered.

    `closed` is after the app has acted. `seen` counts the faults; `clock` is the provider's own.
    """

    def __init__(
        self,
        app: Callable[..., Any],
        faults: Iterable[str] = (),
        *,
        rewrite: Callable[[str, Any], Any] | None = None,
        ask: Callable[[httpx.URL], httpx.URL] = lambda url: url,
    ) -> None:
        self._app = httpx.WSGITransport(app)
        self._faults = iter(faults)
        self._rewrite = rewrite
        self._ask = ask
        self.seen: Counter[str] = Counter()
        self.clock = datetime(2026, 5, 11, 10, tzinfo=UTC)
        self.not_before = self.clock
        self.early = 0

    def pause(self, seconds: float) -> None:
        """What whoever asks does instead of waiting."""
        self.clock += timedelta(seconds=seconds)

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        fault = next(self._faults, "")
        self.seen[fault] += 1
        self.early += self.clock < self.not_before
        now = format_datetime(self.clock, usegmt=True)
        if fault.startswith("throttled"):
            self.not_before = self.clock + timedelta(seconds=7)
            until = format_datetime(self.not_before, usegmt=True)
            after = until if fault == "throttled-until" else "7"
            return httpx.Response(429, headers={"Retry-After": after, "Date": now}, request=request)
        if fault == "unavailable":
            return httpx.Response(503, request=request)
        if fault == "redirected":
            return httpx.Response(302, headers={"Location": "http://elsewhere.example/"}, request=request)
        if fault == "html":
            return httpx.Response(200, text="<!doctype html><title>Sign in</title>", request=request)
        answer = self._app.handle_request(self._asked(request))
        content = answer.read()
        if fault == "closed":
            raise httpx.ReadError("closed", request=request)
        if self._rewrite is not None and content:
            content = json.dumps(self._rewrite(request.url.path, json.loads(content))).encode()
        headers = {"Content-Type": answer.headers.get("Content-Type", ""), "Date": now}
        return httpx.Response(answer.status_code, content=content, headers=headers, request=request)

    def _asked(self, request: httpx.Request) -> httpx.Request:
        headers = {name: value for name, value in request.headers.items() if name != "content-length"}
        return httpx.Request(request.method, self._ask(request.url), headers=headers, content=request.read())


def shorter(chance: random.Random) -> Callable[[httpx.URL], httpx.URL]:
    """Ask for fewer than is wanted, each time another number: a server may give fewer than it is asked for."""

    def ask(url: httpx.URL) -> httpx.URL:
        return url.copy_set_param("count", chance.randint(1, 9)) if "count" in url.params else url

    return ask
