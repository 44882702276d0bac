"""The Flask app: routes, errors, headers, health and metrics."""

from __future__ import annotations

import os
import re
import secrets
import time
from collections.abc import Callable, Iterator
from datetime import timedelta

import orjson
import structlog
from flask import Flask, Response, g, request
from prometheus_client import REGISTRY as PROCESS
from prometheus_client import CollectorRegistry, Counter, Histogram, generate_latest, multiprocess
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.registry import Collector
from structlog.contextvars import bind_contextvars, clear_contextvars
from werkzeug.middleware.proxy_fix import ProxyFix

from openlatch.core.running.measures import MEASURES
from openlatch.core.running.state import NOBODY_WORKS
from openlatch.errors import NotFound
from openlatch.memory import give_back
from openlatch.store.queue import REQUEST
from openlatch.web import describe
from openlatch.web.api import MOST_BYTES, PREFIX, Backend, bind, bind_errors
from openlatch.web.doors import Doors
from openlatch.web.pages import POLICY, bind_console, bind_help
from openlatch.web.routes import ALL
from openlatch.wire.base import NO_WORKER

__all__ = ["create_app", "description"]

EVERY = 5
"""Seconds between two looks for workers."""
MEASURED_EVERY = 10
"""Seconds between two counts of what `/metrics` says of the database."""
REQUEST_ID = "X-Request-Id"
"""The header in which a proxy names a request; what has none is given one, and every answer says it."""
NAMED = re.compile(r"[A-Za-z0-9._:-]{1,64}")
SECRET_PARTS = ("link", "address")
"""what no log holds: the parts of paths that are as good as a password"""
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Permissions-Policy": "camera=(), geolocation=(), microphone=()",
}
REQUESTS = Counter("openlatch_requests", "Requests answered", ("route", "status"))
SECONDS = Histogram("openlatch_request_seconds", "How long an answer took", ("route",))

log = structlog.get_logger()


def description() -> dict[str, object]:
    """Return the OpenAPI document of the API."""
    return describe.openapi(route for routes in ALL for route in routes.all)


def create_app(backend: Backend) -> Flask:
    """Return the service as a WSGI app."""
    app = Flask(__name__, static_folder=None)
    app.config["MAX_CONTENT_LENGTH"] = MOST_BYTES
    app.url_map.strict_slashes = False
    app.extensions["openlatch"] = backend
    bind_errors(app)
    for routes in ALL:
        bind(app, routes)
    workers = _Workers(backend.store.workers)
    _watch(app, workers, secure=backend.secure_cookies)
    _operate(app, backend, workers)
    bind_help(app)
    bind_console(app)
    slow = [route for routes in ALL for route in routes.all if route.takes or (route.files and not route.public)]
    long = {route.rule.rpartition("/")[2] for route in slow}
    doors = Doors(app.wsgi_app, backend.threads, PREFIX, long)
    app.wsgi_app = doors  # type: ignore[method-assign]
    if backend.proxies:
        app.wsgi_app = ProxyFix(doors, x_for=backend.proxies, x_proto=backend.proxies)  # type: ignore[method-assign]
    app.extensions["openlatch.others"] = doors.others
    return app


class _Workers:
    """Whether a worker is at work, as the database says; looked at anew every few seconds."""

    def __init__(self, count: Callable[[], int | None]) -> None:
        self._count = count
        self._again, self._none = 0.0, False

    def none(self) -> bool:
        """Whether no worker is at work; what cannot be found out is no reason to say so."""
        if time.monotonic() >= self._again:
            self._none = self._count() == 0
            # One that has just been started is not to be missed for long.
            self._again = time.monotonic() + (1 if self._none else EVERY)
        return self._none


class _Measured(Collector):
    """What is measured in the database, counted anew every few seconds at most, whoever asks."""

    def __init__(self, backend: Backend) -> None:
        self._backend = backend
        self._again, self._found = 0.0, list[tuple[str, str, float]]()

    def collect(self) -> Iterator[GaugeMetricFamily]:
        if time.monotonic() >= self._again:
            self._found = self._backend.store.measured(self._backend.services.clock())
            self._again = time.monotonic() + MEASURED_EVERY
        for measure in MEASURES:
            family = GaugeMetricFamily(measure.name, measure.says, labels=[measure.label] if measure.label else None)
            for name, label, value in self._found:
                if f"openlatch_{name}" == measure.name:
                    family.add_metric([label] if measure.label else [], value)
            yield family


def _watch(app: Flask, workers: _Workers, *, secure: bool) -> None:
    @app.before_request
    def start() -> None:
        g.started = time.perf_counter()
        given = request.headers.get(REQUEST_ID, "")
        g.request = given if NAMED.fullmatch(given) else secrets.token_hex(8)
        clear_contextvars()
        bind_contextvars(**{REQUEST: g.request})

    @app.after_request
    def finish(response: Response) -> Response:
        response.call_on_close(give_back)  # once all of it is sent
        if "request" in g:
            response.headers[REQUEST_ID] = g.request
        for name, value in HEADERS.items():
            response.headers.setdefault(name, value)
        if secure:
            response.headers["Strict-Transport-Security"] = "max-age=31536000"
        route = request.url_rule.rule if request.url_rule else "unknown"
        took = time.perf_counter() - g.get("started", time.perf_counter())
        REQUESTS.labels(f"{request.method} {route}", response.status_code).inc()
        SECONDS.labels(f"{request.method} {route}").observe(took)
        if request.path.startswith(PREFIX):
            if workers.none():
                response.headers[NO_WORKER] = NOBODY_WORKS
            log.info(
                "request",
                method=request.method,
                path=_shown_path(),
                status=response.status_code,
                actor=g.get("actor", ""),
                milliseconds=round(took * 1000, 1),
            )
        return response


def _shown_path() -> str:
    """The path of a request as it is written down: what signs someone in, or answers for them, is left out."""
    rule = request.url_rule.rule if request.url_rule else ""
    return rule if any(f"<{secret}>" in rule for secret in SECRET_PARTS) else request.path


def _operate(app: Flask, backend: Backend, workers: _Workers) -> None:
    @app.get("/healthz")
    def health() -> Response:
        return Response("ok\n", content_type="text/plain")

    @app.get("/readyz")
    def ready() -> Response:
        trouble = backend.store.ready()
        without = f". {NOBODY_WORKS}" if not trouble and workers.none() else ""
        return Response(f"{trouble or 'ready'}{without}\n", 503 if trouble else 200, content_type="text/plain")

    measured = CollectorRegistry()
    measured.register(_Measured(backend))

    @app.get("/metrics")
    def metrics() -> Response:
        registry = PROCESS
        if "PROMETHEUS_MULTIPROC_DIR" in os.environ:
            registry = CollectorRegistry()
            multiprocess.MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
        told = generate_latest(registry) + generate_latest(measured)
        return Response(told, content_type="text/plain; version=0.0.4")

    @app.get("/.well-known/security.txt")
    def security() -> Response:
        if not backend.security_contact:
            raise NotFound("No address for reporting weaknesses is set here.", next_step="See SECURITY.md.")
        # As RFC 9116 has it: good for less than a year, and so said anew whenever it is asked for.
        until = (backend.services.clock() + timedelta(days=180)).strftime("%Y-%m-%dT00:00:00Z")
        lines = [f"Contact: {backend.security_contact}", f"Expires: {until}", "Preferred-Languages: en"]
        return Response("\n".join(lines) + "\n", content_type="text/plain; charset=utf-8")

    document = orjson.dumps(description())

    @app.get(f"{PREFIX}/openapi.json")
    def openapi() -> Response:
        return Response(document, content_type="application/json")
