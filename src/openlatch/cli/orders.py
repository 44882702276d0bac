"""Taking access back."""

from __future__ import annotations

import sys
from collections.abc import Callable
from typing import Any, TypeVar

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.connection import connect
from openlatch.cli.output import STUCK, Column, Failure, ago, day, emit, notches, out, output_option, reports_errors
from openlatch.client import Client
from openlatch.wire import messages as wire

__all__ = ["end", "give_up", "order", "orders"]

F = TypeVar("F", bound=Callable[..., Any])
STATE = {"proved": "green", "stuck": "red", "told": "yellow", "waiting": "yellow"}
ORDERS: tuple[Column, ...] = (
    ("id", lambda o: o.ref),
    ("state", lambda o: Text(o.state, STATE.get(o.state, ""))),
    ("ends the access of", lambda o: Text(o.entry.name)),
    ("provider", lambda o: Text(o.provider)),
    ("given by", lambda o: Text(o.ordered_by)),
    ("given", lambda o: ago(o.ordered_at)),
    ("why", lambda o: Text(o.why)),
)


def _ordering(function: F) -> F:
    """Give a command what every order is given with."""
    for option in reversed(
        (
            click.argument("entry"),
            click.option("--dry-run", is_flag=True, help="Only show what would happen; change nothing."),
            click.option("--reason", default="", help="Kept in the log."),
            click.option("--yes", is_flag=True, help="Do not ask; for programs."),
            click.option("--no-wait", is_flag=True, help="Give the order and leave, without following it."),
            output_option,
        )
    ):
        function = option(function)
    return function


@click.command()
@_ordering
@reports_errors
def end(entry: str, dry_run: bool, reason: str, yes: bool, no_wait: bool, output: str) -> None:
    """End the access that ENTRY (id or short form) stands for, and follow it until it is proved.

    \b
    Shows what happens first, then asks. Exits 0 once it is proved, 6 if it needs a person.
    """
    _order("end", "End this access?", entry, dry_run=dry_run, reason=reason, yes=yes, no_wait=no_wait, output=output)


@click.command()
@_ordering
@reports_errors
def give_up(entry: str, dry_run: bool, reason: str, yes: bool, no_wait: bool, output: str) -> None:
    """Give up ENTRY, an access of your own (openlatch inventory --mine), and follow it until it is proved."""
    _order(
        "give-up",
        "Give up this access?",
        entry,
        dry_run=dry_run,
        reason=reason,
        yes=yes,
        no_wait=no_wait,
        output=output,
    )


def _order(
    action: str, question: str, entry: str, *, dry_run: bool, reason: str, yes: bool, no_wait: bool, output: str
) -> None:
    with connect() as client:
        there = client.entry(entry).order
        if there is not None and there.state == "proved":
            click.echo(f"It has been ended already: order {there.ref} is proved.")
            return
        plan = client.plan(entry, action)
        if output == "table":
            _plan(out(), plan)
        if dry_run:
            if output != "table":
                emit([plan], (), output, empty="")
            else:
                out().print("\nNothing was changed. Without --dry-run it is done, after asking you.", style="dim")
            return
        if not yes:
            if not sys.stdin.isatty():
                raise Failure(
                    "Nobody is there to confirm. Nothing was changed.", "Add --yes to do it without asking.", 2
                )
            click.confirm(f"\n{question}", abort=True)
        given = (client.end if action == "end" else client.give_up)(entry, reason=reason, digest=plan.digest)
        _follow(client, given, no_wait=no_wait, output=output)


def _plan(to: Console, plan: wire.Plan) -> None:
    outside = "  outside" if plan.party.outside else ""
    to.print(
        Text.assemble(
            "Give up the access of " if plan.action == "give-up" else "End the access of ",
            (plan.party.name, "bold"),
            (outside, "cyan"),
            f" to {plan.account}, {plan.provider}",
        )
    )
    to.print(f"{', '.join(plan.party.addresses)}   {plan.entry.ref}", style="dim")
    to.print("\nWhat happens", style="bold")
    for consequence in plan.consequences:
        to.print(Text.assemble("  ", notches(consequence.severity), "  ", consequence.text))
    to.print("\nHow it is done", style="bold")
    for number, step in enumerate(plan.steps, 1):
        to.print(f"  {number}  {step.text}")


def _follow(client: Client, given: wire.Order, *, no_wait: bool, output: str) -> None:
    if output == "table":
        there = "This was ordered already" if given.already else "Ordered"
        click.echo(f"{there}: order {given.ref} by {given.ordered_by}.")
    last = given
    if not no_wait:
        for last in client.follow(given.ref):
            if output == "table":
                _progress(last)
    if output != "table":
        emit([last], (), output, empty="")
    if last.state == "stuck":
        raise Failure(f"Order {last.ref} needs you: {last.why}", f"Then: openlatch order {last.ref} --try-again", STUCK)


def _progress(o: wire.Order) -> None:
    said = {
        "running": "asking the provider",
        "waiting": f"waiting, tried {o.attempts} times: {o.why}",
        "told": f"told, not yet seen gone. {o.why}".rstrip(),
        "proved": o.receipt.showed if o.receipt else "",
        "stuck": "it needs a person",
    }.get(o.state, "")
    out().print(Text.assemble((f"  {o.state:<10}", STATE.get(o.state, "")), said))


@click.command()
@click.option("--state", default="", help="States, separated by commas: waiting, running, told, proved, stuck …")
@output_option
@reports_errors
def orders(state: str, output: str) -> None:
    """List orders, the latest first."""
    with connect() as client:
        emit(client.orders(state), ORDERS, output, empty="No order matches.")


@click.command()
@click.argument("order")
@click.option("--follow", is_flag=True, help="Stay until it is proved, cancelled or stuck.")
@click.option("--try-again", is_flag=True, help="Try an order that is stuck once more, and follow it.")
@click.option("--cancel", is_flag=True, help="Call it off, while it waits or is stuck.")
@output_option
@reports_errors
def order(order: str, follow: bool, try_again: bool, cancel: bool, output: str) -> None:
    """Show ORDER (id or short form) with its steps and its receipt."""
    with connect() as client:
        if cancel:
            client.cancel(order)
        if try_again:
            client.try_again(order)
        found = client.order(order)
        if follow or try_again:
            _follow(client, found, no_wait=False, output=output)
            found = client.order(order)
        elif output != "table":
            emit([found], (), output, empty="")
        if output == "table":
            _details(out(), found, client.me().workspace.zone)


def _details(to: Console, o: wire.Order, zone: str) -> None:
    to.print(Text.assemble((f"Order {o.ref}", "bold"), "  ", (o.state, STATE.get(o.state, ""))))
    to.print(f"  ends the access of {o.entry.name}, {o.provider} (entry {o.entry.ref})")
    because = f": {o.reason}" if o.reason else ""
    to.print(f"  given by {o.ordered_by} on {day(o.ordered_at, zone)}{because}")
    if o.why:
        to.print(f"  {o.why}", style="dark_orange3")
    for number, step in enumerate(o.steps, 1):
        done = f"done {ago(step.at)}: {step.said}" if step.at else "to be done"
        to.print(f"  {number}  {step.text}  ({done})")
    if o.receipt is not None:
        to.print(
            f"\nReceipt: on {day(o.receipt.read_at, zone)} a fresh reading of {o.receipt.provider} showed that "
            f"{o.receipt.showed}."
        )
