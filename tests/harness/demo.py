"""Kestrel Ridge as it was read once in this run, copied for whoever needs it untouched."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import psycopg

from openlatch.local.stack import Stack
from openlatch.simulator import STAND_INS
from openlatch.wiring import now
from tests.harness.databases import Databases
from tests.harness.furniture import Furniture, furnish
from tests.harness.ridge import Ridge, ridge_on, service_on

Template = Callable[[Databases], str]
FEEDS = ("desk", "dome", "archive", "sky")
SPOKEN = dict.fromkeys(FEEDS, "feed") | {"roll": "scim", "box": "oauth", "bell": "listener"}
"""The stand-ins of the demo, and what each speaks; its three real servers are away once the demo was read."""


def schema(databases: Databases) -> str:
    """The name of a template with nothing in it but the schema."""

    def build(url: str) -> None:
        service = service_on(url)
        service.store.migrate()
        service.store.close()
        as_if_working(url)

    databases.template("schema", build)
    return "schema"


def demo(databases: Databases) -> str:
    """The name of a template with the demo in it, every provider read."""

    def build(url: str) -> None:
        folder = Path(databases.folder) / "demo"
        with Stack(folder, fast=True, database=url, serving=False) as stack:
            read_everything(stack)
            (folder / "read-at").write_text(now().isoformat())
        as_if_working(url)
        with psycopg.connect(url, autocommit=True) as connection:
            connection.execute("analyze")

    databases.template("demo", build)
    return "demo"


def as_if_working(url: str) -> None:
    """Have it look as if a worker were there: what is queued is run by the tests themselves."""
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("insert into procrastinate_workers (last_heartbeat) values ('2100-01-01T00:00:00Z')")


def read_everything(stack: Stack) -> None:
    """Read every provider; those that know people by no more than a login come last.

    Whoever is first says what someone is called.
    """
    ridge = ridge_on(stack.service, now())
    for name in SPOKEN:
        ridge.transport.serve(stack.stand_in_url(name), STAND_INS[SPOKEN[name]](*kept(stack.folder, name)))
    with ridge.client() as client:
        for late in (False, True):
            some = [p for p in client.providers() if not p.by_hand and (p.connector in LOGINS) is late]
            for provider in some:
                last = list(client.follow_reading(client.read(str(provider.id)).id))[-1]
                assert last.state == "complete", last.trouble
        ridge.drain()
        for token in client.tokens():
            client.revoke_token(token.id)
    ridge.close()


LOGINS = frozenset({"imap", "ssh", "postgres"})


def kept(folder: Path, name: str) -> tuple[Path, Path, str]:
    """The state, the beginning and the token of a stand-in in a folder of the demo."""
    return folder / f"{name}.sqlite", folder / f"{name}.json", secrets(folder)[name]


def secrets(folder: Path) -> dict[str, str]:
    """The secrets of the demo in a folder, its vault's key among them."""
    texts: dict[str, str] = json.loads((folder / "secrets.json").read_text())
    return texts


def furnished(databases: Databases) -> str:
    """The name of a template with the demo in it, as it was read, and one of each thing on top."""
    demo(databases)

    def build(url: str) -> None:
        folder = Path(databases.folder) / "furnished"
        folder.mkdir(exist_ok=True)
        with databases.copy("demo") as copied, _running(databases, copied, folder, "demo") as made:
            things = furnish(made)
            made.close()
            (folder / "things.json").write_text(json.dumps(things.as_mapping()))
            (folder / "read-at").write_text(made.clock.now.isoformat())
            databases.replace(url, copied)

    databases.template("furnished", build)
    return "furnished"


def furniture(databases: Databases) -> Furniture:
    """What there is on top in a furnished demo."""
    return Furniture(**json.loads((Path(databases.folder) / "furnished" / "things.json").read_text()))


@contextmanager
def ridge(databases: Databases, folder: Path, template: Template = demo) -> Iterator[Ridge]:
    """A copy of the demo as it was read, with stand-ins of its own."""
    name = template(databases)
    with databases.copy(name) as url, _running(databases, url, folder, name) as made:
        yield made


@contextmanager
def _running(databases: Databases, url: str, folder: Path, name: str) -> Iterator[Ridge]:
    original, states = Path(databases.folder) / "demo", Path(databases.folder) / name
    began = datetime.fromisoformat((states / "read-at").read_text())
    made = ridge_on(service_on(url, secrets(original)["key"]), began + timedelta(minutes=1))
    for text, protocol in SPOKEN.items():
        _, load, token = kept(original, text)
        own = folder / f"{text}.sqlite"
        shutil.copy(states / f"{text}.sqlite", own)
        address = f"http://127.0.0.1:{(original / f'{text}.port').read_text()}"
        made.transport.serve(address, STAND_INS[protocol](own, load, token))
        made.stand_ins[text] = (address, token)
    try:
        yield made
    finally:
        made.close()


@contextmanager
def blank(databases: Databases, founding: str = "") -> Iterator[Ridge]:
    """The product on a database with nothing in it, and the code with which its first workspace can be founded."""
    with databases.copy(schema(databases)) as url:
        service = service_on(url)
        made = ridge_on(replace(service, services=replace(service.services, founding=founding)), now())
        try:
            yield made
        finally:
            made.close()
