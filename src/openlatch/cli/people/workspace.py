"""The workspace: its name, its time zone, and what its people need to sign in."""

from __future__ import annotations

from typing import Any

import click

from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.output import hint, out, output_option, print_one, reports_errors
from openlatch.core.phrases import so_long
from openlatch.wire import messages as wire

__all__ = ["workspace"]


class Days(click.ParamType[int]):
    """So many days, or for ever."""

    name = "days"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> int:
        if str(value).strip().casefold() == FOREVER:
            return 0
        if not str(value).strip().isdecimal():
            self.fail(f"“{value}” is not a number of days, nor “{FOREVER}”.", param, ctx)
        return int(value)


FOREVER = "forever"
DAYS = Days()


@click.group(cls=Group)
def workspace() -> None:
    """Name, time zone and sign-in rules of the workspace, and how long it keeps what happened."""


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
@click.option("--keep-events", "keep_events_days", type=DAYS, help="Days after which the log's events can be archived.")
@click.option("--keep-activity", "keep_activity_days", type=DAYS, help="Days after which activity is deleted.")
@click.option("--keep-readings", "keep_readings_days", type=DAYS, help="Days after which readings are deleted.")
@reports_errors
def change(name: str | None, zone: str | None, demanded: str | None, **kept: int | None) -> None:
    """Change the name or the time zone of the workspace, which roles need a second factor, or what is kept how long.

    Days are a number, or “forever”.
    """
    roles = None if demanded is None else [role.strip() for role in demanded.split(",") if role.strip()]
    if name is None and zone is None and roles is None and not any(days is not None for days in kept.values()):
        raise Failure("Nothing to change is given.", "openlatch workspace change --zone Europe/London", 2)
    with connect() as client:
        _tell(client.change_workspace(name=name, zone=zone, second_factor=roles, **kept))


def _tell(there: wire.Workspace) -> None:
    out().print(f"{there.name} ({there.slug})", style="bold")
    out().print(f"  time zone      {there.zone}")
    out().print(f"  second factor  needed by: {', '.join(there.second_factor) or 'nobody'}")
    out().print(f"  own domains    {', '.join(there.circle_domains) or 'none'}")
    out().print(f"  events kept    {so_long(there.keep_events_days)}")
    out().print(f"  activity kept  {so_long(there.keep_activity_days)}")
    out().print(f"  readings kept  {so_long(there.keep_readings_days)}")
    out().print(f"  letters        {'are sent' if there.sends_letters else 'are not sent: no mail server is set'}")
    hint("\nIts own domains are set in the policy: openlatch policy show")
