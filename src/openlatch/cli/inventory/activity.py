"""Activity: what was done on accounts."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.columns import Column, ago, day
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.nouns import ACCOUNT, PARTY, one_of
from openlatch.cli.output import Listing, listed, reports_errors
from openlatch.wire import messages as wire
from openlatch.words import How

__all__ = ["activity"]


def _behalf(a: wire.Activity) -> str:
    """In whose name something was done."""
    if a.behalf_of is not None:
        return a.behalf_of.name
    return "their own" if a.how == "own" else "the holder's"


_ACTIVITY: tuple[Column, ...] = (
    Column("when", lambda a: Text(day(a.at)).append(f"\n{ago(a.at)}", "dim")),
    Column.who("who", lambda a: a.party.name),
    Column.prose("what", lambda a: Text(a.what).append(f"\n{a.power or ''}", "dim")),
    Column("where", lambda a: Text(a.account.name).append(f"\n{a.provider}", "dim")),
    Column.more("in whose name", _behalf),
    Column("entry", lambda a: a.entry or "", whole=True, wide=True),
)


@click.group(cls=Group)
def activity() -> None:
    """What was done on accounts, by whom, in whose name."""


@activity.command("list", example="--account Gate")
@click.option("--account", type=ACCOUNT, default="", help="Only on this account.")
@click.option("--party", type=PARTY, default="", help="Only by this party, or in its name.")
@click.option("--how", type=one_of(How), help="Only by people themselves, by delegates, or by apps.")
@listed(*_ACTIVITY, limit=30)
@reports_errors
def list_activity(account: str, party: str, how: str | None, listing: Listing) -> None:
    """List what was done, the latest first."""
    with connect() as client:
        done = client.activity(account=account, party=party, how=how or "")
        listing.print(done, empty="No activity is known.")
