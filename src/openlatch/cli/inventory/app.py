"""Connected apps."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.columns import Column
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.inventory.cells import held, used, where
from openlatch.cli.output import Listing, listed, reports_errors
from openlatch.wire import messages as wire

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


@click.group(cls=Group)
def app() -> None:
    """Connected apps, and what each can do where."""


@app.command("list", example="ledger")
@click.argument("search", required=False, default="")
@listed(*_APPS)
@reports_errors
def list_apps(search: str, listing: Listing) -> None:
    """List the connected apps, with who publishes each and what it can do on each account."""
    with connect() as client:
        found = client.apps(search)
        if listing.for_people:
            listing.print((e for each in found for e in each.entries), empty="No app is connected.")
        else:
            listing.print(found, empty="")
