"""Importing lists that people keep themselves."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar, cast

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.acting import confirmed, dry_run_option, yes_option
from openlatch.cli.columns import Column, ago
from openlatch.cli.command import Command
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.keeping import keep
from openlatch.cli.nouns import PROVIDER
from openlatch.cli.output import Listing, going_on, listed, out, reports_errors
from openlatch.client import Client
from openlatch.core.phrases import counted
from openlatch.errors import Invalid
from openlatch.wire import messages as wire

__all__ = ["import_list", "list_imports", "write_template"]

F = TypeVar("F", bound=Callable[..., Any])
MOST = 20
IMPORTS: tuple[Column, ...] = (
    Column.ref(lambda i: i.ref),
    Column.who("list", lambda i: Text(i.name)),
    Column("state", lambda i: i.state),
    Column("lines", lambda i: f"{i.done} of {i.total}"),
    Column("result", lambda i: _counts(i.counts)),
    Column.more("by", lambda i: Text(i.asked_by)),
    Column("when", lambda i: ago(i.asked_at)),
    Column.prose("why", lambda i: Text(i.trouble)),
)


def _how(function: F) -> F:
    """Give a command what says how a list is to be taken."""
    for option in reversed(
        (
            click.option("--sheet", help="Which sheet of a spreadsheet to take."),
            click.option("--header", type=click.IntRange(1), help="The line that names the columns."),
            click.option("--header-lines", type=click.IntRange(1, 2), help="How many lines name them together."),
            click.option(
                "--column",
                "columns",
                multiple=True,
                metavar="HEADER=FIELD",
                help="Which field a column is; nothing after = leaves it out; repeatable.",
            ),
            click.option(
                "--dates",
                multiple=True,
                metavar="HEADER=ORDER",
                help="Which number in a column's dates is the day: day-first or month-first; repeatable.",
            ),
            click.option("--hidden", is_flag=True, help="Take hidden lines too."),
            click.option("--struck", is_flag=True, help="Take lines that are struck through too."),
            click.option(
                "--skip", type=click.IntRange(1), multiple=True, metavar="LINE", help="Leave a line out; repeatable."
            ),
            click.option(
                "--take",
                type=click.IntRange(1),
                multiple=True,
                metavar="LINE",
                help="Take a line that would be left out; repeatable.",
            ),
        )
    ):
        function = option(function)
    return function


@click.command("import", cls=Command, example="'Hill Road Signage' list.csv --yes")
@click.argument("provider", type=PROVIDER)
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@_how
@dry_run_option
@yes_option
@reports_errors
def import_list(provider: str, file: Path, dry_run: bool, yes: bool, **how: Any) -> None:
    """Import the list in FILE (.csv, .xlsx or .jsonl) into a provider of the connector by-hand: all of it, or nothing.

    Which line names the columns, what each column is, and which lines are not entries is proposed and shown; then you
    are asked. A list ends nothing: what is not in it stays as it was. The next list is matched like this one.

    Fields: account, party, addresses, kind, level, powers, given_at, ends_at and more, as in an export.
    """
    kind = file.suffix.removeprefix(".").lower()
    if kind not in wire.LISTS:
        raise Failure(f"“{file.name}” is not a list of a kind that is known.", "Give a .csv, .xlsx or .jsonl file.", 2)
    content, form = file.read_bytes(), _form(**how)
    with connect() as client:
        outcome = client.preview_import(provider, content, kind, form=form)
        _shown(out(), outcome, file.name)
        if dry_run:
            click.echo(f"Would change: {_counts(outcome.counts)}.")
            return
        if outcome.notes or outcome.remarks:
            confirmed("Import it like this?", yes)
        made = client.start_import(provider, content, kind, form=outcome.form, name=file.name)
        _complained(made, file.name)
        assert made.made is not None  # noqa: S101 - begun, since nothing is wrong with it
        _followed(client, made.made)


@click.command("template", cls=Command, example="list.xlsx")
@click.argument("file", type=click.Path(dir_okay=False, writable=True, path_type=Path))
@reports_errors
def write_template(file: Path) -> None:
    """Write an empty list with the columns that an import takes to FILE: .csv or .xlsx."""
    kind = file.suffix.removeprefix(".").lower()
    if kind not in ("csv", "xlsx"):
        raise Failure(f"“{file.name}” is not a list of a kind that can be filled in.", "Give a .csv or .xlsx file.", 2)
    with connect() as client:
        keep(file, lambda kind: [client.import_template(kind)])


@click.command("imports", cls=Command, example='"Members\' Letter"')
@click.argument("provider", type=PROVIDER)
@listed(*IMPORTS)
@reports_errors
def list_imports(provider: str, listing: Listing) -> None:
    """List the imports into a provider, the latest first, and how far each is."""
    with connect() as client:
        listing.print(client.list_imports(provider), empty="Nothing was imported there yet.")


def _form(
    *,
    sheet: str | None,
    header: int | None,
    header_lines: int | None,
    columns: tuple[str, ...],
    dates: tuple[str, ...],
    hidden: bool,
    struck: bool,
    skip: tuple[int, ...],
    take: tuple[int, ...],
) -> wire.ImportForm | None:
    """What someone says of how a list is to be taken; None if nothing."""
    said = (sheet, header, header_lines, columns, dates, hidden, struck, skip, take)
    if not any(said):
        return None
    try:
        return wire.ImportForm(
            sheet=sheet,
            header=header,
            headers=cast("Any", header_lines),
            columns=dict(pair.rpartition("=")[::2] for pair in columns),
            orders=cast("Any", dict(pair.rpartition("=")[::2] for pair in dates)),
            hidden=hidden,
            struck=struck,
            skip=list(skip),
            take=list(take),
        )
    except ValueError as error:
        raise Invalid(
            "--dates names no order of days and months. Nothing was changed.",
            next_step='Write it as --dates "Until=day-first" or --dates "Until=month-first".',
        ) from error


def _shown(to: Console, outcome: wire.ImportOutcome, name: str) -> None:
    """Print how a list is taken; leaves with what is wrong with it."""
    form = outcome.form
    if len(outcome.sheets) > 1:
        others = ", ".join(f"{sheet.name} ({sheet.lines})" for sheet in outcome.sheets if sheet.name != form.sheet)
        to.print(Text(f"Sheet “{form.sheet}”; there are also {others}, with --sheet."))
    lines = f"Lines {form.header - 1} and {form.header} name" if form.headers == 2 and form.header else ""
    to.print(Text(f"{lines or f'Line {form.header} names'} the columns:"))
    for column in outcome.columns:
        why = ", it is calculated" if column.derived else ", it holds secrets" if column.secret else ""
        taken = f"→ {column.field}" if column.field else f"left out{why}"
        order = f", {column.order}" if column.order else ""
        to.print(Text.assemble(f"  {column.header:<24}", (taken + order, "" if column.field else "dim")))
    if outcome.remembered:
        to.print("Matched as you did last time.", style="dim")
    _complained(outcome, name)
    for note in outcome.notes[:MOST]:
        to.print(Text(f"  line {note.line} is left out: {note.why}  (--take {note.line})"))
    if len(outcome.notes) > MOST:
        to.print(f"  and {len(outcome.notes) - MOST} more")
    for remark in outcome.remarks[:MOST]:
        to.print(Text(f"  {_place(remark)}: {remark.problem}"))


def _complained(outcome: wire.ImportOutcome, name: str) -> None:
    if not outcome.complaints:
        return
    complaints = [f"{_place(complaint)}: {complaint.problem}" for complaint in outcome.complaints]
    more = f"\n  … and {len(complaints) - MOST} more" if len(complaints) > MOST else ""
    asks = next((column.header for column in outcome.columns if column.asks), "")
    raise Failure(
        f"{name} was not imported:\n  " + "\n  ".join(complaints[:MOST]) + more,
        f'Nothing was changed. Say which: --dates "{asks}=day-first", or month-first.'
        if asks
        else "Nothing was changed. Correct these lines, leave them out with --skip, or match columns with --column.",
    )


def _place(complaint: wire.Complaint) -> str:
    place = f"line {complaint.line}" if complaint.line else "the file"
    return place + (f", “{complaint.column}”" if complaint.column else "")


def _followed(client: Client, made: wire.Import) -> None:
    last = made
    for last in client.follow_import(made.ref):
        if last.finished_at is None and last.done:
            going_on().print(f"  {last.done} of {counted(last.total, 'line')}")
    if last.state == "failed":
        raise Failure(f"Import {last.ref} could not go on: {last.trouble}", "Check the list, and import it again.")
    click.echo(f"Imported: {_counts(last.counts)}.")


def _counts(counts: dict[str, int]) -> str:
    return ", ".join(f"{number} {word}" for word, number in counts.items())
