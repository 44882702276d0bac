"""Connected apps."""

from __future__ import annotations

from typing import Any

import click
from rich.text import Text

from openlatch.cli.columns import Column
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.inventory.cells import held, used, where
from openlatch.cli.inventory.view import viewed, with_view
from openlatch.cli.keeping import exports
from openlatch.cli.options import at_least_risk, together
from openlatch.cli.output import Listing, listed, reports_errors
from openlatch.wire import messages as wire
from openlatch.words import Listable

__all__ = ["app"]


def _app(e: wire.Entry) -> Text:
    return Text(e.party.name, "bold").append(f"\n{e.party.publisher or 'publisher unknown'}", "dim")


_APPS: tuple[Column, ...] = (
    Column("entry", lambda e: e.ref, whole=True),
    Column.who("app", _app),
    Column("where", where),
    Column("powers", held),
    Column("last used", used),
    Column.prose("permissions", lambda e: Text("; ".join(e.permissions)), wide=True),
)


_filtered = together(
    [
        click.option("--outside/--inside", default=None, help="Only apps outside the circle, or only those in it."),
        at_least_risk,
        click.option(
            "--sort", type=click.Choice(["name", "risk"]), default="name", show_default=True, help="What comes first."
        ),
    ]
)


@click.group(cls=Group)
def app() -> None:
    """Connected apps, and what each can do where."""


@app.command("list", example="ledger")
@click.argument("search", required=False, default="")
@_filtered
@with_view
@listed(*_APPS)
@reports_errors
def list_apps(search: str, view: str, listing: Listing, **wanted: Any) -> None:
    """List the connected apps, with who publishes each and what it can do on each account."""
    with connect() as client:
        found = client.apps(**viewed(client, Listable.APPS, view, wanted | {"q": search}))
        if listing.for_people:
            listing.print((e for each in found for e in each.entries), empty="No app is connected.")
        else:
            listing.print(found, empty="")


exports(app, "connected apps", _filtered, lambda client: client.apps_export, example="apps.csv --outside")
