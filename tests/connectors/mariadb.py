"""A real MariaDB server in one folder, on loopback."""

from __future__ import annotations

import os
import shutil
import subprocess
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

import pymysql
from pymysql.cursors import DictCursor

from openlatch.local.ports import kept_port

__all__ = ["PASSWORD", "MariaDb"]

PASSWORD = "only-for-these-tests"


class MariaDb:
    """The server; its root has a password and may do everything."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.port = kept_port(folder / "port")
        user = "root" if os.geteuid() == 0 else os.environ["USER"]
        data = folder / "data"
        subprocess.run(
            [
                "mariadb-install-db",
                "--no-defaults",
                f"--datadir={data}",
                f"--user={user}",
                "--auth-root-authentication-method=normal",
                "--skip-test-db",
            ],
            check=True,
            capture_output=True,
        )
        server = shutil.which("mariadbd", path=f"{os.environ.get('PATH', '')}:/usr/sbin")
        with (folder / "log").open("wb") as log:
            self._process = subprocess.Popen(
                [
                    str(server),
                    "--no-defaults",
                    f"--datadir={data}",
                    f"--socket={folder / 's'}",
                    f"--pid-file={folder / 'pid'}",
                    f"--port={self.port}",
                    f"--user={user}",
                    "--bind-address=127.0.0.1",
                    "--skip-name-resolve",
                    "--innodb-buffer-pool-size=16M",
                    "--innodb-flush-log-at-trx-commit=0",
                ],
                stdout=log,
                stderr=log,
            )
        for _ in range(400):
            with suppress(pymysql.err.OperationalError):
                self._root = self.connection("root", "")
                break
            time.sleep(0.05)
        else:
            raise AssertionError((folder / "log").read_text())
        for host in ("localhost", "127.0.0.1", "::1"):
            self.does(f"alter user root@'{host}' identified by '{PASSWORD}'")

    def connection(self, user: str, password: str = PASSWORD) -> pymysql.Connection[Any]:
        return pymysql.connect(
            host="127.0.0.1", port=self.port, user=user, password=password, autocommit=True, cursorclass=DictCursor
        )

    def does(self, *statements: str) -> list[dict[str, Any]]:
        """What root is answered to the last of these."""
        with self._root.cursor() as cursor:
            for statement in statements:
                cursor.execute(statement)
            return list(cursor.fetchall())

    def may(self, user: str, statement: str) -> bool | None:
        """Whether the server lets somebody do this; None if it does not let them in."""
        try:
            connection = self.connection(user)
        except pymysql.err.OperationalError:
            return None
        try:
            with connection.cursor() as cursor:
                cursor.execute(statement)
        except pymysql.err.MySQLError:
            return False
        finally:
            connection.close()
        return True

    def stop(self) -> None:
        self._process.terminate()
        self._process.wait(60)
