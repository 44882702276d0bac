"""Which service is spoken to: from the environment, or from what `openlatch sign-in` kept under a profile."""

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

from openlatch.cli.config import folder, profile
from openlatch.cli.failure import Failure
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
    "token_for",
    "use",
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
    """Return a client of a service, which asks for the password where someone is there to give it."""
    by = _carrier()
    password = _password if sys.stdin.isatty() else None
    return Client(server, token, password=password, transport=by.transport, pause=by.pause, heed=_Once())


class _Once:
    """Prints what keeps something waiting, the first time that it is said."""

    def __init__(self) -> None:
        self._said: set[str] = set()

    def __call__(self, text: str) -> None:
        if text not in self._said:
            self._said.add(text)
            click.echo(f"It waits. {text}", err=True)


def sign_in(server: str, **said: Any) -> tuple[Client, wire.TokenSecret]:
    """Make a token at a service with a password; see Client.sign_in."""
    by = _carrier()
    return Client.sign_in(server, **said, transport=by.transport, pause=by.pause)


def _path() -> Path:
    named = os.environ.get("OPENLATCH_SIGN_IN")
    return Path(named) if named else folder() / "sign-in.json"


def kept() -> dict[str, str] | None:
    """Return the sign-in that is meant: the one of the profile that was named, else the one in use; None without any.

    Raises:
        Failure: there is no profile of the name that was given.
    """
    every, named = all_kept(), profile()
    if not named:
        return every[0] if every else None
    return _of(named, every)


def all_kept() -> list[dict[str, str]]:
    """Return every sign-in that is kept, the one in use first."""
    try:
        value = json.loads(_path().read_text())
        every = [{k: v for k, v in value.items() if k != "others"}, *value.get("others", [])]
    except (FileNotFoundError, ValueError, AttributeError):
        return []
    return [{"profile": each.get("workspace", ""), **each} for each in every]


def keep(server: str, token: str, token_id: str, workspace: str, named: str = "") -> Path:
    """Keep a sign-in where only its owner can read it, as the one in use; the others stay beside it.

    Its profile has the name that is given, else that which the same sign-in had, else the short name of the workspace.

    Raises:
        Failure: the name is that of a sign-in elsewhere.
    """
    every = all_kept()
    same = [each for each in every if (each.get("server"), each.get("workspace")) == (server, workspace)]
    others = [each for each in every if each not in same]
    named = named or profile() or (same[0]["profile"] if same else workspace)
    taken = next((each for each in others if each["profile"] == named), None)
    if taken is not None:
        raise Failure(
            f"“{named}” is the profile of your sign-in at {taken.get('server')}. The new sign-in was not kept.",
            "Give this one another name: --profile NAME",
            2,
        )
    made = {"server": server, "token": token, "token_id": token_id, "workspace": workspace, "profile": named}
    return _write([made, *others])


def use(named: str) -> dict[str, str]:
    """Make the sign-in of a profile the one in use.

    Raises:
        Failure: there is no such profile.
    """
    every = all_kept()
    chosen = _of(named, every)
    _write([chosen, *(each for each in every if each is not chosen)])
    return chosen


def _of(named: str, every: list[dict[str, str]]) -> dict[str, str]:
    found = next((each for each in every if each["profile"] == named), None)
    if found is None:
        known = ", ".join(each["profile"] for each in every) or "none"
        raise Failure(f"There is no profile “{named}”.", f"There are: {known}. Add one: openlatch sign-in SERVER", 3)
    return found


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
    """Forget the sign-in that is meant; if it was the one in use, the next one is."""
    gone = kept()
    others = [each for each in all_kept() if each != gone]
    if others:
        _write(others)
    else:
        _path().unlink(missing_ok=True)


def connect() -> Client:
    """Return a client: of the profile that was named, of OPENLATCH_SERVER and OPENLATCH_TOKEN, or of the one in use.

    A kept token goes to no other service than to the one that made it.
    """
    server, token = os.environ.get("OPENLATCH_SERVER", ""), os.environ.get("OPENLATCH_TOKEN", "")
    if profile():
        server, token = "", ""
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
