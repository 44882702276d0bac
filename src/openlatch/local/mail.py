"""A private Dovecot in one folder, on loopback, for as long as its starter lives; as root and as a normal user."""

from __future__ import annotations

import contextlib
import getpass
import grp
import hashlib
import imaplib
import os
import pwd
import shutil
import signal
import subprocess
import time
from collections.abc import Mapping
from pathlib import Path

from openlatch.errors import Misconfigured
from openlatch.local.ports import greets, kept_port

__all__ = ["PrivateMail"]

_PATIENCE = 30
_CONFIG = """
base_dir = {run}
state_dir = {folder}/state
log_path = {folder}/server.log
protocols = imap
listen = 127.0.0.1
ssl = no
disable_plaintext_auth = no
auth_mechanisms = plain login
mail_location = maildir:{folder}/mail/%u
mail_home = {folder}/home/%u
mail_plugins = acl
first_valid_uid = 1
first_valid_gid = 1
default_internal_user = {internal}
default_internal_group = {internal_group}
default_login_user = {login}
passdb {{
  driver = passwd-file
  args = scheme=PLAIN username_format=%u {folder}/users
}}
userdb {{
  driver = static
  args = uid={owner} gid={group} home={folder}/home/%u
}}
namespace inbox {{
  inbox = yes
  separator = /
}}
namespace shared {{
  type = shared
  separator = /
  prefix = shared/%%u/
  location = maildir:{folder}/mail/%%u
  subscriptions = no
  list = children
}}
protocol imap {{
  mail_plugins = acl imap_acl
}}
plugin {{
  acl = vfile
  acl_anyone = allow
  acl_shared_dict = file:{folder}/home/shared-mailboxes
}}
service imap-login {{
  {chroot}
  inet_listener imap {{
    port = {port}
  }}
  inet_listener imaps {{
    port = 0
  }}
}}
service anvil {{
  {chroot}
}}
service stats {{
  {chroot}
  unix_listener stats-writer {{
    mode = 0666
  }}
}}
"""


class PrivateMail:
    """One mail server in one folder, with these users and their passwords."""

    def __init__(self, folder: Path, users: Mapping[str, str]) -> None:
        self.folder = folder
        self._users = users
        # Elsewhere: a socket's path may hold no more than a hundred letters.
        self._run = Path(f"/tmp/openlatch-mail-{hashlib.sha256(str(folder).encode()).hexdigest()[:16]}")  # noqa: S108
        self._process: subprocess.Popen[bytes] | None = None

    @property
    def port(self) -> int:
        return int((self.folder / "port").read_text())

    def start(self) -> None:
        """Start the server; returns once it answers."""
        program = shutil.which("dovecot", path=f"{os.environ.get('PATH', '')}:/usr/sbin")
        if program is None:
            raise Misconfigured(
                "There is no mail server on this machine.", next_step="Run: apt-get install dovecot-imapd"
            )
        for name in ("state", "mail", "home"):
            (self.folder / name).mkdir(parents=True, exist_ok=True)
        self._run.mkdir(mode=0o755, exist_ok=True)
        lines = [f"{user}:{{PLAIN}}{password}" for user, password in self._users.items()]
        (self.folder / "users").write_text("\n".join(lines) + "\n")
        kept_port(self.folder / "port")
        (self.folder / "dovecot.conf").write_text(self._config())
        self._stop_former()
        with (self.folder / "server.log").open("ab") as log:
            self._process = subprocess.Popen(
                ["setpriv", "--pdeathsig", "TERM", "--", program, "-F", "-c", str(self.folder / "dovecot.conf")],
                cwd="/",
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
            )
        self._wait()

    def stop(self) -> None:
        """Stop the server and wait until it is gone."""
        if self._process is not None and self._process.poll() is None:
            self._process.send_signal(signal.SIGTERM)
            with contextlib.suppress(subprocess.TimeoutExpired):
                self._process.wait(_PATIENCE)
        self._process = None
        shutil.rmtree(self._run, ignore_errors=True)

    def signed_in(self, user: str) -> imaplib.IMAP4:
        """Return a connection of one of the users."""
        server = imaplib.IMAP4("127.0.0.1", self.port, timeout=20)
        server.login(user, self._users[user])
        return server

    def _config(self) -> str:
        if os.geteuid() == 0:
            owner = pwd.getpwnam("mail")
            for folder in (self.folder, self.folder / "mail", self.folder / "home"):
                os.chown(folder, owner.pw_uid, owner.pw_gid)
            self.folder.chmod(0o711)
            names = {"internal": "dovecot", "internal_group": "dovecot", "login": "dovenull", "chroot": ""}
        else:
            owner = pwd.getpwuid(os.geteuid())
            me = getpass.getuser()
            group = grp.getgrgid(owner.pw_gid).gr_name
            names = {"internal": me, "internal_group": group, "login": me, "chroot": "chroot ="}
        return _CONFIG.format(
            run=self._run, folder=self.folder, port=self.port, owner=owner.pw_uid, group=owner.pw_gid, **names
        )

    def _stop_former(self) -> None:
        """A server whose starter was killed is on its way out; wait for it, and forget what it left."""
        left = self._run / "master.pid"
        end = time.monotonic() + _PATIENCE
        while left.exists() and _runs(left) and time.monotonic() < end:
            time.sleep(0.1)
        left.unlink(missing_ok=True)

    def _wait(self) -> None:
        end = time.monotonic() + _PATIENCE
        while time.monotonic() < end and self._process is not None and self._process.poll() is None:
            if greets(self.port, b"* OK"):
                return
            time.sleep(0.05)
        tail = "".join((self.folder / "server.log").read_text().splitlines(keepends=True)[-12:])
        raise Misconfigured(f"The mail server did not start in {self.folder}:\n{tail}", next_step="See its server.log.")


def _runs(pid_file: Path) -> bool:
    with contextlib.suppress(OSError, ValueError):
        return "dovecot" in (Path("/proc") / pid_file.read_text().strip() / "comm").read_text()
    return False
