"""The workspace: its name, its time zone, and what its people need to sign in."""

from __future__ import annotations

import click

from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.output import hint, out, output_option, print_one, reports_errors
from openlatch.wire import messages as wire

__all__ = ["workspace"]


@click.group(cls=Group)
def workspace() -> None:
    """Name, time zone and sign-in rules of the workspace."""


@workspace.command("show")
@output_option
@reports_errors
def show(output: str) -> None:
    """Show the workspace."""
    with connect() as client:
        there = client.workspace()
    if output == "table":
        _tell(there)
    else:
        print_one(there, output)


@workspace.command("change", example="--zone Europe/London")
@click.option("--name", default=None, help="A new name.")
@click.option("--zone", default=None, help="A new time zone, such as Europe/London.")
@click.option(
    "--second-factor", "demanded", default=None, help="Roles that need one, such as owner,manager; '' for none."
)
@reports_errors
def change(name: str | None, zone: str | None, demanded: str | None) -> None:
    """Change the name or the time zone of the workspace, or which roles need a second factor."""
    roles = None if demanded is None else [role.strip() for role in demanded.split(",") if role.strip()]
    if name is None and zone is None and roles is None:
        raise Failure("Nothing to change is given.", "openlatch workspace change --zone Europe/London", 2)
    with connect() as client:
        _tell(client.change_workspace(name=name, zone=zone, second_factor=roles))


def _tell(there: wire.Workspace) -> None:
    out().print(f"{there.name} ({there.slug})", style="bold")
    out().print(f"  time zone      {there.zone}")
    out().print(f"  second factor  needed by: {', '.join(there.second_factor) or 'nobody'}")
    out().print(f"  own domains    {', '.join(there.circle_domains) or 'none'}")
    out().print(f"  letters        {'are sent' if there.sends_letters else 'are not sent: no mail server is set'}")
    hint("\nIts own domains are set in the policy: openlatch policy show")
