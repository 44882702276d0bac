"""Notices: what Open Latch has told you, and how it tells you."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.columns import Column, ago
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.output import Listing, listed, reports_errors

__all__ = ["notice"]

_WAYS = {
    "at-once": "You get a letter as things happen; what comes together is one letter.",
    "daily": "You get one letter a day with everything in it.",
    "console": "You get no letters; notices are in the console and here.",
}
_NOTICES: tuple[Column, ...] = (
    Column("when", lambda n: ago(n.made_at)),
    Column.prose("notice", lambda n: Text("\n".join(filter(None, [n.title, n.text])))),
    Column("letter", lambda n: Text(n.trouble, "red") if n.trouble else "sent" if n.sent_at else ""),
)


@click.group(cls=Group)
def notice() -> None:
    """What Open Latch has told you, and how it tells you."""


@notice.command("list")
@listed(*_NOTICES, limit=30)
@reports_errors
def list_notices(listing: Listing) -> None:
    """List your notices, the latest first."""
    with connect() as client:
        listing.print(client.notices(), empty="You have no notices yet.")


@notice.command("change", example="--letters daily")
@click.option("--letters", type=click.Choice(list(_WAYS)), required=True, help="When you get letters.")
@reports_errors
def change(letters: str) -> None:
    """Choose when you get letters."""
    with connect() as client:
        click.echo(_WAYS[client.choose_telling(letters).telling])
