"""Saved views of the inventory."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.acting import confirmed, yes_option
from openlatch.cli.columns import Column
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.output import Listing, listed, reports_errors
from openlatch.client import Client
from openlatch.wire import messages as wire

__all__ = ["find_view", "view"]

_VIEWS: tuple[Column, ...] = (
    Column.who("view", lambda v: Text(v.name)),
    Column.prose("filters", lambda v: Text(v.query, "dim")),
)


@click.group(cls=Group)
def view() -> None:
    """Your saved views of the inventory."""


@view.command("list")
@listed(*_VIEWS)
@reports_errors
def list_views(listing: Listing) -> None:
    """List your views. Use one: openlatch inventory --view NAME"""
    with connect() as client:
        listing.print(client.views(), empty="You have no views yet. Add one: openlatch view add NAME --query …")


@view.command("add", example="'Apps with a flag' --query 'kind=app&flagged=true'")
@click.argument("name")
@click.option("--query", required=True, help="Filters as in the console's address, such as kind=app&flagged=true.")
@reports_errors
def add_view(name: str, query: str) -> None:
    """Save filters of the inventory as a view; one of the same name is replaced."""
    with connect() as client:
        saved = client.save_view(name, query.lstrip("?"))
    click.echo(f"Saved: openlatch inventory --view '{saved.name}'")


@view.command("remove", example="Spare --yes")
@click.argument("name")
@yes_option
@reports_errors
def remove_view(name: str, yes: bool) -> None:
    """Remove one of your views."""
    with connect() as client:
        there = find_view(client, name)
        confirmed(f"Remove the view “{there.name}”?", yes)
        client.remove_view(there.id)
    click.echo(f"Removed: {there.name}.")


def find_view(client: Client, name: str) -> wire.View:
    """Return the view of yours that has a name."""
    found = next((each for each in client.views() if each.name.casefold() == name.casefold()), None)
    if found is None:
        raise Failure(f"You have no view “{name}”.", "List yours: openlatch view list", 4)
    return found
