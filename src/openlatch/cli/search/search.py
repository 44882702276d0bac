"""Finding anything."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.columns import Column
from openlatch.cli.command import Command
from openlatch.cli.connection import connect
from openlatch.cli.output import Listing, listed, reports_errors

__all__ = ["search"]

_FOUND: tuple[Column, ...] = (
    Column.ref(lambda f: f.ref),
    Column("kind", lambda f: f.kind),
    Column.who("name", lambda f: Text(f.name)),
    Column.prose("details", lambda f: Text(f.says, "dim")),
)


@click.command(cls=Command, example="amara")
@click.argument("text")
@click.option("--each", type=click.IntRange(1, 50), default=5, show_default=True, help="How many of each kind at most.")
@listed(*_FOUND)
@reports_errors
def search(text: str, each: int, listing: Listing) -> None:
    """Find anything by a part of its name, an address, or its short form."""
    with connect() as client:
        listing.print(client.search(text, limit=each), empty=f"Nothing is called like “{text}”.")
