"""A real server of calendars that speaks WebDAV ACL (RFC 3744): DAViCal from Debian, by CGI, on loopback."""

from __future__ import annotations

import base64
import http.client
import os
import shutil
import subprocess
import threading
from collections.abc import Mapping
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import psycopg

from openlatch.local.postgres import PrivatePostgres, reachable_folder

__all__ = ["LATCH", "PASSWORD", "Calendars"]

LATCH = "latch"
PASSWORD = "only-for-these-tests"
_SHARE = Path("/usr/share/davical")


class Calendars:
    """The server, with people and groups; whoever runs the tests may do everything to its database."""

    def __init__(self, folder: Path) -> None:
        self._database = PrivatePostgres(reachable_folder(folder / "database"), login="postgres", fast=True)
        self._database.start()
        self._environment = {
            "PGHOST": "127.0.0.1",
            "PGPORT": str(self._database.port),
            "PGPASSWORD": self._database.password,
            "PATH": os.environ["PATH"],
        }
        self._install()
        calendars = self

        class Handler(BaseHTTPRequestHandler):
            def answer(self) -> None:
                calendars.answer(self)

            def log_message(self, format: str, *args: object) -> None:
                """Nothing is said."""

        for method in ("GET", "PUT", "DELETE", "OPTIONS", "PROPFIND", "PROPPATCH", "MKCALENDAR", "ACL", "REPORT"):
            setattr(Handler, f"do_{method}", Handler.answer)
        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.port = self._server.server_port
        self.url = f"http://127.0.0.1:{self.port}/caldav.php"
        self._thread = threading.Thread(target=self._server.serve_forever, daemon=True)
        self._thread.start()
        self.asked: list[tuple[str, str]] = []
        self.person(LATCH, "Open Latch", "latch@kestrelridge.example")
        with self.database() as connection:
            connection.execute(
                "insert into role_member (role_no, user_no) select role_no, user_no from roles, usr "
                "where role_name = 'Admin' and username = %s",
                [LATCH],
            )

    def _install(self) -> None:
        address = self._database.url()
        with psycopg.connect(address, autocommit=True) as connection:
            for role in ("davical_dba", "davical_app"):
                connection.execute(f"create role {role} login superuser password '{self._database.password}'")
            connection.execute("create database davical owner davical_dba template template0 encoding 'UTF8'")
        files = (
            *(Path("/usr/share/awl/dba") / name for name in ("awl-tables.sql", "schema-management.sql")),
            *(_SHARE / "dba" / name for name in ("davical.sql", "caldav_functions.sql", "rrule_functions-8.1.sql")),
            *sorted((_SHARE / "dba" / "views").glob("*.sql")),
            _SHARE / "dba" / "base-data.sql",
        )
        for file in files:
            subprocess.run(
                ["psql", "-qX", "-U", "davical_dba", "-d", "davical", "-f", file],
                env={**self._environment, "PGOPTIONS": "--client-min-messages=error"},
                capture_output=True,
                check=True,
            )

    def database(self) -> psycopg.Connection[tuple[object, ...]]:
        return psycopg.connect(self._database.url("davical", "davical_dba"), autocommit=True)

    def person(self, login: str, name: str, address: str, *, group: bool = False) -> None:
        """Have somebody made, or a group, with a calendar."""
        with self.database() as connection:
            connection.execute(
                "insert into usr (user_no, active, email_ok, username, password, fullname, email, date_format_type) "
                "values (nextval('usr_user_no_seq'), true, now(), %s, %s, %s, %s, 'E')",
                [login, f"**{PASSWORD}", name, address],
            )
            connection.execute(
                "insert into principal (type_id, user_no, displayname, default_privileges) "
                "select %s, user_no, %s, 0::bit(24) from usr where username = %s",
                [3 if group else 1, name, login],
            )
            connection.execute(
                "insert into collection (user_no, parent_container, dav_name, dav_etag, dav_displayname, is_calendar, "
                "created, modified) select user_no, %s, %s, '-1', %s, true, now(), now() from usr where username = %s",
                [f"/{login}/", f"/{login}/calendar/", f"{name}: calendar", login],
            )
            # Open Latch's own login sees and changes what everybody has, as a person who helps them would.
            connection.execute(
                "insert into grants (by_principal, to_principal, privileges) select p.principal_id, l.principal_id, "
                "(~ 0::bit(24)) from dav_principal p, dav_principal l where p.username = %s and l.username = %s",
                [login, LATCH],
            )

    def member(self, group: str, login: str) -> None:
        with self.database() as connection:
            connection.execute(
                "insert into group_member (group_id, member_id) select g.principal_id, m.principal_id "
                "from dav_principal g, dav_principal m where g.username = %s and m.username = %s",
                [group, login],
            )

    def ask(
        self, method: str, path: str, login: str, body: str = "", headers: Mapping[str, str] | None = None
    ) -> tuple[int, str]:
        """What the server answers to somebody who asks for something."""
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=30)
        secret = base64.b64encode(f"{login}:{PASSWORD}".encode()).decode()
        all_headers = {"Authorization": f"Basic {secret}", "Content-Type": "application/xml", **(headers or {})}
        connection.request(method, f"/caldav.php{path}", body.encode(), all_headers)
        answer = connection.getresponse()
        text = answer.read().decode()
        connection.close()
        return answer.status, text

    def answer(self, request: BaseHTTPRequestHandler) -> None:
        """Have the program answer, as CGI says (RFC 3875)."""
        path, _, query = request.path.partition("?")
        self.asked.append((request.command, path.removeprefix("/caldav.php")))
        length = int(request.headers.get("Content-Length") or 0)
        variables = {
            **self._environment,
            "GATEWAY_INTERFACE": "CGI/1.1",
            "REDIRECT_STATUS": "200",
            "SERVER_PROTOCOL": "HTTP/1.1",
            "SERVER_NAME": "127.0.0.1",
            "SERVER_PORT": str(self.port),
            "SERVER_SOFTWARE": "tests",
            "REMOTE_ADDR": "127.0.0.1",
            "DOCUMENT_ROOT": str(_SHARE / "htdocs"),
            "SCRIPT_NAME": "/caldav.php",
            "SCRIPT_FILENAME": str(_SHARE / "htdocs" / "caldav.php"),
            "PATH_INFO": path.removeprefix("/caldav.php"),
            "REQUEST_URI": request.path,
            "QUERY_STRING": query,
            "REQUEST_METHOD": request.command,
            "CONTENT_TYPE": request.headers.get("Content-Type") or "",
            "CONTENT_LENGTH": str(length),
        }
        variables |= {f"HTTP_{name.upper().replace('-', '_')}": value for name, value in request.headers.items()}
        program = shutil.which("php-cgi")
        assert program
        asked = request.rfile.read(length)
        ran = subprocess.run([program], input=asked, env=variables, capture_output=True, check=False)
        head, _, body = ran.stdout.partition(b"\r\n\r\n")
        lines = [line.partition(": ") for line in head.decode("latin-1").split("\r\n")]
        status = next((value for name, _, value in lines if name.lower() == "status"), "200 OK")
        request.send_response(int(status.split()[0]))
        for name, _, value in lines:
            if name and name.lower() not in ("status", "content-length"):
                request.send_header(name, value)
        request.send_header("Content-Length", str(len(body)))
        request.end_headers()
        request.wfile.write(body)

    def stop(self) -> None:
        self._server.shutdown()
        self._server.server_close()
        self._database.stop()
