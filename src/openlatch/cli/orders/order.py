"""Orders: what was commanded, how far it is, and what a person can do about one."""

from __future__ import annotations

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.acting import confirmed, yes_option
from openlatch.cli.columns import Column, ago, day
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.nouns import ORDER
from openlatch.cli.orders.giving import STATE, followed
from openlatch.cli.output import Listing, listed, out, output_option, print_one, reports_errors
from openlatch.wire import messages as wire

__all__ = ["order"]

_ORDERS: tuple[Column, ...] = (
    Column.ref(lambda o: o.ref),
    Column("state", lambda o: Text(o.state, STATE.get(o.state, ""))),
    Column("action", lambda o: o.action),
    Column.who("about", lambda o: Text(o.about)),
    Column("ordered", lambda o: ago(o.ordered_at)),
    Column.prose("why", lambda o: Text(o.why)),
    Column.more("provider", lambda o: Text(o.provider)),
    Column.more("by", lambda o: Text(o.ordered_by)),
)


@click.group(cls=Group)
def order() -> None:
    """Orders: follow, retry, cancel, report one as done.

    An order is a commanded change at a provider; openlatch end and openlatch entry give one. ORDER is its id or short
    form.
    """


@order.command("list", example="--state stuck,waiting")
@click.option("--state", default="", help="States, separated by commas: waiting, running, told, proved, stuck …")
@listed(*_ORDERS)
@reports_errors
def list_orders(state: str, listing: Listing) -> None:
    """List orders, the latest first."""
    with connect() as client:
        listing.print(client.orders(state), empty="No order matches.")


@order.command("show", example="{order}")
@click.argument("order", type=ORDER)
@output_option
@reports_errors
def show(order: str, output: str) -> None:
    """Show an order with its steps and its receipt."""
    with connect() as client:
        the_order = client.order(order)
        if output == "table":
            _details(out(), the_order, client.me().workspace.zone)
        else:
            print_one(the_order, output)


@order.command("follow", example="{order}")
@click.argument("order", type=ORDER)
@output_option
@reports_errors
def follow(order: str, output: str) -> None:
    """Follow an order until it is proved, cancelled or stuck. Exits 6 if it needs a person."""
    with connect() as client:
        followed(client, client.order(order), no_wait=False, output=output)


@order.command("retry", example="{stuck}")
@click.argument("order", type=ORDER)
@output_option
@reports_errors
def retry(order: str, output: str) -> None:
    """Try a stuck order once more, and follow it."""
    with connect() as client:
        followed(client, client.try_again(order), no_wait=False, output=output)


@order.command("done", example="{waiting} --said 'Removed by Isla in the sign shop'")
@click.argument("order", type=ORDER)
@click.option("--said", default="", help="How, or by whom; kept with the order.")
@output_option
@reports_errors
def done(order: str, said: str, output: str) -> None:
    """Report that what an order asks a person to do is done, and follow it."""
    with connect() as client:
        followed(client, client.done(order, said), no_wait=False, output=output)


@order.command("cancel", example="{stuck_too} --yes")
@click.argument("order", type=ORDER)
@yes_option
@reports_errors
def cancel(order: str, yes: bool) -> None:
    """Cancel an order that waits or is stuck."""
    with connect() as client:
        there = client.order(order)
        confirmed(f"Cancel order {there.ref} ({there.action}: {there.about})?", yes)
        the_order = client.cancel(order)
    click.echo(f"Order {the_order.ref} is {the_order.state}.")


def _details(to: Console, o: wire.Order, zone: str) -> None:
    to.print(Text.assemble((f"Order {o.ref}", "bold"), "  ", (o.state, STATE.get(o.state, ""))))
    entry = f" (entry {o.entry.ref})" if o.entry is not None else ""
    to.print(Text(f"  {o.action.does.lower()}{':' if o.team else ''} {o.about}, {o.provider}{entry}"))
    because = f": {o.reason}" if o.reason else ""
    to.print(f"  ordered by {o.ordered_by} on {day(o.ordered_at, zone)}{because}")
    if o.why:
        to.print(f"  {o.why}", style="dark_orange3")
    for number, step in enumerate(o.steps, 1):
        done = f"done {ago(step.at)}: {step.said}" if step.at else "to be done"
        to.print(f"  {number}  {step.text}  ({done})")
    if o.receipt is not None:
        read = any(step.call == "read" for step in o.steps)
        how = f" a fresh reading of {o.receipt.provider} showed that" if read else ":"
        to.print(f"\nReceipt: on {day(o.receipt.read_at, zone)}{how} {o.receipt.showed}.")
        for way in o.receipt.remains:
            to.print(Text(f"  {o.party} still has {way}."), style="dark_orange3")
