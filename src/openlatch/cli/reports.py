"""Writing a report to a file, in any of its formats."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import click

from openlatch.cli.failure import Failure
from openlatch.core.phrases import counted

__all__ = ["report_format", "report_options", "write_report"]

F = TypeVar("F", bound=Callable[..., Any])
FORMATS = ("json", "html", "pdf", "csv", "jsonl")
_FORMAT = click.option(
    "--format", "form", type=click.Choice(FORMATS), help="By the name of the file, if it is not given; else json."
)
_TO = click.option(
    "--to-file", "file", type=click.Path(dir_okay=False, path_type=Path), help="Write it there, not to standard output."
)


def report_options(function: F) -> F:
    """Give a command what a report is asked for with."""
    return _FORMAT(_TO(function))


def report_format(form: str | None, file: Path | None) -> str:
    """Return the format that is meant."""
    named = file.suffix.removeprefix(".").lower() if file is not None else ""
    if form is None and file is not None and named not in FORMATS:
        raise Failure(f"“{file.name}” does not say which format you want.", f"Add --format: {', '.join(FORMATS)}.", 2)
    return form or named or "json"


def write_report(content: bytes, file: Path | None) -> None:
    """Write a report to a file, or to standard output."""
    if file is None:
        sys.stdout.buffer.write(content)
        return
    file.write_bytes(content)
    click.echo(f"Wrote {counted(len(content), 'byte')} to {click.format_filename(file)}.")
