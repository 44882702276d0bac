"""One PostgreSQL for a whole run, and databases that are copied from what was built in it once.

A template is built by whichever process first asks for it, while the others wait; a copy of it takes a third of a
second, so that every module can have its own.
"""

from __future__ import annotations

import fcntl
import json
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from pathlib import Path
from uuid import uuid4

import psycopg
from psycopg import sql

from openlatch.local.postgres import PrivatePostgres, reachable_folder

LOGIN = "openlatch"


@dataclass(frozen=True)
class Databases:
    """The databases of one run: the folder that all its processes share, and how to reach the server."""

    folder: str
    admin: str
    plain: str
    """the address for the product's own login, up to the name of the database"""

    def to_text(self) -> str:
        return json.dumps(asdict(self))

    @classmethod
    def from_text(cls, text: str) -> Databases:
        return cls(**json.loads(text))

    def url(self, name: str) -> str:
        return f"{self.plain}/{name}"

    def template(self, name: str, build: Callable[[str], None]) -> None:
        """Make sure that there is a template of that name; `build` is given the address of an empty database."""
        done = Path(self.folder) / f"{name}.done"
        with (Path(self.folder) / f"{name}.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            if done.exists():
                return
            self._run("drop database if exists {} with (force)", name)
            self._run("create database {} owner {}", name, LOGIN)
            build(self.url(name))
            done.touch()

    def replace(self, url: str, by: str) -> None:
        """Have a database be a copy of another one; nobody may be connected to either."""
        name, other = url.rpartition("/")[2], by.rpartition("/")[2]
        self._run("drop database {} with (force)", name)
        self._run("create database {} owner {} template {}", name, LOGIN, other)

    @contextmanager
    def copy(self, template: str) -> Iterator[str]:
        """Give the address of a copy of a template, for as long as it is needed."""
        name = f"copy_{uuid4().hex}"
        self._run("create database {} owner {} template {}", name, LOGIN, template)
        try:
            yield self.url(name)
        finally:
            self._run("drop database {} with (force)", name)

    def _run(self, statement: str, *names: str) -> None:
        with psycopg.connect(self.admin, autocommit=True) as connection:
            connection.execute(sql.SQL(statement).format(*map(sql.Identifier, names)))


@contextmanager
def started(folder: Path) -> Iterator[Databases]:
    """Run a server in a folder for as long as it is needed."""
    reachable = reachable_folder(folder)
    server = PrivatePostgres(reachable / "server", login="postgres", fast=True)
    server.start()
    try:
        plain = server.database(LOGIN, LOGIN).rpartition("/")[0]
        shared = reachable / "shared"
        shared.mkdir(exist_ok=True)
        yield Databases(str(shared), server.url(), plain)
    finally:
        server.stop()
