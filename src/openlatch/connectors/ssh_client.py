"""Signing in to a server by SSH with a key, once it has shown the fingerprint that is expected of it."""

from __future__ import annotations

import io
import re
from collections.abc import Mapping

import paramiko

from openlatch.connecting import outgoing
from openlatch.connecting.settings import wrong
from openlatch.connectors.authorized_keys import fingerprint_of
from openlatch.core.providers.ports import Setting
from openlatch.errors import Invalid, ProviderRefused

__all__ = ["HOST_KEY", "connected", "pinned", "private_key"]

HOST_KEY = Setting("host_key", "the server's fingerprint, as ssh-keygen -l shows it")


def pinned(connector: str, settings: Mapping[str, str]) -> str:
    """Return the setting `host_key`, or refuse what is no fingerprint."""
    if not re.fullmatch(r"SHA256:[A-Za-z0-9+/]{43}", settings["host_key"]):
        raise wrong(connector, "host_key", "is not a fingerprint", "Give one as ssh-keygen -l shows it: SHA256:…")
    return settings["host_key"]


def connected(host: str, port: int, user: str, key: paramiko.PKey, host_key: str) -> paramiko.SSHClient:
    """Return a client that is signed in; whoever asks closes it. Errors are those of paramiko, and ProviderRefused."""
    client = paramiko.SSHClient()
    client.set_missing_host_key_policy(_Pinned(host_key))
    try:
        client.connect(
            host,
            port,
            user,
            pkey=key,
            allow_agent=False,
            look_for_keys=False,
            timeout=10,
            banner_timeout=20,
            auth_timeout=20,
            sock=outgoing.connected(host, port, 10),
        )
    except BaseException:
        client.close()
        raise
    return client


def private_key(connector: str, secret: str) -> paramiko.PKey:
    """Return the key that the holder entered; raises Invalid for what is none, or has a passphrase."""
    for kind in (paramiko.Ed25519Key, paramiko.ECDSAKey, paramiko.RSAKey):
        try:
            return kind.from_private_key(io.StringIO(secret.strip() + "\n"))
        except (paramiko.SSHException, ValueError, IndexError):
            continue
    raise Invalid(
        f"The secret of the connector “{connector}” is not a private key without a passphrase. Nothing was added.",
        next_step="Make one for Open Latch alone: ssh-keygen -t ed25519 -N ''",
        errors=[{"at": "secret", "problem": "not a private key"}],
    )


class _Pinned(paramiko.MissingHostKeyPolicy):
    """Only the server with that fingerprint is spoken to."""

    def __init__(self, fingerprint: str) -> None:
        self._fingerprint = fingerprint

    def missing_host_key(self, client: paramiko.SSHClient, hostname: str, key: paramiko.PKey) -> None:
        text = fingerprint_of(key.asbytes())
        if text != self._fingerprint:
            raise ProviderRefused(
                f"{hostname} shows the host key {text}, not {self._fingerprint}. Nothing was sent to it.",
                next_step="Find out why, and only then change host_key.",
            )
