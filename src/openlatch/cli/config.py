"""What someone always wants said, as defaults of options in a file; and which sign-in is meant, if it is named.

The file is config.toml beside the sign-ins, or what OPENLATCH_CONFIG names. At its top stand defaults for every command
that has such an option, and in a table named as a command is typed, such as [entry.list], those of that one:

    output = "table"
    limit = 100

    [entry.list]
    columns = "id,who,where,ends"

Loaded with every command, so it loads nothing but Click itself.
"""

from __future__ import annotations

import os
import tomllib
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click

from openlatch.cli.failure import Failure
from openlatch.deferred import deferred

__all__ = ["PROFILE", "QUIET", "defaults", "folder", "profile", "quiet", "read"]

platformdirs = deferred("platformdirs")

EVERYWHERE = frozenset({"output", "limit", "wide", "quiet"})
"""What can be set for all commands at once."""
PROFILE = "openlatch.profile"
QUIET = "openlatch.quiet"


def folder() -> Path:
    """Return where a person's sign-ins and configuration are kept."""
    kept: Path = platformdirs.user_config_path("openlatch")
    return kept


def read() -> dict[str, Any]:
    """Return what the file says; nothing where there is none.

    Raises:
        Failure: it is not TOML, or names what cannot be set for all commands.
    """
    path = _path()
    try:
        said = tomllib.loads(path.read_text())
    except FileNotFoundError:
        return {}
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise Failure(f"{path} is not TOML: {error}.", "Correct it, or move it away.", 2) from error
    wrong = [name for name, value in said.items() if not isinstance(value, dict) and name not in EVERYWHERE]
    if wrong:
        known = ", ".join(sorted(EVERYWHERE))
        raise Failure(
            f"{path} sets “{wrong[0]}”, which cannot be set for all commands.",
            f"Set one of these there: {known}; or put it in the table of one command, such as [entry.list].",
            2,
        )
    return said


def defaults(ctx: click.Context, params: Sequence[click.Parameter]) -> dict[str, Any]:
    """Return the defaults of a command's options by the names of its parameters, as the file has them.

    Raises:
        Failure: the command's table names an option that it does not have.
    """
    options = [param for param in params if isinstance(param, click.Option)]
    named = {word.removeprefix("--"): str(one.name) for one in options for word in one.opts if word.startswith("--")}
    against = {word.removeprefix("--"): str(one.name) for one in options for word in one.secondary_opts}
    own = {name: value for name, value in (ctx.default_map or {}).items() if not isinstance(value, dict)}
    wrong = [name for name in own if name not in {**named, **against}]
    if wrong:
        raise Failure(
            f"{_path()} sets “{wrong[0]}” for {ctx.command_path}, which has no such option.",
            f"Look at its options: {ctx.command_path} --help",
            2,
        )
    everywhere = {
        name: value
        for name, value in (ctx.find_root().default_map or {}).items()
        if not isinstance(value, dict) and name in named
    }
    said = {**everywhere, **own}
    meant = {named[name]: value for name, value in said.items() if name in named}
    return meant | {against[name]: not value for name, value in said.items() if name in against}


def profile() -> str:
    """Return the name of the sign-in that is meant; empty for the one in use."""
    named: str = click.get_current_context().find_root().meta.get(PROFILE, "")
    return named


def quiet() -> bool:
    """Whether nothing is to be said but what was asked for."""
    return bool(click.get_current_context().find_root().meta.get(QUIET, False))


def _path() -> Path:
    named = os.environ.get("OPENLATCH_CONFIG")
    return Path(named) if named else folder() / "config.toml"
