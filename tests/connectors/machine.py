"""A machine of its own in one folder: a real sshd with sudo and logins, in namespaces that leave this machine as it is.

/etc, /home, /run, /var/log and /usr/local are the folder's, and so are the numbers of processes.
"""

from __future__ import annotations

import io
import os
import shutil
import subprocess
import time
from pathlib import Path

import paramiko
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from openlatch.local.ports import greets, kept_port

__all__ = ["HELPER", "SELF", "Machine", "made_key"]

HELPER = Path(__file__).parents[2] / "docs" / "machine" / "open-latch-machine"
SELF = "latch"
_OWN = ("etc", "home", "run", "var/log", "usr/local")
_SSHD = """
Port {port}
ListenAddress 127.0.0.1
HostKey /etc/ssh/host_key
PidFile none
UsePAM {pam}
PasswordAuthentication no
KbdInteractiveAuthentication no
PermitRootLogin prohibit-password
LogLevel INFO
"""
_SHADOW = "{name}:{field}:20000:0:99999:7::{day}:"


def made_key(comment: str = "") -> tuple[paramiko.PKey, str]:
    """A new key, with its line for a file of authorized keys."""
    form = serialization.PrivateFormat.OpenSSH, serialization.NoEncryption()
    text = Ed25519PrivateKey.generate().private_bytes(serialization.Encoding.PEM, *form).decode()
    key = paramiko.Ed25519Key.from_private_key(io.StringIO(text))
    return key, f"{key.get_name()} {key.get_base64()} {comment}".strip()


class Machine:
    """The machine; its superuser is whoever runs the tests, by `run`."""

    def __init__(self, folder: Path, *, pam: bool = False) -> None:
        self.folder = folder
        for name in _OWN:
            (folder / name).mkdir(parents=True)
        for name in (
            "passwd",
            "group",
            "pam.d",
            "security",
            "login.defs",
            "nsswitch.conf",
            "sudo.conf",
            "alternatives",
        ):
            source = Path("/etc") / name
            if source.is_dir():
                shutil.copytree(source, folder / "etc" / name, symlinks=True)
            elif source.exists():
                shutil.copy(source, folder / "etc" / name)
        self._files()
        (folder / "etc/ssh").mkdir()
        (folder / "run/sshd").mkdir()
        (folder / "usr/local/sbin").mkdir()
        (folder / "var/log/lastlog").touch()
        shutil.copy(HELPER, folder / "usr/local/sbin/open-latch-machine")
        (folder / "usr/local/sbin/open-latch-machine").chmod(0o755)
        subprocess.run(
            ["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-C", "", "-f", folder / "etc/ssh/host_key"], check=True
        )
        self.port = kept_port(folder / "port")
        (folder / "etc/ssh/sshd_config").write_text(_SSHD.format(port=self.port, pam="yes" if pam else "no"))
        self.start()

    def _files(self) -> None:
        etc = self.folder / "etc"
        passwd = [line for line in (etc / "passwd").read_text().splitlines() if int(line.split(":")[2]) < 1000]
        passwd = [line.replace(":/root:", ":/home/root:") for line in passwd]
        (etc / "passwd").write_text("\n".join(passwd) + "\n")
        (etc / "shadow").write_text(
            "".join(_SHADOW.format(name=line.split(":")[0], field="*", day="") + "\n" for line in passwd)
        )
        (etc / "shadow").chmod(0o600)
        sudoers = etc / "sudoers"
        sudoers.write_text("Defaults !use_pty\nroot ALL=(ALL:ALL) ALL\n@includedir /etc/sudoers.d\n")
        sudoers.chmod(0o440)
        (etc / "sudoers.d").mkdir()
        self.rule(SELF, f"{SELF} ALL=(root) NOPASSWD: /usr/local/sbin/open-latch-machine\n")

    def start(self) -> None:
        binds = " && ".join(f"mount --bind {self.folder / name} /{name}" for name in _OWN)
        script = f"{binds} && exec /usr/sbin/sshd -D -E /var/log/auth.log -f /etc/ssh/sshd_config"
        self._process = subprocess.Popen(
            ["unshare", "--mount", "--pid", "--fork", "--kill-child", "--mount-proc", "sh", "-c", script],
            cwd="/",
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
        )
        for _ in range(200):
            if greets(self.port, b"SSH-2.0"):
                return
            time.sleep(0.05)
        self._process.kill()
        raise AssertionError(self._process.communicate()[1].decode())

    def stop(self) -> None:
        self._process.kill()
        self._process.communicate(timeout=30)

    def run(self, command: str) -> str:
        """What a command prints that the superuser runs on the machine."""
        children = Path(f"/proc/{self._process.pid}/task/{self._process.pid}/children").read_text().split()
        inside = ["nsenter", "--mount", "--pid", "--target", children[0], "--", "sh", "-ec", command]
        return subprocess.run(inside, check=True, capture_output=True, text=True, cwd="/").stdout

    def login(self, name: str, *, comment: str = "", groups: str = "", keys: str = "", shell: str = "/bin/sh") -> None:
        """Have a login made, with the keys by which it can sign in."""
        more = f" -G {groups}" if groups else ""
        self.run(f"useradd -m -U -p '*' -c '{comment}' -s {shell}{more} -- '{name}'")
        self.keys(name, keys)

    def keys(self, name: str, keys: str) -> None:
        path = self.folder / "home" / name / ".ssh"
        path.mkdir(exist_ok=True, parents=True)
        (path / "authorized_keys").write_text(keys)
        self.run(f"chown -R {name} ~{name} && chmod -R go-w ~{name}")

    def file(self, name: str) -> str:
        return (self.folder / "home" / name / ".ssh" / "authorized_keys").read_text()

    def rule(self, name: str, text: str) -> None:
        """Have sudo go by a file."""
        path = self.folder / "etc/sudoers.d" / name
        path.write_text(text)
        path.chmod(0o440)

    def signed_in(self, name: str, key: paramiko.PKey) -> paramiko.SSHClient:
        """Somebody who is signed in; raises what paramiko does where they are refused."""
        client = paramiko.SSHClient()
        client.set_missing_host_key_policy(paramiko.AutoAddPolicy())
        client.connect(
            "127.0.0.1", self.port, name, pkey=key, allow_agent=False, look_for_keys=False, timeout=10, auth_timeout=20
        )
        return client

    def does(self, name: str, key: paramiko.PKey, command: str) -> int | None:
        """With which code a command ends that somebody runs; None if they are not let in."""
        try:
            client = self.signed_in(name, key)
        except (paramiko.AuthenticationException, EOFError, paramiko.SSHException):
            return None
        try:
            _, out, _ = client.exec_command(command, timeout=20)
            out.read()
            return out.channel.recv_exit_status()
        finally:
            client.close()

    @property
    def host_key(self) -> str:
        return paramiko.PKey.from_path(self.folder / "etc/ssh/host_key").fingerprint


def possible() -> bool:
    """Whether a machine of its own can be made here: by the superuser only."""
    return os.geteuid() == 0
