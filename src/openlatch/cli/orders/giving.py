"""Giving an order: what it does first, then asking, then following it until it is proved."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.acting import confirmed, dry_run_option, no_wait_option, reason_option, yes_option
from openlatch.cli.columns import notches
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ENTRY
from openlatch.cli.output import STUCK, going_on, hint, only_shown, out, output_option, print_one
from openlatch.client import Client
from openlatch.wire import messages as wire

__all__ = ["HOW_GIVEN", "STATE", "acting", "followed", "order_entry", "ordered", "print_plan"]

F = TypeVar("F", bound=Callable[..., Any])
STATE = {"proved": "green", "stuck": "red", "told": "yellow", "waiting": "yellow"}
HOW_GIVEN = (dry_run_option, reason_option, yes_option, no_wait_option, output_option)
"""What every order is given with."""


def acting(*own: Callable[..., Any]) -> Callable[[F], F]:
    """Give a command what every order about an entry is given with, and options of its own."""

    def decorate(function: F) -> F:
        for option in reversed((click.argument("entry", type=ENTRY), *own, *HOW_GIVEN)):
            function = option(function)
        return function

    return decorate


def order_entry(
    entry: str,
    action: str,
    question: str,
    wish: dict[str, Any],
    *,
    dry_run: bool,
    reason: str,
    yes: bool,
    no_wait: bool,
    output: str,
) -> None:
    """Order something about an entry: show the plan, ask, give the order, and follow it."""
    with connect() as client:
        there = client.entry(entry).order
        ended = there is not None and there.state == "proved" and there.action in ("end", "give-up")
        if there is not None and ended and action in ("end", "give-up"):
            click.echo(f"This access has already ended: order {there.ref} is proved.")
            return
        plan = client.plan(entry, action, **wish)
        if output == "table":
            _plan(out(), plan)
        if dry_run:
            if output != "table":
                print_one(plan, output)
            elif plan.stop:
                out().print(f"\n{plan.stop}\n  {_ways_out(plan, action)}".rstrip(), style="bold", highlight=False)
            else:
                only_shown()
            return
        if plan.stop:
            raise Failure(f"{plan.stop} Nothing was ordered.", _ways_out(plan, action))
        confirmed(question, yes)
        given = client.command(entry, action, **wish, reason=reason, digest=plan.digest)
        ordered(client, given, no_wait=no_wait, output=output)


def _ways_out(plan: wire.Plan, action: str) -> str:
    if action == "extend":
        return ""
    ways = "".join(f"\n  --successor {way.entry}  {way.name}, now “{way.level}”" for way in plan.ways_out[:8])
    return f"Who could follow:{ways}" if ways else "No one could follow yet."


def _plan(to: Console, plan: wire.Plan) -> None:
    outside = "  outside" if plan.party.outside else ""
    to.print(
        Text.assemble(
            f"{plan.action.does} ",
            (plan.party.name, "bold"),
            (outside, "cyan"),
            f" on {plan.account}, {plan.provider}",
        )
    )
    to.print(f"{', '.join(plan.party.addresses)}   {plan.entry.ref}", style="dim")
    print_plan(to, plan)


def print_plan(to: Console, plan: wire.Plan | wire.TeamPlan) -> None:
    """Print what happens by a plan, and how it is done."""
    if plan.consequences:
        to.print("\nWhat happens", style="bold")
    for consequence in plan.consequences:
        to.print(Text.assemble("  ", notches(consequence.severity), "  ", consequence.text))
    if plan.steps:
        to.print("\nHow it is done", style="bold")
    for number, step in enumerate(plan.steps, 1):
        to.print(Text(f"  {number}  {step.text}"))


def ordered(client: Client, given: wire.Order, *, no_wait: bool, output: str) -> None:
    """Say that an order was given, and follow it."""
    if output == "table":
        there = "This was already ordered" if given.already else "Ordered"
        click.echo(f"{there}: order {given.ref} by {given.ordered_by}.")
    followed(client, given, no_wait=no_wait, output=output)


def followed(client: Client, given: wire.Order, *, no_wait: bool, output: str) -> None:
    """Tell of an order's progress, and then what came of it; fails if it needs a person."""
    last = given
    if not no_wait:
        for last in client.follow(given.ref):
            if not last.rests:
                going_on().print(_progress(last))
    if output != "table":
        print_one(last, output)
    elif not no_wait:
        out().print(_progress(last))
    if last.state == "waiting" and "done" in last.moves and output == "table":
        hint(f"  Once that is done: openlatch order done {last.ref}")
    if last.state == "told" and last.rests and output == "table":
        hint(f"  The provider is read again on its own. See how far it is: openlatch order show {last.ref}")
    if last.state == "stuck":
        raise Failure(f"Order {last.ref} needs you: {last.why}", f"Then: openlatch order retry {last.ref}", STUCK)


def _progress(o: wire.Order) -> Text:
    said = {
        "running": "asking the provider",
        "waiting": f"tried {o.attempts} times: {o.why}" if o.attempts else o.why,
        "told": o.why or "the provider said yes; not yet seen in a reading",
        "proved": o.receipt.showed if o.receipt else "",
        "stuck": "it needs a person",
    }.get(o.state, "")
    return Text.assemble((f"  {o.state:<10}", STATE.get(o.state, "")), said)
