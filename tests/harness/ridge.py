"""The product in this process: the real app behind a transport, its jobs run when a test says so, time as it says.

What the client, the command line and the stand-ins speak to each other goes through `Loopback`, without a socket.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from functools import cached_property
from typing import Any
from uuid import UUID

import httpx
import psycopg
from flask import Flask
from sqlalchemy import event
from werkzeug.exceptions import HTTPException

from openlatch.client import Client
from openlatch.connectors.openid import OpenIdProvider
from openlatch.connectors.security_events import EventIssuer
from openlatch.connectors.webhook import HttpHerald
from openlatch.core.ids import uuid7
from openlatch.core.people.sign_on import Question
from openlatch.core.providers.ports import Connector
from openlatch.core.telling.notices import Letter
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.seed import SLUG
from openlatch.jobs import announce, deliver, listen, tasks
from openlatch.local.stack import LOOPBACK
from openlatch.operations.call import Call, Services, as_service
from openlatch.operations.credentials import Passwords
from openlatch.store import Store
from openlatch.store.queue import REQUEST
from openlatch.web.api import PREFIX, Route
from openlatch.web.describe import answers, problems
from openlatch.web.routes import ALL
from openlatch.wiring import Service, Settings, wire
from openlatch.wiring import now as real_now
from tests.harness.sealing import seal_all

SERVER = "http://localhost:8480"
KEY = "a2VzdHJlbC1yaWRnZS1vYnNlcnZhdG9yeS1vbi1oaWw="
"""the key of every vault in tests: what it hides is invented"""
OVER_HTTP = frozenset({"described", "feed", "oauth", "scim", "webdav"})
SOON = timedelta(hours=1)
MINUTE = timedelta(minutes=1)
CHANGING = frozenset({"insert", "update", "delete"})
MANY = 30
"""So often something is waited for while nothing happens at all."""


class Loopback(httpx.BaseTransport):
    """Carries requests to WSGI apps in this process, each under an address; nobody listens anywhere else."""

    def __init__(self) -> None:
        self.apps: dict[str, Any] = {}

    def serve(self, url: str, app: Any) -> None:
        def as_servers_do(environ: dict[str, Any], start: Any) -> Any:
            # The transport hands the path over as text; a server hands its bytes over, as PEP 3333 has it.
            return app(environ | {"PATH_INFO": environ["PATH_INFO"].encode().decode("latin-1")}, start)

        self.apps[httpx.URL(url).netloc.decode()] = httpx.WSGITransport(app=as_servers_do)

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        app = self.apps.get(request.url.netloc.decode())
        if app is None:
            raise httpx.ConnectError(f"nobody listens at {request.url.netloc.decode()}", request=request)
        response: httpx.Response = app.handle_request(request)
        return response


class Clock:
    """Time that stands still but for a millionth of a second at each look, and goes on when a test says so."""

    def __init__(self, start: datetime) -> None:
        self.now = start

    def __call__(self) -> datetime:
        self.now += timedelta(microseconds=1)
        return self.now

    def go_on(self, **more: float) -> None:
        self.now += timedelta(**more)


class Ids:
    """New ids that grow, by a clock."""

    def __init__(self, clock: Callable[[], datetime]) -> None:
        self._clock, self._last = clock, UUID(int=0)

    def __call__(self) -> UUID:
        self._last = max(uuid7(self._clock(), secrets.randbits(74)), UUID(int=self._last.int + 1))
        return self._last


class Postbox:
    """Keeps the letters that it is handed; mail servers that refuse are the connector's tests and the journeys'."""

    def __init__(self) -> None:
        self.letters: list[Letter] = []

    def send(self, letter: Letter) -> None:
        self.letters.append(letter)

    def leave(self) -> None:
        pass

    def to(self, address: str, about: str = "") -> list[Letter]:
        return [letter for letter in self.letters if letter.to == address and about in letter.subject + letter.text]


def service_on(url: str, key: str = KEY) -> Service:
    """The service on a database, as the wiring puts it together, with cheap passwords."""
    return wire(
        Settings(
            database_url=url,
            secret_keys=[key],
            password_memory=Passwords.LEAST,
            permitted_networks=list(LOOPBACK),
            threads=1,
            jobs=2,
        )
    )


def in_process(connectors: Mapping[str, type[Connector]], transport: Loopback) -> Mapping[str, type[Connector]]:
    """The connectors, of which those that speak HTTP speak it through a transport."""

    def through(kind: type[Any]) -> type[Any]:
        def begin(self: Any, settings: Mapping[str, str], secret: str) -> None:
            kind.__init__(self, settings, secret, transport)

        return type(kind.__name__, (kind,), {"__init__": begin})

    return {name: through(kind) if name in OVER_HTTP else kind for name, kind in connectors.items()}


@dataclass
class Ridge:
    """The product on one database, for one module of tests or one test."""

    service: Service
    clock: Clock
    transport: Loopback
    post: Postbox = field(default_factory=Postbox)
    stand_ins: dict[str, tuple[str, str]] = field(default_factory=dict)
    """the address and the token of each stand-in"""
    written: int = 0
    """so many statements have changed the database"""
    idle: int = 0
    _seen: int = -1
    _looked: datetime | None = None

    def __post_init__(self) -> None:
        event.listen(self.store._engine, "before_cursor_execute", self._count)

    @property
    def url(self) -> str:
        return SERVER

    @property
    def store(self) -> Store:
        return self.service.store

    @property
    def services(self) -> Services:
        return self.service.services

    def app(self) -> Flask:
        return self.service.web()

    # People

    def client(
        self, who: str = "maren.ashdown", *, scope: str = "change", workspace: str = SLUG, password: str = PASSWORD
    ) -> Client:
        """Sign one of the workspace's people in."""
        address = who if "@" in who else f"{who}@{DOMAIN}"
        signed_in, _ = Client.sign_in(
            self.url,
            workspace=workspace,
            address=address,
            password=password,
            scope=scope,
            days=60,
            transport=self.transport,
            pause=self.pause,
        )
        return signed_in

    def http(self, client: Client | None = None) -> httpx.Client:
        """Bare HTTP to the API, as whoever a client is signed in as."""
        headers = {} if client is None else {"Authorization": str(client._http.headers["Authorization"])}
        return httpx.Client(base_url=f"{self.url}/api/v1", headers=headers, transport=self.transport)

    @contextmanager
    def call(self, workspace: str | UUID = SLUG) -> Iterator[Call]:
        """A transaction in which the service itself acts."""
        with self.store.transaction(workspace) as tx:
            yield as_service(tx, self.services)

    # Time, and the jobs that it brings

    def pause(self, seconds: float) -> None:
        """What the client does instead of waiting: time goes on, and the worker does what is due by then.

        Where nothing is, it goes on to the next job within the hour; for ever it does not.
        """
        before = self.written
        self.clock.go_on(seconds=seconds)
        if not self.drain():
            coming = self._next()
            if coming is not None and coming - self.clock.now < SOON:
                self.clock.now = max(self.clock.now, coming)
                self.drain()
        # Where something is waited for, and time and again nothing happens, it never will.
        self.idle = 0 if self.written != before else self.idle + 1
        assert self.idle < MANY, f"what is waited for does not come; queued: {self.jobs()}"

    def drain(self) -> int:
        """Do what a worker does until nothing is due any more; returns how many jobs there were.

        What takes place by itself does so once a minute, and at once after anything was changed.
        """
        done = 0
        while True:
            job = self._take()
            if job is None:
                if self._looked and self._seen == self.written and self.clock.now - self._looked < MINUTE:
                    return done
                self._come_round()
                continue
            done += 1
            assert done < 4000, f"jobs without an end: {job}"
            task, arguments = job
            tasks.run(task, self.store, self.services, arguments)

    def _come_round(self) -> None:
        self._looked = self.clock.now
        for periodic in (
            seal_all,
            tasks.evaluate_due,
            tasks.open_rounds,
            tasks.see_to_offers,
            seal_all,
            deliver.deliver,
            announce.announce,
            listen.listen,
        ):
            periodic(self.store, self.services)
        self._seen = self.written

    def _count(self, _connection: Any, _cursor: Any, statement: str, *_: Any) -> None:
        self.written += statement.lstrip()[:6].lower() in CHANGING

    def jobs(self) -> list[tuple[str, dict[str, Any], datetime | None]]:
        """What is queued: the task, its arguments, and when it is due."""
        rows = self._queue.execute(
            "select task_name, args, scheduled_at from procrastinate_jobs where status = 'todo' order by id"
        )
        every = rows.fetchall()
        return [(task, {k: v for k, v in given.items() if k != REQUEST}, at) for task, given, at in every]

    @cached_property
    def _queue(self) -> psycopg.Connection[Any]:
        return psycopg.connect(self.service.settings.database_url, autocommit=True)

    def _take(self) -> tuple[str, dict[str, Any]] | None:
        """Take the next job that is due off the queue."""
        row = self._queue.execute(
            "delete from procrastinate_jobs where id = (select id from procrastinate_jobs "
            "where status = 'todo' and (scheduled_at is null or scheduled_at <= %s) order by id limit 1) "
            "returning task_name, args",
            [self.clock.now],
        ).fetchone()
        return None if row is None else (row[0], row[1])

    def _next(self) -> datetime | None:
        return min((at for *_, at in self.jobs() if at is not None), default=None)

    # Outside

    def stand_in_url(self, name: str) -> str:
        return self.stand_ins[name][0]

    def stand_in_headers(self, name: str) -> Mapping[str, str]:
        return {"Authorization": f"Bearer {self.stand_ins[name][1]}"}

    def close(self) -> None:
        if "_queue" in self.__dict__:
            self._queue.close()
        self.store.close()


class Described:
    """The app; whatever it answers to anyone in any test, its description has to say that it can."""

    def __init__(self, app: Flask) -> None:
        self._app, self._urls = app, app.url_map.bind("localhost")
        self._routes = {(route.method, PREFIX + route.rule): route for routes in ALL for route in routes.all}

    def __call__(self, environ: dict[str, Any], start: Any) -> Any:
        def begin(status: str, headers: Any, *more: Any) -> Any:
            route = self._meant(environ["REQUEST_METHOD"], environ["PATH_INFO"])
            if route is not None:
                described = (*answers(route), *problems(route))
                assert int(status[:3]) in described, f"{route.method} {route.rule} answers {status}, unlike {described}"
            return start(status, headers, *more)

        return self._app(environ, begin)

    def _meant(self, method: str, path: str) -> Route | None:
        try:
            rule, _ = self._urls.match(path.encode("latin-1").decode(), method, return_rule=True)
        except (HTTPException, UnicodeDecodeError):
            return None
        return self._routes.get((method, rule.rule))


class _ByTheirClock(OpenIdProvider):
    """An OpenID provider that nobody here wrote goes by the real time, and so does whoever checks what it says."""

    def claims(self, question: Question, back: str, code: str, now: datetime) -> Mapping[str, object]:
        return super().claims(question, back, code, real_now())


def ridge_on(service: Service, start: datetime, **more: Any) -> Ridge:
    """The product on a service's database, beginning at an instant."""
    clock, transport, post = Clock(start), Loopback(), Postbox()
    given = service.services
    services = replace(
        given,
        clock=clock,
        new_id=Ids(clock),
        connectors=in_process(given.connectors, transport),
        post=post,
        herald=HttpHerald(transport),
        console=SERVER,
        event_issuer=lambda stream, secret: EventIssuer(stream, secret, transport),
        sign_on=lambda sign_on, secret: _ByTheirClock(sign_on, secret, transport),
    )
    made = Ridge(replace(service, services=services), clock, transport, post, **more)
    transport.serve(SERVER, Described(made.app()))
    return made
