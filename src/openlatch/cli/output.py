"""How commands print: tables for people, JSON and CSV for programs, errors with what to do next and an exit code."""

from __future__ import annotations

import csv
import itertools
import os
import sys
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import wraps
from typing import Any, TypeVar

import click
from pydantic import BaseModel
from rich.console import Console
from rich.text import Text

from openlatch.cli.columns import Column, chosen
from openlatch.cli.config import quiet
from openlatch.cli.failure import Failure
from openlatch.cli.table import print_table
from openlatch.core.phrases import counted
from openlatch.errors import (
    NotAllowed,
    NotFound,
    NotSignedIn,
    OpenLatchError,
    ProviderDown,
    ServiceUnreachable,
    TooManyRequests,
)
from openlatch.wire.flat import header, row
from openlatch.wire.inventory.sheet import row as sheet_row
from openlatch.wire.messages import Entry
from openlatch.words import Outcome

__all__ = [
    "STUCK",
    "Listing",
    "going_on",
    "hint",
    "listed",
    "only_shown",
    "out",
    "outcome_option",
    "output_option",
    "print_one",
    "reports_errors",
]

F = TypeVar("F", bound=Callable[..., Any])
EXIT: dict[type[OpenLatchError], int] = {
    NotSignedIn: 3,
    NotAllowed: 3,
    NotFound: 4,
    ServiceUnreachable: 5,
    ProviderDown: 5,
    TooManyRequests: 5,
}
STUCK = 6
_ENDLESS = 10_000
"""As wide is what is no terminal: a program or a file has room for every line."""
USUAL = 50
MOST = 1_000_000
outcome_option = click.option(
    "--outcome", type=click.Choice([outcome.value for outcome in Outcome]), help="Only what has this outcome."
)


def out() -> Console:
    """Return what people's output goes to; without colour, and in lines of any length, where that is no terminal."""
    wide = None if sys.stdout.isatty() or "COLUMNS" in os.environ else _ENDLESS
    return Console(highlight=False, markup=False, width=wide)


def going_on() -> Console:
    """Return what tells of progress: on standard error, so that what was asked for can be piped; nothing if quiet."""
    return Console(highlight=False, markup=False, stderr=True, quiet=quiet(), soft_wrap=True)


def hint(text: Text | str, style: str = "dim") -> None:
    """Say what can be done next, or what the answer leaves out; not where only the answer is wanted."""
    if not quiet():
        out().print(text, style=style, soft_wrap=True)


def only_shown(then: str = "you are asked, and then it is done") -> None:
    """Say that this was a dry run, and what is done without that."""
    hint(f"\nNothing was changed. Without --dry-run {then}.")


def reports_errors(function: F) -> F:
    """Show an error of ours as people expect it, with the exit code of its kind."""

    @wraps(function)
    def guarded(*args: Any, **kwargs: Any) -> Any:
        try:
            return function(*args, **kwargs)
        except OpenLatchError as error:
            code = next((EXIT[kind] for kind in type(error).__mro__ if kind in EXIT), 1)
            lines = [f"{e.get('at')}: {e.get('problem')}" for e in error.fields.get("errors") or []]
            more = "\n  ".join(lines[1:])
            raise Failure(error.message + (f"\n  {more}" if more else ""), error.next_step, code) from error
        except UnicodeDecodeError as error:
            raise Failure("The file is not text in UTF-8. Nothing was changed.", "Save it as UTF-8.", 2) from error
        except BrokenPipeError:
            raise  # whoever reads our output has seen enough; Click ends quietly then
        except OSError as error:
            where = f" {error.filename}" if error.filename else ""
            raise Failure(
                f"The file{where} cannot be used: {error.strerror or error}.",
                "Name another file, or another folder.",
                2,
            ) from error

    return guarded  # type: ignore[return-value]


def output_option(function: F) -> F:
    """Let a command print for people or for programs."""
    option = click.option(
        "-o",
        "--output",
        type=click.Choice(["table", "json", "csv"]),
        default="table",
        help="For people (table) or for programs.",
    )
    return option(function)


def print_one(item: BaseModel, output: str) -> None:
    """Print one thing for programs: every field of it, as JSON or CSV."""
    _for_programs([item], output)


@dataclass(frozen=True, slots=True)
class Listing:
    """How a list is wanted: for whom, how long, and with which columns."""

    columns: tuple[Column, ...]
    output: str
    limit: int | None
    usual: int

    @property
    def for_people(self) -> bool:
        """Whether it is read by people."""
        return self.output == "table"

    @property
    def most(self) -> int | None:
        """How many are wanted at most; None for all. Programs get all, unless they say how many."""
        given = self.limit if self.limit is not None else self.usual if self.for_people else 0
        return given or None

    def print(self, items: Iterable[BaseModel], *, empty: str) -> int:
        """Print a list, or say that it is empty; returns how many things it showed."""
        wanted = iter(items)
        if not self.for_people:
            return _for_programs(itertools.islice(wanted, self.most), self.output)
        models = list(itertools.islice(wanted, self.most))
        if not models:
            click.echo(empty)
            return 0
        self.table(models)
        if len(models) == self.most and next(wanted, None) is not None:
            hint(f"\nThese are the first {counted(self.most, 'line')}. For all: --limit 0")
        return len(models)

    def table(self, models: Sequence[BaseModel]) -> None:
        """Print a table of things that there are."""
        print_table(out(), self.columns, [[column.says(model) for column in self.columns] for model in models])


def listed(*columns: Column, limit: int = USUAL) -> Callable[[F], F]:
    """Give a list its options, and the command a `listing` that prints it; `limit` is how many people see as a rule."""
    keys = ", ".join(column.key for column in columns)
    options = (
        click.option(
            "--limit", type=click.IntRange(0, MOST), help=f"How many at most; 0 for all.  [{limit} in a table]"
        ),
        click.option("--columns", "asked", default="", help=f"Which columns, separated by commas: {keys}."),
        click.option("--wide", is_flag=True, help="All columns."),
        output_option,
    )

    def decorate(function: F) -> F:
        @wraps(function)
        def listing(*args: Any, output: str, limit: int | None, asked: str, wide: bool, **kwargs: Any) -> Any:
            shown = chosen(columns, asked, wide=wide)
            return function(*args, listing=Listing(shown, output, limit, usual), **kwargs)

        usual, command = limit, listing
        for option in reversed(options):
            command = option(command)
        return command  # type: ignore[return-value]

    return decorate


def _for_programs(items: Iterable[BaseModel], output: str) -> int:
    """Print every field of some things: as JSON, one a line, or as flat CSV."""
    number, writer = 0, None
    for item in items:
        number += 1
        if output == "json":
            click.echo(item.model_dump_json())
            continue
        flat = sheet_row(item) if isinstance(item, Entry) else row(item)
        if writer is None:
            names = list(flat) if isinstance(item, Entry) else header(type(item))
            writer = csv.DictWriter(sys.stdout, names, lineterminator="\n")
            writer.writeheader()
        writer.writerow(flat)
    return number
