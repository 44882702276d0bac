"""Taking access back."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import Any, TypeVar

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.confirm import confirmed, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ENTRY, ORDER
from openlatch.cli.output import STUCK, Column, ago, day, emit, notches, out, output_option, reports_errors
from openlatch.client import Client
from openlatch.wire import messages as wire

__all__ = [
    "HOW_GIVEN",
    "change_secret",
    "close_sessions",
    "end",
    "end_on",
    "extend",
    "followed",
    "give_back",
    "give_up",
    "hand_over",
    "narrow",
    "order",
    "orders",
    "pause",
    "print_plan",
    "resume",
]

F = TypeVar("F", bound=Callable[..., Any])
STATE = {"proved": "green", "stuck": "red", "told": "yellow", "waiting": "yellow"}
ORDERS: tuple[Column, ...] = (
    Column("id", lambda o: o.ref),
    Column("state", lambda o: Text(o.state, STATE.get(o.state, ""))),
    Column("does", lambda o: o.action),
    Column("about", lambda o: Text(o.about)),
    Column("provider", lambda o: Text(o.provider)),
    Column("given by", lambda o: Text(o.ordered_by)),
    Column("given", lambda o: ago(o.ordered_at)),
    Column.prose("why", lambda o: Text(o.why)),
)


HOW_GIVEN = (
    click.option("--dry-run", is_flag=True, help="Only show what would happen; change nothing."),
    click.option("--reason", default="", help="Kept in the log."),
    yes_option,
    click.option("--no-wait", is_flag=True, help="Give the order and leave, without following it."),
    output_option,
)
"""What every order is given with."""


def _acting(*own: Callable[..., Any]) -> Callable[[F], F]:
    """Give a command what every order is given with, and options of its own behind the entry."""

    def decorate(function: F) -> F:
        for option in reversed(
            (
                click.argument("entry", type=ENTRY),
                *own,
                *HOW_GIVEN,
            )
        ):
            function = option(function)
        return function

    return decorate


@click.command()
@_acting(click.option("--successor", default="", help="The entry of whoever is made an administrator first."))
@reports_errors
def end(entry: str, successor: str, **how: Any) -> None:
    """End the access that ENTRY (id or short form) stands for, and follow it until it is proved.

    \b
    Shows what happens first, then asks. Exits 0 once it is proved, 6 if it needs a person.
    """
    _order(entry, "end", "End this access?", {"successor": successor}, **how)


@click.command()
@_acting()
@reports_errors
def give_up(entry: str, **how: Any) -> None:
    """Give up ENTRY, an access of your own (openlatch inventory --mine), and follow it until it is proved."""
    _order(entry, "give-up", "Give up this access?", {}, **how)


@click.command()
@_acting(
    click.option("--to", "level", default="", help="A level that gives less; without it, they are listed."),
    click.option("--keep", "resources", multiple=True, help="A part that is to be left; can be given again."),
)
@reports_errors
def narrow(entry: str, level: str, resources: tuple[str, ...], **how: Any) -> None:
    """Narrow ENTRY to a level that gives less, or to some of its parts."""
    if not level and not resources:
        with connect() as client:
            levels = client.plan(entry).levels
        raise Failure(
            "Say what it is to be narrowed to.",
            f"Levels that give less, the least first: {', '.join(levels) or 'none is known'}. "
            f"openlatch narrow {entry} --to LEVEL",
            2,
        )
    _order(entry, "narrow", "Narrow it?", {"level": level, "resources": list(resources) or None}, **how)


@click.command()
@_acting(click.option("--successor", default="", help="The entry of whoever is made an administrator first."))
@reports_errors
def pause(entry: str, successor: str, **how: Any) -> None:
    """Put ENTRY to rest; openlatch resume lets it live again."""
    _order(entry, "pause", "Pause it?", {"successor": successor}, **how)


@click.command()
@_acting()
@reports_errors
def resume(entry: str, **how: Any) -> None:
    """Let ENTRY, which is paused, live again."""
    _order(entry, "resume", "Resume it?", {}, **how)


@click.command()
@_acting(
    click.argument("last_day", type=click.DateTime(["%Y-%m-%d"])),
    click.option("--successor", default="", help="The entry of whoever is made an administrator first."),
)
@reports_errors
def end_on(entry: str, last_day: datetime, successor: str, **how: Any) -> None:
    """End ENTRY with LAST_DAY (2027-03-31): it holds through the end of that day."""
    _order(entry, "end-on", "End it with that day?", {"until": last_day.date(), "successor": successor}, **how)


@click.command()
@_acting()
@reports_errors
def close_sessions(entry: str, **how: Any) -> None:
    """Sign the party of ENTRY out wherever a session of theirs is open on the account."""
    _order(entry, "close-sessions", "Close them?", {}, **how)


@click.command()
@_acting()
@reports_errors
def change_secret(entry: str, **how: Any) -> None:
    """Have the secret changed that somebody was told; whoever knew it has nothing any more once it is done."""
    _order(entry, "change-secret", "Order that?", {}, **how)


_MORE = (
    click.option("--until", type=click.DateTime(["%Y-%m-%d"]), help="A later last day (2027-03-31)."),
    click.option("--no-end", is_flag=True, help="It has no end from then on."),
    click.option("--part", "parts", multiple=True, help="A part that is added; can be given again."),
    click.option("--all-parts", is_flag=True, help="It is on the whole account from then on."),
    click.option("--hours", default="", help="All the hours of the week in which it holds: “tue,fri 19:00-04:00”."),
    click.option("--all-hours", is_flag=True, help="It holds at all hours from then on."),
    click.option("--to", "level", default="", help="A level that gives more."),
)


@click.command()
@_acting(*_MORE)
@reports_errors
def extend(
    entry: str,
    until: datetime | None,
    parts: tuple[str, ...],
    hours: str,
    level: str,
    no_end: bool,
    all_parts: bool,
    all_hours: bool,
    **how: Any,
) -> None:
    """Extend ENTRY: for longer, for more parts or hours, or at a level that gives more. What it gives now stays.

    \b
    openlatch extend ENTRY --until 2027-06-30 --dry-run
    """
    lifts = [name for name, lifted in (("end", no_end), ("parts", all_parts), ("hours", all_hours)) if lifted]
    wish = {
        "until": until.date() if until else None,
        "resources": list(parts) or None,
        "hours": hours,
        "level": level,
        "lifts": lifts,
    }
    _order(entry, "extend", "Extend it?", wish, **how)


@click.command()
@_acting(click.option("--until", "last_day", type=click.DateTime(["%Y-%m-%d"]), help="A new last day (2027-03-31)."))
@reports_errors
def give_back(entry: str, last_day: datetime | None, **how: Any) -> None:
    """Give ENTRY, which has ended, back to its party as it was."""
    _order(entry, "give-back", "Give it back?", {"until": last_day.date() if last_day else None}, **how)


@click.command()
@_acting(click.option("--to", "successor", default="", help="The entry of whoever it goes to; else they are listed."))
@reports_errors
def hand_over(entry: str, successor: str, **how: Any) -> None:
    """Hand the account that ENTRY owns over to somebody else, once whoever has it agreed by a link in a letter."""
    _order(entry, "hand-over", "Ask them to agree?", {"successor": successor}, **how)


def _order(
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
    with connect() as client:
        there = client.entry(entry).order
        ended = there is not None and there.state == "proved" and there.action in ("end", "give-up")
        if there is not None and ended and action in ("end", "give-up"):
            click.echo(f"It has been ended already: order {there.ref} is proved.")
            return
        plan = client.plan(entry, action, **wish)
        if output == "table":
            _plan(out(), plan)
        if dry_run:
            if output != "table":
                emit([plan], (), output, empty="")
            elif plan.stop:
                out().print(f"\n{plan.stop}\n  {_ways_out(plan, action)}".rstrip(), style="bold", highlight=False)
            else:
                out().print("\nNothing was changed. Without --dry-run it is done, after asking you.", style="dim")
            return
        if plan.stop:
            raise Failure(f"{plan.stop} Nothing was ordered.", _ways_out(plan, action))
        confirmed(question, yes)
        given = client.command(entry, action, **wish, reason=reason, digest=plan.digest)
        followed(client, given, no_wait=no_wait, output=output)


def _ways_out(plan: wire.Plan, action: str) -> str:
    option = "--to" if action == "hand-over" else "--successor"
    if action == "extend":
        return ""
    ways = "".join(f"\n  {option} {way.entry}  {way.name}, now “{way.level}”" for way in plan.ways_out[:8])
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


def followed(client: Client, given: wire.Order, *, no_wait: bool, output: str) -> None:
    """Say that an order was given, and tell what becomes of it until it rests."""
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
    if last.state == "waiting" and "done" in last.moves and output == "table":
        out().print(f"  Once that is done: openlatch order {last.ref} --done")
    if last.state == "told" and last.rests and output == "table":
        out().print(f"  It is read again by itself; to see how far it is: openlatch order {last.ref}")
    if last.state == "stuck":
        raise Failure(f"Order {last.ref} needs you: {last.why}", f"Then: openlatch order {last.ref} --try-again", STUCK)


def _progress(o: wire.Order) -> None:
    said = {
        "running": "asking the provider",
        "waiting": f"tried {o.attempts} times: {o.why}" if o.attempts else o.why,
        "told": o.why or "the provider said yes; not yet seen",
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
@click.argument("order", type=ORDER)
@click.option("--follow", is_flag=True, help="Stay until it is proved, cancelled or stuck.")
@click.option("--try-again", is_flag=True, help="Try an order that is stuck once more, and follow it.")
@click.option("--cancel", is_flag=True, help="Call it off, while it waits or is stuck.")
@click.option("--done", is_flag=True, help="Say that what it asks a person to do is done, and follow it.")
@click.option("--said", default="", help="With --done: how, or by whom.")
@output_option
@reports_errors
def order(order: str, follow: bool, try_again: bool, cancel: bool, done: bool, said: str, output: str) -> None:
    """Show ORDER (id or short form) with its steps and its receipt."""
    with connect() as client:
        if done:
            client.done(order, said)
        if cancel:
            client.cancel(order)
        if try_again:
            client.try_again(order)
        the_order = client.order(order)
        if follow or try_again or done:
            followed(client, the_order, no_wait=False, output=output)
            the_order = client.order(order)
        elif output != "table":
            emit([the_order], (), output, empty="")
        if output == "table":
            _details(out(), the_order, client.me().workspace.zone)


def _details(to: Console, o: wire.Order, zone: str) -> None:
    to.print(Text.assemble((f"Order {o.ref}", "bold"), "  ", (o.state, STATE.get(o.state, ""))))
    entry = f" (entry {o.entry.ref})" if o.entry is not None else ""
    to.print(Text(f"  {o.action.does.lower()}{':' if o.team else ''} {o.about}, {o.provider}{entry}"))
    because = f": {o.reason}" if o.reason else ""
    to.print(f"  given by {o.ordered_by} on {day(o.ordered_at, zone)}{because}")
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
