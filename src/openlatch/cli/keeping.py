"""Lists that are written to a file: whole or not at all."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

import click

from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.output import reports_errors
from openlatch.client import Client
from openlatch.core.phrases import counted

__all__ = ["exports", "keep", "kept_as", "separated", "whole"]

FORMATS = ("csv", "jsonl", "xlsx")

separated = click.option(
    "--separator",
    type=click.Choice(["comma", "semicolon", "tab"]),
    default="comma",
    show_default=True,
    help="What stands between the cells of a .csv file; your spreadsheet may expect a semicolon.",
)
kept_as = click.argument("file", type=click.Path(dir_okay=False, writable=True, path_type=Path))


def exports(
    group: Group,
    things: str,
    filtered: Callable[[Callable[..., None]], Callable[..., None]],
    pieces: Callable[[Client], Callable[..., Iterable[bytes]]],
    *,
    example: str,
) -> None:
    """Give a group the command that writes its list to a file, or what filters leave of it."""

    @group.command(
        "export",
        example=example,
        help=f"Write the {things}, or those that the filters leave, to FILE: .csv, .jsonl or .xlsx.",
    )
    @kept_as
    @separated
    @click.argument("search", required=False, default="")
    @filtered
    @reports_errors
    def export(file: Path, search: str, **wanted: Any) -> None:
        with connect() as client:
            keep(file, lambda kind: pieces(client)(kind, q=search, **wanted))


def whole(file: Path, pieces: Iterable[bytes]) -> int:
    """Write pieces to a file, whole or not at all; returns how many bytes. Raises OSError if it cannot be written."""
    half, written = file.with_name(f".{file.name}.new"), 0
    try:
        with half.open("wb") as begun:
            for piece in pieces:
                written += begun.write(piece)
        half.replace(file)
    except OSError as error:
        raise OSError(error.errno, error.strerror, str(file)) from error
    finally:
        half.unlink(missing_ok=True)
    return written


def keep(file: Path, pieces: Callable[[str], Iterable[bytes]]) -> None:
    """Write a file of the format that its name says, from the pieces of that format; say how large it became.

    Raises:
        Failure: the name says no format.
        OSError: it cannot be written; what was there before is there still.
    """
    kind = file.suffix.removeprefix(".").lower()
    if kind not in FORMATS:
        raise Failure(f"“{file.name}” does not say which format you want.", "End its name in .csv, .jsonl or .xlsx.", 2)
    written = whole(file, pieces(kind))
    click.echo(f"Wrote {counted(written, 'byte')} to {click.format_filename(file)}.")
