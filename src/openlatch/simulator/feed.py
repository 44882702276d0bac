"""A provider that speaks the feed protocol (docs/feed/README.md), keeps its state in a file, and fails on demand.

Faults are set with PUT /faults and a JSON object, any of:

down             every answer is 503
break_after      the inventory breaks off with 503 after that many entries
total_off        that many is added to the announced total
hide             the last N entries are left out, and out of the total
garbage          the inventory is not what the protocol says
throttle         the next N calls are answered 429
hold             an ending is carried out, but answered only when this is set to false again
lose_answers     the next N endings are carried out, but answered 503
keep_listing     the next N looks at a party still show what was ended
refuse           an object of entry key to the reason for which ending it is refused
"""

from __future__ import annotations

import json
import sqlite3
import threading
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any
from wsgiref.types import StartResponse, WSGIEnvironment

from werkzeug.exceptions import HTTPException
from werkzeug.routing import Map, Rule
from werkzeug.serving import make_server
from werkzeug.wrappers import Request, Response

__all__ = ["FeedStandIn", "serve"]

PAGE = 40
_SCHEMA = """
create table if not exists items (place integer primary key, noun text, key text, body text, ended integer default 0);
create table if not exists endings (idempotency_key text primary key, entry text, outcome text, reason text);
create table if not exists effects (entry text, idempotency_key text);
create table if not exists faults (name text primary key, value text);
"""


class FeedStandIn:
    """The WSGI app; `state` is a file that outlives it, `load` what the provider has in the beginning."""

    def __init__(self, state: Path, load: Path, token: str) -> None:
        self._token = token
        self._turn = threading.Condition()
        self._db = sqlite3.connect(state, check_same_thread=False, isolation_level=None)
        self._db.row_factory = sqlite3.Row
        self._db.executescript(_SCHEMA)
        self._description = json.loads(load.read_text())["description"]
        if self._db.execute("select 1 from items").fetchone() is None:
            self._fill(json.loads(load.read_text()))
        self._routes = Map(
            [
                Rule("/", endpoint=self._describe, methods=["GET"]),
                Rule("/inventory", endpoint=self._inventory, methods=["GET"]),
                Rule("/parties/<path:party>/inventory", endpoint=self._party, methods=["GET"]),
                Rule("/endings", endpoint=self._end, methods=["POST"]),
                Rule("/effects", endpoint=self._effects, methods=["GET"]),
                Rule("/faults", endpoint=self._set_faults, methods=["PUT"]),
            ]
        )

    def __call__(self, environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        with self._turn:
            response = self._answer(Request(environ))
        return response(environ, start_response)

    def _fill(self, seed: dict[str, Any]) -> None:
        rows = [
            (noun, item["key"], json.dumps(item)) for noun in ("accounts", "parties", "entries") for item in seed[noun]
        ]
        rows += [("memberships", f"{m['team']} {m['member']}", json.dumps(m)) for m in seed.get("memberships", [])]
        with self._db:
            self._db.execute("begin")
            self._db.executemany("insert into items (noun, key, body) values (?, ?, ?)", rows)
            refuse = json.dumps(seed.get("refuse", {}))
            self._db.execute("insert or replace into faults values ('refuse', ?)", [refuse])

    def _answer(self, request: Request) -> Response:
        if request.headers.get("Authorization") != f"Bearer {self._token}":
            return _json({"reason": "unknown token"}, 401)
        try:
            endpoint: Callable[..., Response]
            endpoint, values = self._routes.bind_to_environ(request.environ).match()
        except HTTPException as error:
            return _json({"reason": error.name}, error.code or 404)
        if endpoint not in (self._set_faults, self._effects):
            if self._fault("down"):
                return _json({"reason": "down for maintenance"}, 503)
            if self._spend("throttle"):
                return _json({"reason": "slow down"}, 429, {"Retry-After": "1"})
        return endpoint(request, **values)

    def _describe(self, _request: Request) -> Response:
        return _json(self._description)

    def _inventory(self, request: Request) -> Response:
        if self._fault("garbage"):
            return _json({"entries": "see our web page"})
        start = int(request.args.get("cursor", "0"))
        entries = self._items("entries")
        entries = entries[: len(entries) - int(self._fault("hide") or 0)]
        limit = self._fault("break_after")
        if limit is not None and start + PAGE > int(limit):
            return _json({"reason": "out of memory"}, 503)
        page: dict[str, Any] = {"total": len(entries) + int(self._fault("total_off") or 0)}
        if start == 0:
            page |= {noun: self._items(noun) for noun in ("accounts", "parties", "memberships")}
        page["entries"] = entries[start : start + PAGE]
        page["next"] = str(start + PAGE) if start + PAGE < len(entries) else None
        return _json(page)

    def _party(self, _request: Request, party: str) -> Response:
        entries = self._items("entries", also_ended=self._spend("keep_listing"))
        memberships = [m for m in self._items("memberships") if m["member"] == party]
        return _json(
            {
                "accounts": self._items("accounts"),
                "parties": [
                    p for p in self._items("parties") if p["key"] in {party, *(m["team"] for m in memberships)}
                ],
                "entries": [e for e in entries if e["party"] == party],
                "memberships": memberships,
                "next": None,
            }
        )

    def _end(self, request: Request) -> Response:
        asked = request.get_json()
        entry, key = asked["entry"], request.headers.get("Idempotency-Key", "")
        if not key:
            return _json({"reason": "no Idempotency-Key"}, 400)
        known = self._db.execute("select outcome, reason from endings where idempotency_key = ?", [key]).fetchone()
        if known is None:
            known = self._carry_out(entry, key)
        self._turn.wait_for(lambda: not self._fault("hold"))
        if self._spend("lose_answers"):
            return _json({"reason": "gateway timeout"}, 503)
        return _json(
            {"outcome": known["outcome"], "reason": known["reason"]}, 409 if known["outcome"] == "refused" else 200
        )

    def _carry_out(self, entry: str, key: str) -> dict[str, str]:
        """End an entry if it can be ended, and remember the answer under the idempotency key."""
        reason = (self._fault("refuse") or {}).get(entry, "")
        there = self._db.execute("select ended from items where noun = 'entries' and key = ?", [entry]).fetchone()
        outcome = "refused" if reason else "already-ended" if there is None or there["ended"] else "ended"
        with self._db:
            self._db.execute("begin")
            if outcome == "ended":
                self._db.execute("update items set ended = 1 where noun = 'entries' and key = ?", [entry])
                self._db.execute("insert into effects values (?, ?)", [entry, key])
            if outcome != "refused":
                self._db.execute("insert into endings values (?, ?, ?, ?)", [key, entry, outcome, reason])
        return {"outcome": outcome, "reason": reason}

    def _effects(self, _request: Request) -> Response:
        """What was really changed, and under which key: for whoever wants to see that it happened once."""
        return _json({"effects": [dict(row) for row in self._db.execute("select * from effects")]})

    def _set_faults(self, request: Request) -> Response:
        with self._db:
            self._db.execute("begin")
            for name, value in request.get_json().items():
                self._db.execute("insert or replace into faults values (?, ?)", [name, json.dumps(value)])
        self._turn.notify_all()
        return _json({})

    def _fault(self, name: str) -> Any:
        row = self._db.execute("select value from faults where name = ?", [name]).fetchone()
        return json.loads(row["value"]) if row else None

    def _spend(self, name: str) -> bool:
        """Use up one of the next N times that a fault is set for."""
        left = int(self._fault(name) or 0)
        if left > 0:
            self._db.execute("update faults set value = ? where name = ?", [json.dumps(left - 1), name])
        return left > 0

    def _items(self, noun: str, *, also_ended: bool = False) -> list[dict[str, Any]]:
        rows = self._db.execute(
            "select body from items where noun = ? and ended <= ? order by place", [noun, int(also_ended)]
        )
        return [json.loads(row["body"]) for row in rows]


def serve(app: FeedStandIn, port: int) -> None:
    """Serve a stand-in on loopback until the process ends."""
    make_server("127.0.0.1", port, app, threaded=True).serve_forever()


def _json(body: object, status: int = 200, headers: dict[str, str] | None = None) -> Response:
    return Response(json.dumps(body), status, headers, content_type="application/json")
