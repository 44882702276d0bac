"""What is backed up and restored is what was there at an instant, on a real server, with the keys kept apart."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from datetime import datetime, timedelta
from pathlib import Path
from uuid import uuid4

import psycopg
import pytest

from openlatch.core.model import Workspace
from openlatch.errors import Conflict, Invalid, Misconfigured, NotFound
from openlatch.local.backup import Found, back_up, restore
from openlatch.local.postgres import PrivatePostgres
from openlatch.operations.call import as_service
from openlatch.operations.credentials import Vault
from openlatch.operations.people import people
from openlatch.operations.record import log
from openlatch.store import Transaction
from openlatch.wiring import Settings, now, wire
from openlatch.words import Role
from tests.harness.ridge import KEY

COMMAND = [sys.executable, "-m", "openlatch.cli", "service"]


def walkable(folder: Path) -> None:
    """Let the server's own user walk down to a folder."""
    for path in (folder, *folder.parents):
        with suppress(PermissionError):
            path.chmod(path.stat().st_mode | 0o011)


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PrivatePostgres]:
    folder = tmp_path_factory.mktemp("kept")
    walkable(folder)
    there = PrivatePostgres(folder / "server", login="keeper", fast=True)
    there.start()
    yield there
    there.stop()


@pytest.fixture(scope="module")
def given(server: PrivatePostgres) -> Settings:
    return Settings(
        database_url=server.database("ledger", "openlatch"),
        backup_url=server.url(),
        secret_keys=[KEY],
        password_memory=256,
    )


@contextmanager
def entered(given: Settings, name: str) -> Iterator[Transaction]:
    with closing(wire(given).store) as store, store.transaction(name) as tx:
        yield tx


def happens(given: Settings, name: str, more: int) -> datetime:
    """Have so many people be asked to a workspace, and all that be sealed; returns an instant after it."""
    running = wire(given)
    with closing(running.store) as store:
        for _ in range(more):
            with store.transaction(name) as tx:
                call = as_service(tx, running.services)
                people.add_first(call, "Edda Brook", f"{uuid4()}@hillfarm.example", Role.OWNER, "a-long-password")
        with store.transaction(name) as tx:
            log.seal(as_service(tx, running.services))
    return now()


def events(given: Settings, name: str) -> list[str]:
    with entered(given, name) as tx:
        return list(tx.events.copy())


@pytest.fixture(scope="module")
def founded(given: Settings) -> tuple[str, str]:
    running = wire(given)
    with closing(running.store) as store:
        store.migrate()
        for slug in ("hill-farm", "mill-farm"):
            workspace = Workspace(running.services.new_id(), slug, "The Farm")
            with store.found(workspace, running.services.clock()) as tx:
                as_service(tx, running.services).keyring()
    return "hill-farm", "mill-farm"


def test_a_database_is_restored_as_it_was_at_an_instant_and_no_later(
    given: Settings, founded: tuple[str, str], tmp_path: Path, server: PrivatePostgres
) -> None:
    walkable(tmp_path)
    hill, mill = founded
    copies = tmp_path / "copies"
    with pytest.raises(NotFound, match="no copy"):
        restore(given, copies, tmp_path / "none", None)
    happens(given, hill, 2)
    environment = {
        "OPENLATCH_DATABASE_URL": given.database_url,
        "OPENLATCH_BACKUP_URL": given.backup_url,
        "OPENLATCH_SECRET_KEYS": KEY,
    }
    with subprocess.Popen([*COMMAND, "keep-wal", str(copies)], env=environment) as keeping:
        try:
            kept_from(server)
            told = Path(f"/proc/{keeping.pid}/cmdline").read_text()
            assert "pg_receivewal" in told
            assert server.password not in told
            subprocess.run([*COMMAND, "backup", str(copies)], env=environment, check=True)
            then = happens(given, mill, 3)
            was = {name: events(given, name) for name in founded}
            happens(given, hill, 4)
            assert len(events(given, hill)) > len(was[hill])
            kept_to(server)
        finally:
            keeping.terminate()
    _, found = restore(given, copies, tmp_path / "then", then)
    # Two of one name: they are told apart by what is in them.
    sizes = sorted(len(was[name]) for name in founded)
    told = [Found("The Farm", size, entries=0, opens=True, broken="") for size in sizes]
    assert sorted(found, key=lambda each: each.events) == told
    with started_on(tmp_path / "then", server, given) as there:
        assert {name: events(there, name) for name in founded} == was
    _, latest = restore(given, copies, tmp_path / "latest", None)
    assert sum(each.events for each in latest) == sum(len(events(given, name)) for name in founded)
    asked_for = [*COMMAND, "restore", str(copies), "--to", str(tmp_path / "locked"), "--until", then.isoformat()]
    locked = subprocess.run(
        asked_for,
        env=environment | {"OPENLATCH_SECRET_KEYS": Vault.new_key()},
        check=False,
        capture_output=True,
        text=True,
    )
    assert locked.returncode == 1
    assert locked.stdout.count("the log holds") == locked.stdout.count("cannot be read with these") == len(founded)
    with pytest.raises(Conflict, match="is there already"):
        restore(given, copies, tmp_path / "latest", then)
    with pytest.raises(NotFound, match="that was whole by"):
        restore(given, copies, tmp_path / "before", then - timedelta(days=1))
    with pytest.raises(Invalid, match="ends before it"):
        restore(given, copies, tmp_path / "after", then + timedelta(days=1))
    assert not (tmp_path / "before").exists()
    assert not (tmp_path / "after").exists()


@pytest.mark.usefixtures("founded")
def test_without_a_login_that_may_copy_nothing_is_made(given: Settings, tmp_path: Path) -> None:
    with pytest.raises(Misconfigured, match="OPENLATCH_BACKUP_URL is not set"):
        back_up(given.model_copy(update={"backup_url": ""}), tmp_path / "copies")
    with pytest.raises(Misconfigured, match="pg_basebackup could not do it"):
        back_up(given.model_copy(update={"backup_url": given.database_url}), tmp_path / "copies")
    assert not list((tmp_path / "copies").iterdir())


def kept_from(server: PrivatePostgres) -> None:
    """Wait until what is written is kept elsewhere."""
    while not asked(server, "select count(*) from pg_stat_replication where state = 'streaming'"):
        time.sleep(0.05)


def kept_to(server: PrivatePostgres) -> None:
    """Wait until all that was written so far is kept elsewhere."""
    with psycopg.connect(server.url(), autocommit=True) as connection:
        row = connection.execute("select pg_current_wal_flush_lsn()::text").fetchone()
    while not asked(server, f"select count(*) from pg_stat_replication where flush_lsn >= '{row[0] if row else ''}'"):
        time.sleep(0.05)


def asked(server: PrivatePostgres, query: str) -> int:
    with psycopg.connect(server.url()) as connection:
        row = connection.execute(query).fetchone()
    return int(row[0]) if row else 0


@contextmanager
def started_on(data: Path, server: PrivatePostgres, given: Settings) -> Iterator[Settings]:
    """Start a server on what was restored, as whoever needs it would, with the passwords that it had then."""
    folder = data.with_name("started")
    folder.mkdir()
    data.rename(folder / "data")
    (folder / "password").write_text(server.password)
    there = PrivatePostgres(folder, login=server.login, fast=True)
    there.start()
    try:
        moved = given.database_url.replace(f":{server.port}/", f":{there.port}/")
        yield given.model_copy(update={"database_url": moved})
    finally:
        there.stop()
