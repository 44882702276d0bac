"""Saved views of lists."""

from __future__ import annotations

import shlex
from collections.abc import Callable
from typing import Any, TypeVar
from urllib.parse import parse_qsl

import click
from click.core import ParameterSource
from rich.text import Text

from openlatch.cli.acting import confirmed, yes_option
from openlatch.cli.columns import Column
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import one_of
from openlatch.cli.output import Listing, listed, reports_errors
from openlatch.client import Client
from openlatch.wire import messages as wire
from openlatch.words import Listable

__all__ = ["find_view", "view", "viewed", "with_view"]

F = TypeVar("F", bound=Callable[..., Any])
_COMMANDS = {
    Listable.ENTRIES: "inventory",
    Listable.ACCOUNTS: "account list",
    Listable.PARTIES: "party list",
    Listable.APPS: "app list",
    Listable.PROVIDERS: "provider list",
}
_of_list = click.option(
    "--of", type=one_of(Listable), default="entries", show_default=True, help="The list that it is a view of."
)

_VIEWS: tuple[Column, ...] = (
    Column.who("view", lambda v: Text(v.name)),
    Column("of", lambda v: v.of),
    Column.prose("filters", lambda v: Text(v.query, "dim")),
)


@click.group(cls=Group)
def view() -> None:
    """Your saved views of the inventory, and of accounts, parties, apps and providers."""


@view.command("list")
@listed(*_VIEWS)
@reports_errors
def list_views(listing: Listing) -> None:
    """List your views. Use one: openlatch inventory --view NAME, or openlatch account list --view NAME"""
    with connect() as client:
        listing.print(client.views(), empty="You have no views yet. Add one: openlatch view add NAME --query …")


@view.command("add", example="'Apps with a flag' --query 'kind=app&flagged=true'")
@click.argument("name")
@click.option("--query", required=True, help="Filters as in the console's address, such as kind=app&flagged=true.")
@_of_list
@reports_errors
def add_view(name: str, query: str, of: str) -> None:
    """Save the filters of a list as a view; one of the same list and name is replaced."""
    with connect() as client:
        saved = client.save_view(name, query.lstrip("?"), of=of)
    click.echo(f"Saved: openlatch {_COMMANDS[saved.of]} --view {shlex.quote(saved.name)}")


@view.command("remove", example="Spare --yes")
@click.argument("name")
@_of_list
@yes_option
@reports_errors
def remove_view(name: str, of: str, yes: bool) -> None:
    """Remove one of your views."""
    with connect() as client:
        there = find_view(client, name, Listable(of))
        confirmed(f"Remove the view “{there.name}”?", yes)
        client.remove_view(there.id)
    click.echo(f"Removed: {there.name}.")


def with_view(function: F) -> F:
    """Give a list the option that asks for one of your views of it; pass it to `viewed`."""
    help_of_it = "A saved view (openlatch view list); what you add to it comes on top."
    return click.option("--view", default="", help=help_of_it)(function)


def viewed(client: Client, of: Listable, view: str, wanted: dict[str, Any]) -> dict[str, Any]:
    """Return what is wanted of a list: what a view says, and on top of it what was asked for besides."""
    wanted = {name: value for name, value in wanted.items() if value is not None}
    if not view:
        return wanted
    said = dict(parse_qsl(find_view(client, view, of).query, keep_blank_values=True))
    said.pop("columns", None)
    return said | {name: value for name, value in wanted.items() if _asked(name)}


def _asked(name: str) -> bool:
    """Whether a person gave an option themselves, rather than leaving it as it is."""
    parameter = {"q": "search"}.get(name, name)
    source = click.get_current_context().get_parameter_source(parameter)
    return source is not None and source not in (ParameterSource.DEFAULT, ParameterSource.DEFAULT_MAP)


def find_view(client: Client, name: str, of: Listable) -> wire.View:
    """Return the view of yours of a list that has a name."""
    own = (each for each in client.views() if each.of == of)
    found = next((each for each in own if each.name.casefold() == name.casefold()), None)
    if found is None:
        raise Failure(f"You have no view “{name}”.", "List yours: openlatch view list", 4)
    return found
