"""What all stand-ins share: state in a file, a token at the door, and faults on demand.

Faults are set with PUT /faults and a JSON object. Every stand-in knows these; each says what else it knows:

down             every answer is 503
throttle         the next N calls are answered 429
retry_after      the seconds after which a throttled call may be sent again
garbage          lists are not what the protocol says
"""

from __future__ import annotations

import json
import sqlite3
import threading
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any
from wsgiref.types import StartResponse, WSGIEnvironment

from werkzeug.exceptions import HTTPException
from werkzeug.routing import Map, Rule
from werkzeug.serving import make_server
from werkzeug.wrappers import Request, Response

__all__ = ["StandIn", "answer", "serve"]

_SCHEMA = """
create table if not exists items (place integer primary key, noun text, key text, body text, ended integer default 0);
create index if not exists items_standing on items (noun, ended, place);
create index if not exists items_key on items (noun, json_extract(body, '$.key'));
create index if not exists items_party on items (noun, json_extract(body, '$.party'));
create index if not exists items_member on items (noun, json_extract(body, '$.member'));
create table if not exists effects (entry text, idempotency_key text);
create table if not exists faults (name text primary key, value text);
"""


class StandIn(ABC):
    """A WSGI app; `state` is a file that outlives it, `load` what the provider has in the beginning (JSON)."""

    def __init__(self, state: Path, load: Path, token: str) -> None:
        self._token = token
        self._turn = threading.Condition()
        self._db = sqlite3.connect(state, check_same_thread=False, isolation_level=None)
        self._db.row_factory = sqlite3.Row
        self._db.executescript(_SCHEMA + self.schema)
        self._seed = json.loads(load.read_text())
        if self._db.execute("select 1 from items").fetchone() is None:
            with self._db:
                self._db.execute("begin")
                self.fill(self._seed)
        own = [Rule("/effects", endpoint=self._effects), Rule("/faults", endpoint=self._set_faults, methods=["PUT"])]
        self._routes = Map([*own, *self.rules()])

    schema = ""

    @abstractmethod
    def rules(self) -> list[Rule]:
        """Return the routes of the protocol; their endpoints take a request and what is in the path."""

    @abstractmethod
    def fill(self, seed: dict[str, Any]) -> None:
        """Store what the provider has in the beginning."""

    def lets_in(self, request: Request) -> bool:
        """Return whether a request shows what has to be shown."""
        return request.headers.get("Authorization") == f"Bearer {self._token}"

    def __call__(self, environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        with self._turn:
            response = self._answer(Request(environ))
        return response(environ, start_response)

    def add(self, noun: str, key: str, body: object) -> None:
        self._db.execute("insert into items (noun, key, body) values (?, ?, ?)", [noun, key, json.dumps(body)])

    def items(
        self, noun: str, *, also_ended: bool = False, where: tuple[str, str] | None = None
    ) -> list[dict[str, Any]]:
        """All items of a noun, or those in which a field (`where`: key, party or member) is so."""
        query, values = "select body from items where noun = ? and ended <= ?", [noun, int(also_ended)]
        if where is not None:
            query += f" and json_extract(body, '$.{where[0]}') = ?"
            values.append(where[1])
        return [json.loads(row["body"]) for row in self._db.execute(f"{query} order by place", values)]

    def count(self, noun: str) -> int:
        """How many items of a noun there are."""
        found = self._db.execute("select count(*) from items where noun = ? and ended = 0", [noun])
        return int(found.fetchone()[0])

    def some(self, noun: str, start: int, most: int) -> list[dict[str, Any]]:
        """The items of a noun from a place on, so many at most."""
        query = "select body from items where noun = ? and ended = 0 order by place limit ? offset ?"
        return [json.loads(row["body"]) for row in self._db.execute(query, [noun, most, start])]

    def effect(self, entry: str, idempotency_key: str = "") -> None:
        """Remember that something was really changed."""
        self._db.execute("insert into effects values (?, ?)", [entry, idempotency_key])

    def fault(self, name: str) -> Any:
        row = self._db.execute("select value from faults where name = ?", [name]).fetchone()
        return json.loads(row["value"]) if row else None

    def set_fault(self, name: str, value: object) -> None:
        self._db.execute("insert or replace into faults values (?, ?)", [name, json.dumps(value)])

    def spend(self, name: str) -> bool:
        """Use up one of the next N times that a fault is set for."""
        left = int(self.fault(name) or 0)
        if left > 0:
            self.set_fault(name, left - 1)
        return left > 0

    def _answer(self, request: Request) -> Response:
        try:
            endpoint: Callable[..., Response]
            endpoint, values = self._routes.bind_to_environ(request.environ).match()
        except HTTPException as error:
            return answer({"reason": error.name}, error.code or 404)
        about_itself = endpoint in (self._set_faults, self._effects)
        if not (StandIn.lets_in(self, request) if about_itself else self.lets_in(request)):
            return answer({"reason": "unknown token"}, 401)
        trouble = None if about_itself else self._trouble()
        return trouble or endpoint(request, **values)

    def _trouble(self) -> Response | None:
        if self.fault("down"):
            return answer({"reason": "down for maintenance"}, 503)
        if self.spend("throttle"):
            return answer({"reason": "slow down"}, 429, {"Retry-After": str(self.fault("retry_after") or 1)})
        return None

    def _effects(self, _request: Request) -> Response:
        """What was really changed, and under which key: for whoever wants to see that it happened once."""
        return answer({"effects": [dict(row) for row in self._db.execute("select * from effects")]})

    def _set_faults(self, request: Request) -> Response:
        with self._db:
            self._db.execute("begin")
            for name, value in request.get_json().items():
                self.set_fault(name, value)
        self._turn.notify_all()
        return answer({})


def answer(body: object, status: int = 200, headers: dict[str, str] | None = None) -> Response:
    """Return a JSON answer."""
    return Response(json.dumps(body), status, headers, content_type="application/json")


def serve(app: StandIn, port: int) -> None:
    """Serve a stand-in on loopback until the process ends."""
    make_server("127.0.0.1", port, app, threaded=True).serve_forever()
