"""What is kept by hand: single entries, lists, vouching for what is there, and saying what is gone."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ENTRY, PROVIDER
from openlatch.cli.output import ORDER, out, reports_errors
from openlatch.wire import messages as wire

__all__ = ["gone", "import_", "keep", "somebody_else_option", "vouch"]

somebody_else_option = click.option(
    "--somebody-else", is_flag=True, help="The address comes close to a known one, and is somebody else's."
)
_KINDS = click.Choice(["delegate", "grant", "app", "session", "offer", "secret", "open"])


@click.command()
@click.argument("provider", type=PROVIDER)
@click.option("--account", required=True, help="The account's name.")
@click.option("--party", default="", help="Who has access: a name.")
@click.option("--address", "addresses", multiple=True, help="An address of theirs; repeatable.")
@click.option("--kind", type=_KINDS, default="delegate", show_default=True)
@click.option("--level", default="", help="The level in the provider's own words.")
@click.option("--power", "powers", multiple=True, type=click.Choice(ORDER), help="What it allows; repeatable.")
@click.option("--last-day", type=click.DateTime(["%Y-%m-%d"]), help="The last day on which it holds.")
@click.option("--given-by", default="", help="Who gave it.")
@click.option("--because", default="", help="Why it exists.")
@somebody_else_option
@reports_errors
def keep(
    provider: str,
    account: str,
    party: str,
    addresses: tuple[str, ...],
    kind: wire.KindWord,
    level: str,
    powers: tuple[str, ...],
    last_day: datetime | None,
    given_by: str,
    because: str,
    somebody_else: bool,
) -> None:
    """Keep an entry of PROVIDER by hand, or correct the one of the same kind, account and party."""
    with connect() as client:
        kept = client.keep(
            provider,
            account=account,
            party=party,
            addresses=list(addresses),
            kind=kind,
            level=level,
            powers=list(powers) or None,
            ends_at=last_day.date() if last_day else None,
            given_by=given_by,
            basis=because,
            somebody_else=somebody_else,
        )
    click.echo(f"Kept {kept.ref}: {kept.party.name} on {kept.account.name}. You vouch for it.")


@click.command()
@click.argument("entry", type=ENTRY)
@reports_errors
def vouch(entry: str) -> None:
    """Say that ENTRY, which is kept by hand, is still there as it is written."""
    with connect() as client:
        found = client.vouch(entry)
    click.echo(f"You vouch for {found.ref}: {found.party.name} on {found.account.name}.")


@click.command()
@click.argument("entry", type=ENTRY)
@click.option("--because", default="", help="How it is known that it ended.")
@reports_errors
def gone(entry: str, because: str) -> None:
    """Say that ENTRY, which is kept by hand, has ended at its provider."""
    with connect() as client:
        found = client.gone(entry, because)
    click.echo(f"{found.ref} is kept as ended: {found.party.name} on {found.account.name}.")


@click.command(name="import")
@click.argument("provider", type=PROVIDER)
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option(
    "--column",
    "columns",
    multiple=True,
    metavar="HEADER=FIELD",
    help="What a column is; nothing after = leaves it out.",
)
@click.option("--dry-run", is_flag=True, help="Only say what would change.")
@reports_errors
def import_(provider: str, file: Path, columns: tuple[str, ...], dry_run: bool) -> None:
    """Take the list in FILE (.csv or .xlsx) into PROVIDER, which is kept by hand: all of it, or nothing.

    \b
    The first line names the columns. What is not in the list stays as it was: a list ends nothing.
    Fields: account, party, addresses, kind, level, powers, given_at, ends_at and more, as an export has them.
    """
    kind = file.suffix.removeprefix(".").lower()
    if kind not in wire.LISTS:
        raise Failure(f"“{file.name}” is not a list of a kind that is known.", "Give a .csv or .xlsx file.", 2)
    pairs = dict(pair.rpartition("=")[::2] for pair in columns)
    with connect() as client:
        outcome = client.import_list(provider, file.read_bytes(), kind, columns=pairs, dry_run=dry_run)
    _columns(out(), outcome)
    if outcome.complaints:
        complaints = [f"line {c.line}{f', “{c.column}”' if c.column else ''}: {c.problem}" for c in outcome.complaints]
        more = f"\n  … and {len(complaints) - 20} more" if len(complaints) > 20 else ""
        raise Failure(
            f"{file.name} was not imported:\n  " + "\n  ".join(complaints[:20]) + more,
            "Nothing was changed. Correct these lines, then import it again.",
        )
    for remark in outcome.remarks[:20]:
        click.echo(f"  line {remark.line}, “{remark.column}”: {remark.problem}")
    counts = ", ".join(f"{number} {word}" for word, number in outcome.counts.items())
    click.echo(f"{'Would change' if dry_run else 'Imported'}: {counts}.")


def _columns(to: Console, outcome: wire.ImportOutcome) -> None:
    for column in outcome.columns:
        why = ", it is worked out" if column.derived else ", it holds secrets" if column.secret else ""
        taken = f"→ {column.field}" if column.field else f"left out{why}"
        to.print(Text.assemble(f"  {column.header:<24}", (taken, "" if column.field else "dim")))
