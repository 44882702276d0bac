"""Profiles: your sign-ins on this machine, one for each workspace."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.columns import Column
from openlatch.cli.command import Group
from openlatch.cli.connection import all_kept, client_of, use
from openlatch.cli.output import Listing, listed, reports_errors
from openlatch.errors import NotSignedIn, OpenLatchError
from openlatch.wire import messages as wire

__all__ = ["profile"]


class _Profile(wire.Holder):
    """What waits in the workspace of a profile."""

    profile: str
    server: str


_PROFILES: tuple[Column, ...] = (
    Column.who("profile", lambda p: p.profile),
    Column("workspace", lambda p: Text(p.name)),
    Column("as", lambda p: Text(f"{p.person}, {p.role}")),
    Column("requests", lambda p: str(p.requests)),
    Column("offers", lambda p: str(p.offers)),
    Column("to decide", lambda p: str(p.items)),
    Column("stuck", lambda p: str(p.stuck)),
    Column.address("server", lambda p: p.server, wide=True),
)


@click.group(cls=Group)
def profile() -> None:
    """Your sign-ins on this machine, and what waits in each.

    openlatch sign-in adds one. The one in use stands first.
    """


@profile.command("list")
@listed(*_PROFILES)
@reports_errors
def list_profiles(listing: Listing) -> None:
    """List your sign-ins on this machine, and what waits for you in each."""
    found, silent = [], []
    for kept in all_kept():
        try:
            with client_of(kept["server"], kept["token"]) as client:
                waiting = client.waiting().model_dump()
            found.append(_Profile(**waiting, profile=kept["profile"], server=kept["server"]))
        except OpenLatchError as error:
            silent.append((kept, error))
    if found or not silent:
        listing.print(found, empty="Nobody is signed in here. Sign in: openlatch sign-in SERVER")
    if silent:
        first, why = silent[0]
        names = ", ".join(kept["profile"] or kept["server"] for kept, _ in silent)
        again = f"openlatch sign-in {first['server']} --workspace {first.get('workspace', '')}"
        raise type(why)(
            f"What waits in {names} is not known: {why.message} Nothing was changed.",
            next_step=again if isinstance(why, NotSignedIn) else why.next_step,
        )


@profile.command("use", example="kestrel-ridge")
@click.argument("name")
@reports_errors
def use_profile(name: str) -> None:
    """Use another of your sign-ins for the next commands."""
    there = use(name)
    click.echo(f"In use: {there['profile']}, at {there['server']}.")
