"""Keeping a copy of the database elsewhere, and bringing it back as it was at an instant.

A copy is what PostgreSQL's own programs make: all its files, and everything that is written from then on (its
write-ahead log, WAL). Row-level security, which keeps the service's login from seeing whole tables, is no hindrance to
that. The keys that encrypt secrets are in neither: they are kept apart.
"""

from __future__ import annotations

import json
import os
import pwd
import re
import shlex
import shutil
import subprocess
import tempfile
import time
from collections.abc import Iterator, Mapping
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any
from uuid import UUID

import psycopg
from psycopg import conninfo

from openlatch import __version__
from openlatch.core.model import Workspace
from openlatch.core.record import tree
from openlatch.core.record.heads import Head, checked
from openlatch.errors import Conflict, Invalid, Misconfigured, NotFound
from openlatch.local.postgres import programs
from openlatch.operations.call import as_service
from openlatch.operations.record import archive
from openlatch.wiring import Service, Settings, now, through, wire

__all__ = ["Found", "back_up", "keep_wal", "restore"]

SLOT = "open_latch"
"""By this name the server knows that its WAL is kept elsewhere, and throws nothing away before."""
WAL = "wal"
TOLD = "backup.json"
PATIENCE = 24 * 3600
"""Seconds in which a restored database has to have caught up."""
_NAME = "%Y-%m-%dT%H%M%SZ"


@dataclass(frozen=True, slots=True)
class Found:
    """What a restored workspace turned out to be: how many events its log has, and how many entries stand.

    `opens` is whether its secrets can be read with the keys of the service; `broken` is what is wrong with its log.
    """

    name: str
    events: int
    entries: int
    opens: bool
    broken: str


def back_up(given: Settings, folder: Path) -> Path:
    """Copy the database into a new folder within one; returns that. What was copied is checked to be whole.

    Raises:
        Misconfigured: there is no login for it, it may not, or the server's programs are missing.
    """
    login = _Login.of(given)
    with closing(wire(given).store) as store:
        trouble = store.ready()
        if trouble:
            raise Misconfigured(f"Nothing was copied: {trouble}.", next_step="See: openlatch service migrate")
        heads = {}
        for workspace in store.workspaces():
            with store.transaction(workspace.id) as tx:
                head = tx.events.head()
                heads[str(workspace.id)] = {"slug": workspace.slug, "size": head.grown, "root": head.root}
    begun = now()
    made, half = folder / begun.strftime(_NAME), folder / f".{begun.strftime(_NAME)}.new"
    folder.mkdir(parents=True, exist_ok=True)
    try:
        base = half / "base"
        options = ("--checkpoint=fast", "--wal-method=stream")
        login.run("pg_basebackup", "--pgdata", str(base), *options)
        _run("pg_verifybackup", str(base))
        told = {
            "begun": begun.isoformat(),
            "ended": now().isoformat(),
            "version": __version__,
            "heads": heads,
        }
        (half / TOLD).write_text(json.dumps(told, indent=2) + "\n")
        half.rename(made)
    finally:
        shutil.rmtree(half, ignore_errors=True)
    return made


def keep_wal(given: Settings, folder: Path) -> None:
    """Keep all that is written to the database from now on in a folder, until told to stop; replaces this process."""
    login, wal = _Login.of(given), folder / WAL
    wal.mkdir(parents=True, exist_ok=True)
    login.run("pg_receivewal", "--slot", SLOT, "--create-slot", "--if-not-exists")
    program = str(_program("pg_receivewal"))
    options = ("--slot", SLOT, "--directory", str(wal), "--synchronous")
    os.execve(program, [program, "--dbname", login.where, *options], login.environment)  # noqa: S606


def restore(given: Settings, folder: Path, data: Path, until: datetime | None) -> tuple[datetime, list[Found]]:
    """Make a folder of a database as it was at an instant, or as late as it is known, and look whether it holds.

    `folder` holds the copies, `data` must not be there yet. Returns when the copy was made from which it began, and
    what each workspace turned out to be. The database is stopped again, and ready to be started.

    Raises:
        NotFound: no copy was made before that instant.
        Conflict: `data` is there already.
        Invalid: what was written up to that instant is not known.
    """
    if data.exists():
        raise Conflict(f"{data} is there already. Nothing was restored.", next_step="Name a folder that is not there.")
    copy, told = _before(folder, until)
    heads = {UUID(name): Head(int(head["size"]), str(head["root"])) for name, head in told["heads"].items()}
    owner = pwd.getpwnam("postgres") if os.geteuid() == 0 else pwd.getpwuid(os.geteuid())
    try:
        shutil.copytree(copy / "base", data)
        (data / "recovery.signal").touch()
        (data / "postmaster.pid").unlink(missing_ok=True)
        for path in (data, *data.rglob("*")):
            os.chown(path, owner.pw_uid, owner.pw_gid)
        data.chmod(0o700)
        with _written_since(copy, folder / WAL, data, owner) as wal, _running(data, wal, until, owner, given) as there:
            running = wire(there)
            with closing(running.store) as store:
                found = [_look(running, workspace, heads.get(workspace.id)) for workspace in store.workspaces()]
    except BaseException:
        shutil.rmtree(data, ignore_errors=True)
        raise
    return datetime.fromisoformat(told["begun"]), found


@dataclass(frozen=True, slots=True)
class _Login:
    """The login that copies: where it signs in, and an environment with its password, which `ps` does not show."""

    where: str
    environment: Mapping[str, str]

    @classmethod
    def of(cls, given: Settings) -> _Login:
        if not given.backup_url:
            raise Misconfigured(
                "There is no login for copying the database: OPENLATCH_BACKUP_URL is not set.",
                next_step="Make one: create role openlatch_backup login replication password '…'",
            )
        told: dict[str, Any] = conninfo.conninfo_to_dict(given.backup_url)
        password = told.pop("password", None)
        return cls(conninfo.make_conninfo("", **told), {**os.environ, **({"PGPASSWORD": password} if password else {})})

    def run(self, name: str, *arguments: str) -> None:
        """Run a program that signs in; raises Misconfigured with what it said."""
        _run(name, "--dbname", self.where, *arguments, environment=self.environment)


def _before(folder: Path, until: datetime | None) -> tuple[Path, dict[str, Any]]:
    """The latest copy that was whole by an instant."""
    copies = []
    for told in sorted(folder.glob(f"*/{TOLD}")):
        said = json.loads(told.read_text())
        if until is None or datetime.fromisoformat(said["ended"]) <= until:
            copies.append((told.parent, said))
    if not copies:
        when = "" if until is None else f" that was whole by {until.isoformat()}"
        raise NotFound(
            f"There is no copy of the database in {folder}{when}.", next_step="See: openlatch service backup"
        )
    return copies[-1]


@contextmanager
def _written_since(copy: Path, wal: Path, data: Path, owner: pwd.struct_passwd) -> Iterator[Path]:
    """Give a folder with what was kept since a copy was begun, in which the server's own user may read it."""
    if os.geteuid() != 0:
        yield wal
        return
    begun = re.search(r"START WAL LOCATION: \S+ \(file (\w+)\)", (copy / "base" / "backup_label").read_text())
    readable = data.with_name(f".{data.name}.wal")
    shutil.rmtree(readable, ignore_errors=True)
    readable.mkdir(mode=0o700)
    try:
        for file in sorted(wal.iterdir()) if wal.is_dir() else ():
            # Of another line of history, the file that tells of it is needed whenever it is from.
            if begun is None or file.name >= begun[1] or file.suffix == ".history":
                os.chown(shutil.copy(file, readable), owner.pw_uid, owner.pw_gid)
        os.chown(readable, owner.pw_uid, owner.pw_gid)
        yield readable
    finally:
        shutil.rmtree(readable, ignore_errors=True)


@contextmanager
def _running(
    data: Path, wal: Path, until: datetime | None, owner: pwd.struct_passwd, given: Settings
) -> Iterator[Settings]:
    """Have the database catch up to the instant, and run where nobody else reaches it; gives how to reach it."""
    with tempfile.TemporaryDirectory(prefix="openlatch-restore-", dir="/tmp") as name:
        socket = Path(name)
        hba, nothing, log = socket / "hba.conf", socket / "nothing.conf", socket / "server.log"
        hba.write_text("local all all trust\n")  # nobody but its owner reaches the socket's folder
        nothing.touch()
        log.touch()
        for path in (socket, hba, nothing, log):
            os.chown(path, owner.pw_uid, owner.pw_gid)
        kept = shlex.quote(str(wal)).replace("%", "%%")
        settings = {
            "listen_addresses": "",
            "unix_socket_directories": name,
            # Where a distribution keeps the configuration elsewhere, none is in the copy.
            **({} if (data / "postgresql.conf").exists() else {"config_file": str(nothing)}),
            "hba_file": str(hba),
            "ident_file": str(nothing),
            **_limits(data),
            "restore_command": f'cp {kept}/%f "%p" 2>/dev/null || cp {kept}/%f.partial "%p"',
            "recovery_target_action": "promote",
            "archive_mode": "off",
            "ssl": "off",
            **({} if until is None else {"recovery_target_time": until.isoformat()}),
        }
        flags = [word for key, value in settings.items() for word in ("-c", f"{key}={value}")]
        become = [f"--reuid={owner.pw_uid}", f"--regid={owner.pw_gid}", "--init-groups"] if os.geteuid() == 0 else []
        with log.open("ab") as output:
            server = subprocess.Popen(
                ["setpriv", "--pdeathsig", "INT", *become, "--", str(_program("postgres")), "-D", str(data), *flags],
                cwd="/",
                stdin=subprocess.DEVNULL,
                stdout=output,
                stderr=output,
                start_new_session=True,
            )
        try:
            there = through(given, socket)
            _wait(server, there.database_url, log)
            yield there
        finally:
            with suppress(ProcessLookupError):
                server.terminate()
            server.wait()


def _wait(server: subprocess.Popen[bytes], url: str, log: Path) -> None:
    """Wait until all is as it is to be, and can be written to."""
    end = time.monotonic() + PATIENCE
    while server.poll() is None and time.monotonic() < end:
        with suppress(psycopg.OperationalError), psycopg.connect(url, connect_timeout=2) as connection:
            row = connection.execute("select pg_is_in_recovery()").fetchone()
            if row is not None and not row[0]:
                return
        time.sleep(0.2)
    said = "".join(log.read_text(errors="replace").splitlines(keepends=True)[-6:])
    if "before configured recovery target" in said:
        raise Invalid(
            "What was written up to that instant is not known: what was kept ends before it. Nothing was restored.",
            next_step="Name an earlier instant, or none for all that is known; openlatch service keep-wal keeps more.",
        )
    raise Misconfigured(f"The copy could not be started. Nothing was restored. The server said:\n{said}")


def _limits(data: Path) -> dict[str, str]:
    """What the server had at least, and has to have again while it catches up."""
    said = subprocess.run([str(_program("pg_controldata")), str(data)], check=True, capture_output=True, text=True)
    facts = dict(line.partition(":")[::2] for line in said.stdout.splitlines())
    names = {name: f"{name} setting" for name in ("max_connections", "max_worker_processes", "max_wal_senders")}
    names |= {"max_prepared_transactions": "max_prepared_xacts setting"}
    names |= {"max_locks_per_transaction": "max_locks_per_xact setting"}
    return {name: facts[fact].strip() for name, fact in names.items()}


def _look(running: Service, workspace: Workspace, head: Head | None) -> Found:
    """Look whether the log of a restored workspace holds, and whether its secrets can be read."""
    with running.store.transaction(workspace.id) as tx:
        there = tx.events.head()
        start = archive.begins(as_service(tx, running.services))
        heads = [Head(there.grown, there.root)]
        cut = ""
        if head is not None and head.size >= start.size:
            heads.append(head)
        elif head is not None and tree.root(tx.events.nodes(), head.size).hex() != head.root:
            cut = f"something up to event {head.size} is not as it was when the copy was begun"
        log = checked(archive.events_in(tx.events.copy()), heads, start=start)
        opens = True
        for wrapped in tx.data_keys.all().values():
            try:
                running.services.vault.unwrap(wrapped)
            except Misconfigured:
                opens = False
        if (log.held, log.link) != (there.size, there.link):
            cut = f"it says {there.size} events, and has {log.held}"
        return Found(workspace.name, log.held, tx.facts.count(), opens, log.broken.why if log.broken else cut)


def _program(name: str) -> Path:
    program = programs() / name
    if not program.exists():
        raise Misconfigured(f"{name} is not on this machine.", next_step="Run: apt-get install postgresql")
    return program


def _run(name: str, *arguments: str, environment: Mapping[str, str] | None = None) -> None:
    """Run one of the server's programs; raises Misconfigured with what it said."""
    done = subprocess.run(
        [str(_program(name)), *arguments], check=False, capture_output=True, text=True, env=environment
    )
    if done.returncode:
        said = (done.stderr.strip() or done.stdout.strip()).splitlines()[-1:]
        raise Misconfigured(
            f"{name} could not do it: {' '.join(said)}",
            next_step="Check OPENLATCH_BACKUP_URL, and that pg_hba.conf lets that login in for replication.",
        )
