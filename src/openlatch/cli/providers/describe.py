"""Checking and trying a description of a provider, and how settings and secrets are given."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import IO

import click
from rich.text import Text

from openlatch.cli.columns import Column, powers
from openlatch.cli.command import Command
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.output import Listing, hint, listed, out, print_one, reports_errors
from openlatch.core.phrases import counted
from openlatch.wire import messages as wire

__all__ = ["describe", "secret_of", "settings_of", "shortened"]


def _sent(entry: wire.DescribedEntry) -> str:
    return f"{entry.would_send.method} {entry.would_send.url}" if entry.would_send else "not described"


ENTRIES: tuple[Column, ...] = (
    Column.who("who", lambda e: e.party.name if e.party else Text("no party", "red")),
    Column("on", lambda e: e.account),
    Column("as", lambda e: e.level),
    Column("can", lambda e: Text("not said", "yellow") if e.powers is None else powers(e.powers, None)),
    Column.prose("to end it", _sent),
)


@click.command("describe", cls=Command, example="club.toml --answers answers.json")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option(
    "--answers",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="Recorded answers: JSON, by path and query.",
)
@click.option("--url", default="", help="The provider's address: it is read once, and nothing is changed there.")
@click.option("--secret-file", type=click.File(), help="With --url: a file with its password or token.")
@listed(*ENTRIES)
@reports_errors
def describe(file: Path, answers: Path | None, url: str, secret_file: IO[str] | None, listing: Listing) -> None:
    """Check a FILE that describes a provider, and try it before it is used.

    Without --answers and --url it is only checked. Once it is right, add the provider: openlatch provider add NAME
    --connector described --set url=ADDRESS --set description=@FILE
    """
    text = _text_of(file)
    try:
        recorded = json.loads(_text_of(answers)) if answers else None
    except (ValueError, RecursionError) as error:
        raise Failure("The recorded answers are not JSON. Nothing was sent.", "Correct the file.") from error
    if recorded is not None and not isinstance(recorded, dict):
        raise Failure("The recorded answers are no JSON object. Nothing was sent.", "Name each by its path and query.")
    secret = secret_of(secret_file) if url else ""
    with connect() as client:
        trial = client.try_description(text, url=url, secret=secret, answers=recorded)
    if trial.trouble:
        raise Failure(f"It does not fit yet. {trial.trouble}", "Correct the description, then try it again.")
    if not listing.for_people:
        print_one(trial, listing.output)
    elif trial.tried:
        listing.print(trial.entries, empty="No line becomes an entry by any rule.")
        _sum_up(trial)
    else:
        click.echo("The description can be used. Try it now: --answers FILE, or --url ADDRESS")


def _sum_up(trial: wire.DescriptionTrial) -> None:
    click.echo(
        f"\n{counted(trial.total, 'entry')} on {counted(trial.accounts, 'account')} of "
        f"{counted(trial.parties, 'party')}, by {counted(len(trial.asked), 'request')}."
    )
    for name, count in trial.unexplained.items():
        out().print(Text(f"{counted(count, 'line')} of “{name}”: no entry by any rule.", "yellow"))
    for level in trial.unknown:
        out().print(Text(f"What “{level}” allows is not said: add it under [levels].", "yellow"))
    hint("Nothing was kept, and nothing was changed.")


def secret_of(file: IO[str] | None) -> str:
    """Return a secret from a file, or as it is typed."""
    if file is not None:
        return file.read().strip()
    return str(click.prompt("Secret", hide_input=True, default="", show_default=False))


def shortened(value: str) -> str:
    """Return a setting as a line shows it: of a whole file, only how long it is."""
    return value if "\n" not in value else f"({counted(len(value.splitlines()), 'line')})"


def settings_of(pairs: Sequence[str]) -> dict[str, str]:
    """Return settings as they are given, NAME=VALUE; a value that begins with @ is the text of a file."""
    settings = dict(pair.partition("=")[::2] for pair in pairs)
    for name, value in settings.items():
        if value.startswith("@"):
            settings[name] = _text_of(Path(value[1:]))
    return settings


def _text_of(file: Path) -> str:
    try:
        return file.read_text("utf-8")
    except (OSError, ValueError) as error:
        raise Failure(f"{file} cannot be read as text. Nothing was sent.", "Name a file of text in UTF-8.") from error
