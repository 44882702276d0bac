"""What you are told, how, and your calendar."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.connection import connect
from openlatch.cli.output import Column, ago, emit, output_option, reports_errors

__all__ = ["calendar", "notices"]

_WAYS = {
    "at-once": "You are told as things come; what comes together is one letter.",
    "daily": "You are told once a day, all of it in one letter.",
    "console": "You are told in the console and here only.",
}
_NOTICES: tuple[Column, ...] = (
    Column("when", lambda n: ago(n.made_at)),
    Column.prose("what", lambda n: Text("\n".join(filter(None, [n.title, n.text])))),
    Column("letter", lambda n: Text(n.trouble, "red") if n.trouble else "sent" if n.sent_at else ""),
)


@click.command()
@click.option("--how", type=click.Choice(list(_WAYS)), help="How you want to be told from now on.")
@click.option("--limit", type=click.IntRange(min=1), default=30, show_default=True)
@output_option
@reports_errors
def notices(how: str | None, limit: int, output: str) -> None:
    """List what you were told, the latest first, or choose how you are told."""
    with connect() as client:
        if how is not None:
            click.echo(_WAYS[client.choose_telling(how).telling])
            return
        emit(list(client.notices(limit)), _NOTICES, output, empty="You were not told anything so far.")


@click.command()
@click.option("--new", is_flag=True, help="Make a new address; a former one leads nowhere from then on.")
@reports_errors
def calendar(new: bool) -> None:
    """Make a secret address under which your calendar can be subscribed to, with --new.

    In it are what waits for you, when reviews come round, and access that ends. Whoever knows the address can read it.
    """
    if not new:
        click.echo("The address of your calendar is shown once, when it is made, and not kept in clear.")
        click.echo("A new one ends the former: openlatch calendar --new")
        return
    with connect() as client:
        click.echo(client.make_calendar())
