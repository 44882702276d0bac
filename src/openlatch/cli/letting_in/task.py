"""Tasks: what people are let in for, and the least that is enough for one."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.columns import Column, powers
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.nouns import ACCOUNT
from openlatch.cli.output import Listing, listed, out, reports_errors

__all__ = ["task"]

_TASKS: tuple[Column, ...] = (
    Column("task", lambda t: t.id, whole=True),
    Column.prose("what for", lambda t: Text(t.title)),
    Column("needs", lambda t: ", ".join(t.needs)),
    Column("source", lambda t: "yours" if t.own else "built in"),
)
_CHOICES: tuple[Column, ...] = (
    Column("level", lambda c: Text(c.level)),
    Column("permissions", lambda c: Text(", ".join(c.permissions))),
    Column("powers", lambda c: powers(c.powers, None)),
    Column.prose("more than needed", lambda c: Text(", ".join(c.beyond) or "nothing")),
)


@click.group(cls=Group)
def task() -> None:
    """What people are let in for, and the least that is enough."""


@task.command("list")
@listed(*_TASKS)
@reports_errors
def list_tasks(listing: Listing) -> None:
    """List the tasks, your own first."""
    with connect() as client:
        listing.print(client.tasks(), empty="There are no tasks.")


@task.command("fit", example="'South Dome' --task observe")
@click.argument("account", type=ACCOUNT)
@click.option("--task", default="", help="A task (openlatch task list).")
@click.option("--power", "needs", multiple=True, help="A power that is needed; repeatable.")
@listed(*_CHOICES)
@reports_errors
def fit(account: str, task: str, needs: tuple[str, ...], listing: Listing) -> None:
    """Show the least that is enough for a task on an account, and what broader choices add."""
    with connect() as client:
        found = client.fit(account, task, list(needs))
    if listing.for_people:
        out().print(found.text, style="bold")
    listing.print(found.choices, empty="Nothing there is enough.")
