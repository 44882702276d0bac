"""Which service is spoken to: from the environment, or from what `openlatch sign-in` kept."""

from __future__ import annotations

import json
import os
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import click
import httpx
from platformdirs import user_config_path

from openlatch.client import Client
from openlatch.client.address import service_address
from openlatch.errors import NotSignedIn
from openlatch.wire import messages as wire

__all__ = [
    "Carrier",
    "all_kept",
    "client_of",
    "connect",
    "forget",
    "keep",
    "kept",
    "sign_in",
    "switch",
    "token_for",
    "workspace_zone",
]

_ZONE = "openlatch.zone"


@dataclass(frozen=True, slots=True)
class Carrier:
    """What carries the requests of a command, and waits between them; whoever runs commands can give another."""

    transport: httpx.BaseTransport | None = None
    pause: Callable[[float], None] = time.sleep


def _carrier() -> Carrier:
    return click.get_current_context().find_object(Carrier) or Carrier()


def client_of(server: str, token: str) -> Client:
    """Return a client of a service, which asks for the password where somebody is there to give it."""
    by = _carrier()
    password = _password if sys.stdin.isatty() else None
    return Client(server, token, password=password, transport=by.transport, pause=by.pause)


def sign_in(server: str, **said: Any) -> tuple[Client, wire.TokenSecret]:
    """Make a token at a service with a password; see Client.sign_in."""
    by = _carrier()
    return Client.sign_in(server, **said, transport=by.transport, pause=by.pause)


def _path() -> Path:
    return Path(os.environ.get("OPENLATCH_SIGN_IN", user_config_path("openlatch") / "sign-in.json"))


def kept() -> dict[str, str] | None:
    """Return what is kept of the present sign-in, or None."""
    every = all_kept()
    return every[0] if every else None


def all_kept() -> list[dict[str, str]]:
    """Return every sign-in that is kept, one for each holder, the present one first."""
    try:
        value = json.loads(_path().read_text())
    except (FileNotFoundError, ValueError):
        return []
    return [{k: v for k, v in value.items() if k != "others"}, *value.get("others", [])]


def keep(server: str, token: str, token_id: str, workspace: str) -> Path:
    """Keep a sign-in where only its owner can read it, as the present one; those for other holders stay beside it."""
    made = {"server": server, "token": token, "token_id": token_id, "workspace": workspace}
    others = [
        sign_in_kept
        for sign_in_kept in all_kept()
        if (sign_in_kept.get("server"), sign_in_kept.get("workspace")) != (server, workspace)
    ]
    return _write([made, *others])


def switch(workspace: str) -> bool:
    """Make the sign-in for a holder the present one; returns whether there is one."""
    every = all_kept()
    chosen = [sign_in_kept for sign_in_kept in every if sign_in_kept.get("workspace") == workspace]
    if chosen:
        _write([*chosen, *(sign_in_kept for sign_in_kept in every if sign_in_kept not in chosen)])
    return bool(chosen)


def _write(every: list[dict[str, str]]) -> Path:
    path = _path()
    path.parent.mkdir(parents=True, exist_ok=True)
    half = path.with_suffix(".new")
    half.unlink(missing_ok=True)
    with os.fdopen(os.open(half, os.O_CREAT | os.O_WRONLY | os.O_EXCL, 0o600), "w") as file:
        json.dump({**every[0], "others": every[1:]}, file)
    half.rename(path)
    return path


def forget() -> None:
    """Forget the present sign-in; of others that are kept, the next one takes its place."""
    others = all_kept()[1:]
    if others:
        _write(others)
    else:
        _path().unlink(missing_ok=True)


def connect() -> Client:
    """Return a client: of OPENLATCH_SERVER and OPENLATCH_TOKEN if they are set, else of the sign-in that is kept.

    A kept token goes to no other service than to the one that made it.
    """
    server, token = os.environ.get("OPENLATCH_SERVER", ""), os.environ.get("OPENLATCH_TOKEN", "")
    if server and not token:
        token = token_for(server)
    elif not token:
        sign_in_kept = kept() or {}
        server, token = sign_in_kept.get("server", ""), sign_in_kept.get("token", "")
    if not server or not token:
        where = f" at {server}" if server else " here"
        raise NotSignedIn(
            f"Nobody is signed in{where}.",
            next_step=f"Sign in with: openlatch sign-in {server or 'http://127.0.0.1:8480'}",
        )
    return client_of(server, token)


def workspace_zone() -> str:
    """Return the zone in which days are told: that of the workspace; asked for once a command, and only if needed."""
    meta = click.get_current_context().meta
    if _ZONE not in meta:
        with connect() as client:
            meta[_ZONE] = client.me().workspace.zone
    text: str = meta[_ZONE]
    return text


def token_for(server: str) -> str:
    """Return the token of whoever is signed in to a service, or nothing if nobody is signed in to that one."""
    wanted = service_address(server)
    made_there = (
        sign_in_kept
        for sign_in_kept in all_kept()
        if sign_in_kept.get("server") and service_address(sign_in_kept["server"]) == wanted
    )
    return next((sign_in_kept.get("token", "") for sign_in_kept in made_there), "")


def _password() -> str:
    click.echo("This needs your password, which you have not given lately. Nothing was changed so far.")
    given: str = click.prompt("Your password", hide_input=True)
    return given
