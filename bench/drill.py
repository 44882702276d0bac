"""The drill: two web processes and four workers behind a proxy, and a standby of the database that has to take over.

All on one machine: HAProxy before the web processes and before the database, a standby that is written to with every
commit, and processes that are stopped, killed and started while people work and orders are under way.
"""

from __future__ import annotations

import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections import Counter
from contextlib import ExitStack, suppress
from dataclasses import dataclass
from pathlib import Path

import httpx
import psycopg

from bench.asking import Asking
from bench.desk import connected, founded, inventory, once, provider
from openlatch.cli.record.log import verified
from openlatch.client import Client
from openlatch.local.ports import kept_port
from openlatch.local.postgres import PrivatePostgres, programs
from openlatch.local.stack import Stack

__all__ = ["drill"]

ORDERS = 1200
WORKERS = 4
PEOPLE = 4
"""So many ask at a time, each one request after the other."""
ROUNDS = 3
"""So often each web process is stopped and started again."""
PROXY = """
global
    stats socket {admin} mode 600
defaults
    timeout connect 2s
    timeout client 60s
    timeout server 60s
    retries 3
    option redispatch
frontend web
    mode http
    bind 127.0.0.1:{web}
    option forwardfor
    unique-id-format %[uuid()]
    unique-id-header X-Request-Id
    default_backend web
backend web
    mode http
    option http-server-close
    option httpchk
    http-check send meth GET uri /readyz ver HTTP/1.1 hdr Host localhost
    timeout check 5s
    default-server check inter 300ms fall 2 rise 1
    server one 127.0.0.1:{one}
    server two 127.0.0.1:{two}
listen database
    mode tcp
    bind 127.0.0.1:{database}
    timeout client 1h
    timeout server 1h
    default-server check inter 200ms fall 2 rise 1 on-marked-down shutdown-sessions
    server primary 127.0.0.1:{primary}
    server standby 127.0.0.1:{standby} backup
"""


@dataclass
class Machine:
    """A process of the product, as it runs on a machine of its own."""

    name: str
    arguments: tuple[str, ...]
    environment: dict[str, str]
    log: Path
    process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(
                ["setpriv", "--pdeathsig", "KILL", "--", *self.arguments],
                env=os.environ | self.environment,
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
            )

    def end(self, how: signal.Signals) -> None:
        """Tell it to stop, or kill it; returns once it is gone."""
        if self.process is not None:
            self.process.send_signal(how)
            self.process.wait(60)
            self.process = None


def drill() -> str:
    """Restart, kill and promote while people work and orders are under way; returns what went wrong, and how long."""
    if shutil.which("haproxy") is None:
        sys.exit("The drill needs HAProxy: apt-get install haproxy")
    with tempfile.TemporaryDirectory(prefix="openlatch-bench-", dir="/tmp") as text, ExitStack() as closing:
        folder = Path(text)
        folder.chmod(0o711)
        primary = PrivatePostgres(folder / "primary", login="postgres")
        closing.callback(primary.stop)
        primary.start()
        address = primary.database("openlatch", "openlatch")
        standby = _standby(folder, primary)
        closing.callback(standby.stop)
        ports = {name: kept_port(folder / f"{name}.port") for name in ("web", "database", "one", "two")}
        proxy = _proxy(folder, ports | {"primary": primary.port, "standby": standby.port})
        closing.callback(proxy.end, signal.SIGKILL)
        url = f"http://localhost:{ports['web']}"
        place = folder / "stack"
        place.mkdir()
        (place / "desk.json").write_text(json.dumps(inventory(2 * ORDERS)))
        through = address.replace(f":{primary.port}/", f":{ports['database']}/")
        stack = closing.enter_context(Stack(place, fast=True, seeded=False, database=through, serving=False))
        stack.start_desk()
        founded(stack)
        webs, workers = _machines(folder, stack, url, ports)
        for machine in (*webs, *workers):
            machine.start()
            closing.callback(machine.end, signal.SIGKILL)
        _until_up(url)
        with connected(url) as client:
            found = _rolled(client, url, webs, folder / "proxy.sock")
            found |= _taken_over(stack, client, workers, primary, standby)
        found["scheduled_twice"] = _scheduled_twice(standby)
    what = f"{ORDERS} orders, {WORKERS} workers, 2 web processes: restarted and killed, and a standby promoted"
    return json.dumps({"id": "drill", "what": what, **found})


def _rolled(client: Client, url: str, webs: list[Machine], admin: Path) -> dict[str, object]:
    """Restart the web processes one after the other while people work."""
    with ExitStack() as people:
        asking = [people.enter_context(Asking(client, url, number, pause=0.02)) for number in range(PEOPLE)]
        for _ in range(ROUNDS):
            for web in webs:
                web.end(signal.SIGTERM)
                web.start()
                _until_up(f"http://localhost:{web.environment['OPENLATCH_PORT']}")
                _until_seen(admin)
    answers = sum((each.answers for each in asking), Counter())
    failed = sum(count for told, count in answers.items() if not told.endswith(": 200"))
    return {"requests": answers.total(), "failed": failed, "answers": dict(answers), "restarts": ROUNDS * len(webs)}


def _taken_over(
    stack: Stack, client: Client, workers: list[Machine], primary: PrivatePostgres, standby: PrivatePostgres
) -> dict[str, object]:
    """Kill a worker, restart another, and have the standby take over, all while orders are under way."""
    keys = {entry.id: entry.key for entry in client.entries(q="first")}
    start = time.perf_counter()
    ref = client.command_batch({"q": "first"}, count=len(keys)).ref
    once(client, ref, lambda batch: batch.outcomes.get("told", 0) + batch.outcomes.get("proved", 0) > 0)
    workers[0].end(signal.SIGKILL)
    workers[1].end(signal.SIGTERM)
    workers[1].start()
    once(client, ref, lambda batch: batch.outcomes.get("proved", 0) > ORDERS // 4)
    lost = time.perf_counter()
    primary.crash()
    with psycopg.connect(standby.url(), autocommit=True) as connection:
        connection.execute("select pg_promote()")
    seen = once(client, ref, lambda _: True).outcomes.get("proved", 0)
    answers = time.perf_counter() - lost
    once(client, ref, lambda batch: batch.outcomes.get("proved", 0) > seen)
    goes_on = time.perf_counter() - lost
    done = once(client, ref, lambda batch: batch.over)
    seconds = time.perf_counter() - start
    with provider(stack) as http:
        effects = [effect["entry"] for effect in http.get("/effects").json()["effects"]]
    proved = {keys[order.entry.id] for order in client.orders("proved", batch=ref) if order.entry is not None}
    return {
        "outcomes": done.outcomes,
        "lost": len(proved - set(effects)),
        "twice": len(effects) - len(set(effects)),
        "unfinished": sum(n for word, n in done.outcomes.items() if word not in {"proved", "stuck", "cancelled"}),
        "seconds": round(seconds, 1),
        "answers_after": round(answers, 1),
        "orders_go_on_after": round(goes_on, 1),
        "events_checked": verified(client).held,
    }


def _machines(folder: Path, stack: Stack, url: str, ports: dict[str, int]) -> tuple[list[Machine], list[Machine]]:
    shared = dict(stack.environment) | {"OPENLATCH_CONSOLE_URL": url, "OPENLATCH_PROXIES": "1"}
    python = (sys.executable, "-m", "openlatch.cli", "service")
    webs = [
        Machine(name, (*python, "serve"), shared | {"OPENLATCH_PORT": str(ports[name])}, folder / f"{name}.log")
        for name in ("one", "two")
    ]
    workers = [
        Machine(f"worker {number}", (*python, "work"), shared, folder / f"worker-{number}.log")
        for number in range(WORKERS)
    ]
    return webs, workers


def _standby(folder: Path, primary: PrivatePostgres) -> PrivatePostgres:
    """A second server that is written to with every commit of the first."""
    made = folder / "standby"
    made.mkdir()
    (made / "password").write_text(primary.password)
    copy = [str(programs() / "pg_basebackup"), "-D", str(made / "data"), "-R", "-c", "fast", "-d", primary.url()]
    subprocess.run(copy, check=True, stdin=subprocess.DEVNULL)
    if os.geteuid() == 0:
        subprocess.run(["chown", "-R", "postgres:postgres", str(made)], check=True)
    standby = PrivatePostgres(made, login="postgres")
    standby.start()
    with psycopg.connect(primary.url(), autocommit=True) as connection:
        end = time.monotonic() + 30
        while connection.execute("select 1 from pg_stat_replication where state = 'streaming'").fetchone() is None:
            if time.monotonic() > end:
                raise AssertionError("the standby does not follow")
            time.sleep(0.1)
        connection.execute("alter system set synchronous_standby_names = '*'")
        connection.execute("select pg_reload_conf()")
    return standby


def _proxy(folder: Path, ports: dict[str, int]) -> Machine:
    settings = folder / "proxy.cfg"
    settings.write_text(PROXY.format(admin=folder / "proxy.sock", **ports))
    proxy = Machine("proxy", ("haproxy", "-db", "-f", str(settings)), {}, folder / "proxy.log")
    proxy.start()
    end = time.monotonic() + 20
    while time.monotonic() < end:
        with suppress(OSError), socket.create_connection(("127.0.0.1", ports["database"]), timeout=5):
            return proxy
        time.sleep(0.1)
    raise AssertionError(proxy.log.read_text()[-2000:])


def _until_up(url: str) -> None:
    end = time.monotonic() + 60
    while time.monotonic() < end:
        with suppress(httpx.HTTPError):
            if httpx.get(f"{url}/readyz", timeout=5).status_code == 200:
                return
        time.sleep(0.1)
    raise AssertionError(f"{url} does not come up")


def _until_seen(admin: Path) -> None:
    """Wait until the proxy knows of both web processes that they are there, as whoever restarts them would."""
    end = time.monotonic() + 60
    while time.monotonic() < end:
        with socket.socket(socket.AF_UNIX) as asked:
            asked.connect(str(admin))
            asked.sendall(b"show stat\n")
            told = b"".join(iter(lambda: asked.recv(65536), b"")).decode()
        rows = [line.split(",") for line in told.splitlines()]
        if sum(row[:1] == ["web"] and row[1] in {"one", "two"} and row[17] == "UP" for row in rows) == 2:
            return
        time.sleep(0.1)
    raise AssertionError(told)


def _scheduled_twice(server: PrivatePostgres) -> list[str]:
    """What takes place by itself and was queued twice for one instant."""
    query = (
        "select task_name, array_agg(id || ' ' || status) from procrastinate_jobs where args ? 'timestamp' "
        "group by task_name, args->>'timestamp' having count(*) > 1"
    )
    with psycopg.connect(server.url("openlatch")) as connection:
        return [f"{name}: {', '.join(jobs)}" for name, jobs in connection.execute(query)]
