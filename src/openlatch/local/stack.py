"""Everything together: the databases, every provider of the observatory, the service, a worker, people connected."""

from __future__ import annotations

import contextlib
import json
import os
import secrets
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

import httpx
import psycopg

from openlatch.demo import catalogue, desk, feeds, protocols
from openlatch.demo.cast import DOMAIN
from openlatch.demo.seed import Outside, seed
from openlatch.errors import Misconfigured
from openlatch.local.gateway import PrivateGateway
from openlatch.local.mail import PrivateMail
from openlatch.local.ports import kept_port
from openlatch.local.postgres import PrivatePostgres, reachable_folder
from openlatch.operations.credentials import Passwords, Vault
from openlatch.wiring import Service, Settings, migrated, now, wire

__all__ = ["Stack"]

LOOPBACK = ("127.0.0.0/8", "::1/128")
"""where the stand-ins are"""
_PATIENCE = 60
Say = Callable[[str], None]


@dataclass
class Stack:
    """The whole product on one machine, in one folder; a context manager that leaves no process behind.

    `fast` gives up the safety of the databases and of passwords for speed, for tests and the tour. `seeded` founds
    Kestrel Ridge and its providers. `database` is one that runs elsewhere, empty; without `serving` there is neither
    service nor worker, only what they would work with.
    """

    folder: Path
    fast: bool = False
    seeded: bool = True
    port: int = 0
    database: str = ""
    serving: bool = True
    say: Say = lambda _text: None
    _closing: contextlib.ExitStack = field(default_factory=contextlib.ExitStack)
    _processes: dict[str, subprocess.Popen[bytes]] = field(default_factory=dict)

    def __enter__(self) -> Stack:
        self.folder = reachable_folder(self.folder)
        self.folder.mkdir(parents=True, exist_ok=True)
        self._secrets = self._kept_secrets()
        try:
            self._start()
        except BaseException:
            self._closing.close()
            raise
        return self

    def __exit__(self, *_: object) -> None:
        self._closing.close()

    @property
    def url(self) -> str:
        """The address of the service: by name, since passkeys belong to one."""
        return f"http://localhost:{self.port}"

    @property
    def environment(self) -> Mapping[str, str]:
        """The settings with which the product's processes run, for whoever starts more of them."""
        return self._environment

    @property
    def processes(self) -> Mapping[str, int]:
        """The ids of the processes that run, by name."""
        return {name: process.pid for name, process in self._processes.items()}

    def stand_in_url(self, name: str) -> str:
        """The address of a stand-in: `desk`, `dome`, `archive`, `sky`, `roll`, `box` or `bell`."""
        return f"http://127.0.0.1:{(self.folder / f'{name}.port').read_text()}"

    def stand_in_headers(self, name: str) -> Mapping[str, str]:
        """What a stand-in wants to see of whoever sets its faults."""
        return {"Authorization": f"Bearer {self._secrets[name]}"}

    def secret(self, name: str) -> str:
        """A secret of this folder, such as `mail:front.office`."""
        return self._secrets[name]

    @property
    def letters(self) -> Path:
        """The folder in which every letter that Open Latch sent lies as a file."""
        return self.folder / "post"

    @property
    def mail(self) -> PrivateMail:
        """The mail server of the front office."""
        return self._mail

    @property
    def gateway(self) -> PrivateGateway:
        """The OpenSSH server of the domes."""
        return self._gateway

    @property
    def gateway_key(self) -> str:
        """The private key with which Open Latch signs in to the gateway."""
        return (self.folder / "gateway-key").read_text()

    def catalogue_url(self, login: str) -> str:
        """The address of the Plate Catalogue for one of its logins."""
        return self._catalogue.url(catalogue.DATABASE, login, self._secrets[f"catalogue:{login}"])

    def product_url(self) -> str:
        """The address of the product's database for its keeper, who may see and copy all of it."""
        return self._product.url("openlatch")

    def catalogue_admin_url(self) -> str:
        """The address of the Plate Catalogue for its keeper."""
        return self._catalogue.url(catalogue.DATABASE)

    def kill(self, name: str) -> None:
        """End a process and its children at once, as a power cut would: `web`, `worker`, `desk` or `stand-ins`.

        A child that outlived its parent would go on answering for a moment, and pass for the one started next.
        """
        process = self._processes.pop(name)
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()

    def crash_database(self) -> None:
        """Kill the product's database at once, and start it again as it was left."""
        self._product.crash()
        self._product.start()

    def start_web(self) -> None:
        """Start the service and wait until it is ready."""
        self._run("web", "-m", "openlatch.cli", "service", "serve")
        self._wait("web", f"{self.url}/readyz")

    def start_worker(self) -> None:
        """Start a worker."""
        self._run("worker", "-m", "openlatch.cli", "service", "work")

    def start_desk(self) -> None:
        """Start the stand-in for Ticket Desk and wait until it answers."""
        self._start_stand_ins("desk", {"desk": ("feed", desk.inventory)})

    def _start_stand_ins(self, process: str, wanted: Mapping[str, tuple[str, Callable[[datetime], object]]]) -> None:
        """Start stand-ins in one process; what each begins with is made once, then kept."""
        served = []
        for name, (protocol, begin) in wanted.items():
            load = self.folder / f"{name}.json"
            if not load.exists():
                load.write_text(json.dumps(begin(now())))
            port = kept_port(self.folder / f"{name}.port")
            state = str(self.folder / f"{name}.sqlite")
            served.append(
                {"protocol": protocol, "state": state, "load": str(load), "port": port, "token": self._secrets[name]}
            )
        plan = self.folder / f"{process}-served.json"
        plan.touch(mode=0o600)
        plan.write_text(json.dumps(served))
        self._run(process, "-m", "openlatch.simulator", str(plan))
        for name in wanted:
            self._wait(process, f"{self.stand_in_url(name)}/effects", self.stand_in_headers(name))

    @property
    def service(self) -> Service:
        """The service as the web and worker processes have it, for whoever wants to look behind them."""
        return self._service

    def _start(self) -> None:
        owner = url = self.database
        if not url:
            self.say("starting PostgreSQL")
            self._product = self._server("product", "postgres")
            owner = self._product.database("openlatch", "openlatch")
            url = self._product.plain_login("openlatch", "openlatch_service")
        memory = Passwords.LEAST if self.fast else Passwords.FULL
        self._environment = {
            "OPENLATCH_DATABASE_URL": url,
            "OPENLATCH_SECRET_KEYS": self._secrets["key"],
            "OPENLATCH_PORT": str(kept_port(self.folder / "port", self.port)),
            "OPENLATCH_LOG_FORMAT": "text",
            "OPENLATCH_PASSWORD_MEMORY": str(memory),
        }
        self.port = int(self._environment["OPENLATCH_PORT"])
        self._environment |= {
            "OPENLATCH_CONSOLE_URL": self.url,
            "OPENLATCH_PERMITTED_NETWORKS": ",".join(LOOPBACK),
            "OPENLATCH_MAIL_URL": f"smtp://127.0.0.1:{kept_port(self.folder / 'post.port')}",
            "OPENLATCH_MAIL_FROM": f"open-latch@{DOMAIN}",
        }
        given = Settings(
            database_url=url,
            owner_url=owner,
            secret_keys=[self._secrets["key"]],
            log_format="text",
            console_url=self.url,
            permitted_networks=list(LOOPBACK),
            mail_url=self._environment["OPENLATCH_MAIL_URL"],
            mail_from=self._environment["OPENLATCH_MAIL_FROM"],
            password_memory=memory,
        )
        migrated(given)
        self._service = wire(given)
        self._closing.callback(self._service.store.close)
        if self.seeded:
            self.say("starting the observatory's providers")
            self._start_providers()
            bell = f"{self.stand_in_url('bell')}/hook"
            seed(self._service.store, self._service.services, self._outside(), bell)
        if not self.serving:
            return
        self._run(
            "post", "-m", "openlatch.simulator.mail", str(self.letters), str(kept_port(self.folder / "post.port"))
        )
        self.say("starting the service and a worker")
        self.start_worker()
        self.start_web()

    def _start_providers(self) -> None:
        self._catalogue = self._server("catalogue", "keeper")
        self._build_catalogue()
        for login, program in catalogue.SESSIONS.items():
            # Someone whose access was taken back stays out at the next start too.
            with contextlib.suppress(psycopg.OperationalError):
                connection = psycopg.connect(self.catalogue_url(login), application_name=program, autocommit=True)
                self._closing.callback(connection.close)
        self.start_desk()
        self._start_stand_ins(
            "stand-ins",
            {
                "dome": ("feed", self._dome),
                "archive": ("feed", feeds.plate_archive),
                "sky": ("feed", feeds.live_sky),
                "roll": ("scim", protocols.volunteer_roll),
                "box": ("oauth", lambda at: self._box(at).load),
                "bell": ("listener", lambda _: {}),
            },
        )
        self._start_mail()
        self._start_gateway()

    def _dome(self, at: datetime) -> dict[str, Any]:
        return feeds.dome_control(at) | ({"connects_after": 0} if self.fast else {})

    def _box(self, at: datetime) -> protocols.Box:
        tokens = {app: self._secrets[f"box:{app}"] for app in protocols.APPS}
        return protocols.donation_box(at, self._secrets["box"], tokens)

    def _start_mail(self) -> None:
        users = {user: self._secrets[f"mail:{user}"] for user in protocols.MAIL_USERS}
        self._mail = PrivateMail(self.folder / "mail", users)
        self._closing.callback(self._mail.stop)
        self._mail.start()
        built = self.folder / "mail" / "built"
        if built.exists():
            return
        with self._mail.signed_in(protocols.MAILBOX_OWNER) as server:
            for box, access in protocols.access_lists().items():
                server.create(f'"{box}"')
                for identifier, rights in access.items():
                    server.setacl(f'"{box}"', identifier, rights)
        built.touch()

    def _start_gateway(self) -> None:
        private = self.folder / "gateway-key"
        if not private.exists():
            make = ["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-C", "", "-f", str(private)]
            subprocess.run(make, check=True, stdin=subprocess.DEVNULL)
        self._gateway = PrivateGateway(self.folder / "gateway", now)
        self._closing.callback(self._gateway.stop)
        public = " ".join(private.with_suffix(".pub").read_text().split()[:2])
        keys, log = protocols.gateway_files(now(), public)
        self._gateway.start(keys, log.replace("LOGIN", self._gateway.login))

    def _server(self, name: str, login: str) -> PrivatePostgres:
        server = PrivatePostgres(self.folder / name, login=login, fast=self.fast)
        self._closing.callback(server.stop)
        server.start()
        return server

    def _build_catalogue(self) -> None:
        with psycopg.connect(self._catalogue.url(), autocommit=True) as server:
            there = server.execute("select 1 from pg_database where datname = %s", [catalogue.DATABASE]).fetchone()
            if there is not None:
                return
            # Built under another name: what a killed start left half done is never taken for the real thing.
            server.execute("drop database if exists half_built")
            for (role,) in server.execute(
                "select quote_ident(rolname) from pg_roles where rolname !~ '^pg_' and rolname <> current_user"
            ).fetchall():
                server.execute(f"drop role {role}")
            server.execute("create database half_built")
            server.execute(f"comment on role keeper is 'Catalogue keeper <keeper@{DOMAIN}>'")
            passwords = {login: self._secrets[f"catalogue:{login}"] for login in catalogue.logins()}
            with psycopg.connect(self._catalogue.url("half_built")) as built:
                for statement in catalogue.statements(passwords, now()):
                    built.execute(statement)
            server.execute(f"alter database half_built rename to {catalogue.DATABASE}")

    def _outside(self) -> tuple[Outside, ...]:
        settings = {
            "host": "127.0.0.1",
            "port": str(self._catalogue.port),
            "database": catalogue.DATABASE,
            "user": catalogue.LATCH,
        }
        mail = {"host": "127.0.0.1", "port": str(self._mail.port), "user": protocols.MAILBOX_OWNER}
        gateway = {"host": "127.0.0.1", "port": str(self._gateway.port), "user": self._gateway.login}
        gateway |= {"host_key": self._gateway.host_key, "file": str(self._gateway.file), "log": str(self._gateway.log)}
        sky = {"url": self.stand_in_url("sky"), "description": feeds.live_sky_described()}
        roll = {"url": self.stand_in_url("roll"), "account": "People Directory"}
        return (
            *(
                Outside(name, "feed", {"url": self.stand_in_url(key)}, self._secrets[key])
                for name, key in (
                    ("Dome Control", "dome"),
                    ("Plate Archive", "archive"),
                    ("Ticket Desk", "desk"),
                )
            ),
            Outside("Live Sky", "described", sky, self._secrets["sky"]),
            Outside(
                "Donation Box", "oauth", {"issuer": self.stand_in_url("box"), "domain": DOMAIN}, self._box(now()).secret
            ),
            Outside("Volunteer Roll", "scim", roll, self._secrets["roll"]),
            Outside(
                "Front Office Mail",
                "imap",
                mail | {"tls": "none", "domain": DOMAIN},
                self._secrets[f"mail:{protocols.MAILBOX_OWNER}"],
            ),
            Outside("Plate Catalogue", "postgres", settings, self._secrets[f"catalogue:{catalogue.LATCH}"]),
            Outside("Dome Gateway", "ssh", gateway | {"account": "Dome shared login"}, self.gateway_key),
        )

    def _kept_secrets(self) -> dict[str, str]:
        """The secrets of this folder: made once, then kept."""
        path = self.folder / "secrets.json"
        if not path.exists():
            names = [
                *("desk", "dome", "archive", "sky", "roll", "box", "bell"),
                *(f"box:{app}" for app in protocols.APPS),
                *(f"mail:{user}" for user in protocols.MAIL_USERS),
                *(f"catalogue:{login}" for login in catalogue.logins()),
            ]
            made = {name: secrets.token_hex(18) for name in names} | {"key": Vault.new_key()}
            half = path.with_suffix(".new")
            half.write_text(json.dumps(made))
            half.chmod(0o600)
            half.rename(path)
        kept: dict[str, str] = json.loads(path.read_text())
        return kept

    def _run(self, name: str, *arguments: str) -> None:
        with (self.folder / f"{name}.log").open("ab") as log:
            process = subprocess.Popen(
                ["setpriv", "--pdeathsig", "KILL", "--", sys.executable, *arguments],
                env=os.environ | self._environment,
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
            )
        self._processes[name] = process
        self._closing.callback(self._end, process)

    def _end(self, process: subprocess.Popen[Any]) -> None:
        if process.poll() is None:
            process.send_signal(signal.SIGTERM)
            try:
                process.wait(15)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()

    def _wait(self, name: str, url: str, headers: Mapping[str, str] | None = None) -> None:
        end = time.monotonic() + _PATIENCE
        while time.monotonic() < end and self._processes[name].poll() is None:
            with contextlib.suppress(httpx.HTTPError):
                if httpx.get(url, headers=dict(headers or {}), timeout=2).status_code == 200:
                    return
            time.sleep(0.05)
        log = self.folder / f"{name}.log"
        tail = "\n".join(log.read_text().splitlines()[-15:])
        raise Misconfigured(f"The process “{name}” did not start:\n{tail}", next_step=f"Read {log}.")

    def dead(self) -> list[str]:
        """Return the processes that have ended although nobody ended them."""
        return [name for name, process in self._processes.items() if process.poll() is not None]

    def remove(self) -> None:
        """Delete the folder; only once the stack is closed."""
        shutil.rmtree(self.folder, ignore_errors=True)
