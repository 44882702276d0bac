"""P8: how many requests for one row the service answers under load, against a bare handler in the same server."""

from __future__ import annotations

import http.client
import json
import multiprocessing
import statistics
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from flask import Flask, Response, jsonify
from sqlalchemy import create_engine, text
from sqlalchemy.engine import make_url

from bench.holder import ADDRESS, PASSWORD, made, stack
from bench.measure import Pair, growth, line
from openlatch.client import Client
from openlatch.local.ports import kept_port
from openlatch.web.server import serve
from openlatch.wiring import Settings

if TYPE_CHECKING:
    from _typeshed.wsgi import WSGIApplication

__all__ = ["one_row"]

CONNECTIONS = (1, 2, 4)
"""So many ask at a time, each one request after the other."""
REQUESTS = 600
ROUNDS = 3
ENTRIES = 10_000


def one_row() -> str:
    """Measure with few and with many who ask; the ratio is that of the most: of the bare handler's throughput."""
    with stack() as running:
        service = running.service
        workspace = made(running, ENTRIES)
        client, token = Client.sign_in(running.url, workspace=workspace.slug, address=ADDRESS, password=PASSWORD)
        with client:
            account = next(iter(client.accounts()))
        port = kept_port(running.folder / "bare.port")
        url = service.settings.database_url
        bare = multiprocessing.get_context("fork").Process(
            target=_serve, args=(url, service.settings, str(workspace.id), port), daemon=True
        )
        bare.start()
        try:
            bearer = {"Authorization": f"Bearer {token.secret}"}
            ours = f"{running.url}/api/v1/workspace", bearer
            more = f"{running.url}/api/v1/accounts/{account.id}", bearer
            theirs = f"http://127.0.0.1:{port}/workspace", dict[str, str]()
            _until_there(*theirs)
            assert json.loads(_ask(*ours, 1)[1])["name"] == json.loads(_ask(*theirs, 1)[1])["name"]
            pairs = [_measured(ours, theirs, count) for count in CONNECTIONS]
            richer = _measured(more, theirs, CONNECTIONS[-1])
        finally:
            bare.terminate()
            bare.join(10)
    pair = pairs[-1]
    what = f"one row, {CONNECTIONS[-1]} asking at a time: throughput of the service as a part of a bare handler's"
    return line(
        "P8",
        what,
        pair,
        CONNECTIONS,
        growth(CONNECTIONS, [each.seconds for each in pairs]),
        ratio=round(pair.floor / pair.seconds, 2),
        requests_a_second=round(REQUESTS / pair.seconds),
        with_what_is_on_an_account=round(richer.floor / richer.seconds, 2),
        bare_a_second=round(REQUESTS / pair.floor),
    )


def _measured(ours: tuple[str, dict[str, str]], theirs: tuple[str, dict[str, str]], connections: int) -> Pair:
    """Seconds for so many requests to each of the two, in turns."""
    times: tuple[list[float], list[float]] = ([], [])
    for _ in range(ROUNDS):
        for taken, asked in zip(times, (ours, theirs), strict=True):
            with ThreadPoolExecutor(connections) as pool:
                start = time.perf_counter()
                several = [pool.submit(_ask, *asked, REQUESTS // connections) for _ in range(connections)]
                for one in several:
                    one.result()
                taken.append(time.perf_counter() - start)
    return Pair(statistics.median(times[0]), statistics.median(times[1]), max(times[0]))


def _ask(url: str, headers: dict[str, str], times: int) -> tuple[int, bytes]:
    """Ask so often over one connection; returns the last answer."""
    parts = urlsplit(url)
    connection = http.client.HTTPConnection(parts.hostname or "", parts.port, timeout=60)
    answer = (0, b"")
    for _ in range(times):
        connection.request("GET", parts.path, headers=headers)
        response = connection.getresponse()
        answer = response.status, response.read()
        if response.status != 200:
            raise AssertionError(f"{url} answered {answer}")
    connection.close()
    return answer


def _until_there(url: str, headers: dict[str, str]) -> None:
    end = time.monotonic() + 30
    while True:
        try:
            _ask(url, headers, 1)
        except OSError:
            if time.monotonic() > end:
                raise
            time.sleep(0.1)
        else:
            return


def _serve(url: str, settings: Settings, workspace: str, port: int) -> None:
    serve(_bare(url, workspace), ("127.0.0.1", port), processes=settings.processes, threads=settings.threads, most=1024)


def _bare(url: str, workspace: str) -> Callable[[], WSGIApplication]:
    """Return what makes an app with one handler, which reads one row by its key and knows nobody."""

    def load() -> WSGIApplication:
        app = Flask("bare")
        engine = create_engine(make_url(url).set(drivername="postgresql+psycopg"), pool_size=32)
        row = text("select * from workspaces where workspace_id = cast(:id as uuid)")
        enter = text("select set_config('openlatch.workspace', :workspace, true)")

        @app.get("/workspace")
        def one() -> Response:
            with engine.begin() as connection:
                connection.execute(enter, {"workspace": workspace})
                found = connection.execute(row, {"id": workspace}).mappings().one()
            return jsonify({name: str(value) for name, value in found.items()})

        return app.wsgi_app

    return load
