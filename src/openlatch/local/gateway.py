"""A private OpenSSH server in one folder, on loopback, with one shared login; as root and as a normal user.

The login is `nobody` when the starter is root, else the starter's own. It gets no shell, only file transfer, so that
a demo opens no way into the machine.
"""

from __future__ import annotations

import contextlib
import os
import pwd
import shutil
import signal
import subprocess
import threading
import time
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import paramiko

from openlatch.errors import Misconfigured
from openlatch.local.ports import greets, kept_port

__all__ = ["PrivateGateway"]

_PATIENCE = 30
_CONFIG = """
Port {port}
ListenAddress 127.0.0.1
HostKey {folder}/host_key
AuthorizedKeysFile {file}
PidFile none
UsePAM no
PasswordAuthentication no
KbdInteractiveAuthentication no
StrictModes no
PrintMotd no
AllowUsers {login}
Subsystem sftp internal-sftp
ForceCommand internal-sftp
LogLevel INFO
"""


class PrivateGateway:
    """One server in one folder; `now` stamps the lines of its log."""

    def __init__(self, folder: Path, now: Callable[[], datetime]) -> None:
        self.folder = folder
        self._now = now
        self._process: subprocess.Popen[str] | None = None
        self._owner = pwd.getpwnam("nobody") if os.geteuid() == 0 else pwd.getpwuid(os.geteuid())

    @property
    def login(self) -> str:
        return self._owner.pw_name

    @property
    def port(self) -> int:
        return int((self.folder / "port").read_text())

    @property
    def file(self) -> Path:
        """The authorized keys."""
        return self.folder / "keys" / "authorized_keys"

    @property
    def log(self) -> Path:
        """What sshd says, each line with its instant."""
        return self.folder / "keys" / "sshd.log"

    @property
    def host_key(self) -> str:
        """The server's fingerprint."""
        return paramiko.PKey.from_path(self.folder / "host_key").fingerprint

    def start(self, keys: str = "", log: str = "") -> None:
        """Start the server; returns once it answers. `keys` and `log` are what its files begin with."""
        program = shutil.which("sshd", path=f"{os.environ.get('PATH', '')}:/usr/sbin")
        if program is None:
            raise Misconfigured(
                "There is no OpenSSH server on this machine.", next_step="Run: apt-get install openssh-server"
            )
        (self.folder / "keys").mkdir(parents=True, exist_ok=True)
        if not (self.folder / "host_key").exists():
            make = ["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-C", "", "-f", str(self.folder / "host_key")]
            subprocess.run(make, check=True, stdin=subprocess.DEVNULL)
        if not self.file.exists():
            self.log.write_text(log)
            self.file.write_text(keys)
        if os.geteuid() == 0:
            self.folder.chmod(0o711)
            for path in (self.folder / "keys", self.file, self.log):
                os.chown(path, self._owner.pw_uid, self._owner.pw_gid)
            Path("/run/sshd").mkdir(mode=0o755, exist_ok=True)
        port = kept_port(self.folder / "port")
        config = self.folder / "sshd_config"
        config.write_text(_CONFIG.format(port=port, folder=self.folder, file=self.file, login=self.login))
        self._process = subprocess.Popen(
            ["setpriv", "--pdeathsig", "TERM", "--", program, "-D", "-e", "-f", str(config)],
            cwd="/",
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
            text=True,
            start_new_session=True,
        )
        self._keeper = threading.Thread(target=self._keep_log, args=[self._process], daemon=True)
        self._keeper.start()
        self._wait()

    def stop(self) -> None:
        """Stop the server and wait until it is gone."""
        if self._process is not None and self._process.poll() is None:
            self._process.send_signal(signal.SIGTERM)
            with contextlib.suppress(subprocess.TimeoutExpired):
                self._process.wait(_PATIENCE)
        if self._process is not None and self._process.stderr is not None:
            self._keeper.join(_PATIENCE)
            self._process.stderr.close()
        self._process = None

    def lets_in(self, key: paramiko.PKey) -> bool:
        """Return whether the server accepts a key now: it is really tried."""
        with contextlib.closing(paramiko.Transport(("127.0.0.1", self.port))) as transport:
            transport.start_client(timeout=_PATIENCE)
            try:
                transport.auth_publickey(self.login, key)
            except paramiko.AuthenticationException:
                return False
            return transport.is_authenticated()

    def _keep_log(self, process: subprocess.Popen[str]) -> None:
        assert process.stderr is not None  # noqa: S101 - it was asked for
        with self.log.open("a") as log:
            for line in process.stderr:
                log.write(f"{self._now().isoformat(timespec='seconds')} gateway sshd: {line.strip()}\n")
                log.flush()

    def _wait(self) -> None:
        end = time.monotonic() + _PATIENCE
        while time.monotonic() < end and self._process is not None and self._process.poll() is None:
            if greets(self.port, b"SSH-"):
                return
            time.sleep(0.05)
        tail = "".join(self.log.read_text().splitlines(keepends=True)[-12:])
        raise Misconfigured(f"The OpenSSH server did not start in {self.folder}:\n{tail}", next_step="See its log.")
