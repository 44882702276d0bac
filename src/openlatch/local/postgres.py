"""A private PostgreSQL in one folder, on loopback, for as long as its starter lives; as root and as a normal user."""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import pwd
import secrets
import shutil
import signal
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import psycopg
from psycopg import sql

from openlatch.errors import Misconfigured
from openlatch.local.ports import kept_port

__all__ = ["PrivatePostgres", "programs", "reachable_folder"]

_PATIENCE = 60
_SPEED = {"fsync": "off", "full_page_writes": "off"}
"""Safe as long as the machine itself runs on: what was committed outlives the death of the server."""


def programs() -> Path:
    """Return the folder of the newest PostgreSQL server programs on this machine."""
    paths = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: int(p.parts[-3]))
    if paths:
        return paths[-1].parent
    there = shutil.which("initdb")
    if there is None:
        raise Misconfigured(
            "There is no PostgreSQL server on this machine.", next_step="Run: apt-get install postgresql"
        )
    return Path(there).parent


def reachable_folder(wanted: Path) -> Path:
    """Return the folder, or one elsewhere if the server's own user could not walk down to it."""
    wanted = wanted.resolve()
    if os.geteuid() != 0:
        return wanted
    closed = [p for p in wanted.parents if p.exists() and not p.stat().st_mode & 0o001]
    if not closed:
        return wanted
    name = hashlib.sha256(str(wanted).encode()).hexdigest()[:12]
    return Path("/var/lib/open-latch") / name


class PrivatePostgres:
    """One server in one folder; `login` is its superuser. `fast` gives up safety for speed, for tests."""

    def __init__(self, folder: Path, *, login: str, fast: bool = False) -> None:
        self.folder = folder
        self.login = login
        self._data = folder / "data"
        self._run = Path(f"/tmp/openlatch-{hashlib.sha256(str(folder).encode()).hexdigest()[:16]}")  # noqa: S108
        self._fast = fast
        self._programs = programs()
        self._process: subprocess.Popen[bytes] | None = None
        self._lock: int | None = None
        self._as_root = os.geteuid() == 0
        self._owner = pwd.getpwnam("postgres") if self._as_root else pwd.getpwuid(os.geteuid())

    @property
    def port(self) -> int:
        return int((self.folder / "port").read_text())

    @property
    def password(self) -> str:
        return (self.folder / "password").read_text()

    def url(self, database: str = "postgres", login: str | None = None, password: str | None = None) -> str:
        """Return the address of a database of this server."""
        return f"postgresql://{login or self.login}:{password or self.password}@127.0.0.1:{self.port}/{database}"

    def start(self) -> None:
        """Start the server, whatever state a former one was left in; returns once it answers."""
        self._prepare()
        self._initialise()
        self._wait_for_former()
        for _ in range(5):
            kept_port(self.folder / "port")
            self._process = self._spawn()
            if self._answers():
                return
        tail = "".join((self.folder / "server.log").read_text().splitlines(keepends=True)[-12:])
        raise Misconfigured(f"PostgreSQL did not start in {self.folder}:\n{tail}", next_step="See its server.log.")

    def stop(self) -> None:
        """Stop the server and wait until it is gone."""
        if self._process is not None and self._process.poll() is None:
            self._process.send_signal(signal.SIGINT)
            with contextlib.suppress(subprocess.TimeoutExpired):
                self._process.wait(_PATIENCE)
        self._process = None
        if self._lock is not None:
            os.close(self._lock)
            self._lock = None
        shutil.rmtree(self._run, ignore_errors=True)

    def crash(self) -> None:
        """Kill every process of the server at once, as a power cut would; `start` recovers it."""
        if self._process is not None and self._process.poll() is None:
            os.killpg(self._process.pid, signal.SIGKILL)
            self._process.wait(_PATIENCE)
        for process in self._users_of_data():  # each back end leads a group of its own
            with contextlib.suppress(ProcessLookupError):
                os.kill(process, signal.SIGKILL)
        self.stop()

    def database(self, name: str, login: str) -> str:
        """Make sure that there is a database owned by a plain login of its own; returns that login's URL."""
        url = self.plain_login(name, login)
        with psycopg.connect(self.url(), autocommit=True) as connection:
            if connection.execute("select 1 from pg_database where datname = %s", [name]).fetchone() is None:
                statement = sql.SQL("create database {} owner {}")
                connection.execute(statement.format(sql.Identifier(name), sql.Identifier(login)))
        return url

    def plain_login(self, name: str, login: str) -> str:
        """Make sure that there is a plain login, which owns nothing yet; returns its URL for a database."""
        secret = self.folder / f"password-{login}"
        if not secret.exists():
            _write_secret(secret, secrets.token_urlsafe(24))
        password = secret.read_text()
        with psycopg.connect(self.url(), autocommit=True) as connection:
            if connection.execute("select 1 from pg_roles where rolname = %s", [login]).fetchone() is None:
                statement = sql.SQL("create role {} login password {}")
                connection.execute(statement.format(sql.Identifier(login), sql.Literal(password)))
        return self.url(name, login, password)

    def _prepare(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        self._lock = os.open(self.folder / "lock", os.O_CREAT | os.O_RDWR, 0o600)
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            os.close(self._lock)
            self._lock = None
            raise Misconfigured(
                f"Another start is using {self.folder}.", next_step="Stop that one first, with Ctrl-C where it runs."
            ) from None
        # The socket's folder lies elsewhere: a socket's path may hold no more than a hundred letters.
        self._run.mkdir(mode=0o700, exist_ok=True)
        if self._as_root:
            for folder in (self.folder, self._run):
                os.chown(folder, self._owner.pw_uid, self._owner.pw_gid)
            self.folder.chmod(0o711)

    def _initialise(self) -> None:
        if (self._data / "PG_VERSION").exists():
            return
        password = self.folder / "password"
        if not password.exists():
            _write_secret(password, secrets.token_urlsafe(24))
        if self._as_root:
            os.chown(password, self._owner.pw_uid, self._owner.pw_gid)
        half_made = self.folder / "data.new"
        shutil.rmtree(half_made, ignore_errors=True)
        shutil.rmtree(self._data, ignore_errors=True)
        options = ["--auth=scram-sha-256", f"--pwfile={password}", "-E", "UTF8", "--locale=C.UTF-8"]
        command = [str(self._programs / "initdb"), "-D", str(half_made), "-U", self.login, *options]
        subprocess.run(
            [*self._as_owner(), *command, *(["--no-sync"] if self._fast else [])],
            check=True,
            cwd="/",
            env=self._environment(),
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
        )
        half_made.rename(self._data)  # in one step: what initdb was killed over never looks finished

    def _spawn(self) -> subprocess.Popen[bytes]:
        options = {
            "listen_addresses": "127.0.0.1",
            "port": str(self.port),
            "unix_socket_directories": str(self._run),
            "shared_buffers": "128MB",
            "max_connections": "100",
            **(_SPEED if self._fast else {}),
        }
        flags = [word for name, value in options.items() for word in ("-c", f"{name}={value}")]
        with (self.folder / "server.log").open("ab") as log:
            return subprocess.Popen(
                [*self._as_owner(), str(self._programs / "postgres"), "-D", str(self._data), *flags],
                cwd="/",
                env=self._environment(),
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,  # Ctrl-C is ours to pass on, in our order
            )

    def _answers(self) -> bool:
        end = time.monotonic() + _PATIENCE
        while time.monotonic() < end and self._process is not None and self._process.poll() is None:
            with contextlib.suppress(psycopg.OperationalError), psycopg.connect(self.url(), connect_timeout=2):
                return True
            time.sleep(0.05)
        return False

    def _wait_for_former(self) -> None:
        """A server whose starter was killed is on its way out; a file that it left says nothing by itself."""
        end = time.monotonic() + _PATIENCE
        while any(self._users_of_data()) and time.monotonic() < end:
            time.sleep(0.1)
        left = list(self._users_of_data())
        if left:
            raise Misconfigured(f"Processes {left} still use {self._data}.", next_step="End them, then start again.")
        (self._data / "postmaster.pid").unlink(missing_ok=True)

    def _users_of_data(self) -> Iterator[int]:
        for entry in Path("/proc").iterdir():
            if entry.name.isdigit():
                with contextlib.suppress(OSError):
                    if (entry / "cwd").samefile(self._data):
                        yield int(entry.name)

    def _as_owner(self) -> list[str]:
        become = [f"--reuid={self._owner.pw_uid}", f"--regid={self._owner.pw_gid}", "--init-groups"]
        return ["setpriv", "--pdeathsig", "INT", *(become if self._as_root else []), "--"]

    def _environment(self) -> dict[str, str]:
        return {"PATH": "/usr/bin:/bin", "LC_ALL": "C.UTF-8", "HOME": str(self.folder)}


def _write_secret(path: Path, secret: str) -> None:
    descriptor = os.open(path, os.O_CREAT | os.O_WRONLY | os.O_EXCL, 0o600)
    with os.fdopen(descriptor, "w") as file:
        file.write(secret)
