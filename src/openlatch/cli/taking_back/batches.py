"""One action for many entries, and all access of someone who is leaving."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.confirm import asked_count, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.inventory.inventory import filtered
from openlatch.cli.nouns import BATCH, PARTY
from openlatch.cli.output import (
    STUCK,
    Column,
    ago,
    came_to,
    day,
    emit,
    notches,
    out,
    outcome_option,
    outcomes,
    output_option,
    reports_errors,
)
from openlatch.client import Client
from openlatch.wire import messages as wire

__all__ = ["batch", "batches", "bulk", "leaver", "together"]

_MOST = 20
"""So many entries are named for what is grave; more are counted."""

_BATCHES: tuple[Column, ...] = (
    Column("id", lambda b: b.ref),
    Column.prose("what", lambda b: f"{b.party.name} goes" if b.party else f"{b.action} {b.count} entries"),
    Column("came of it", lambda b: outcomes(b.outcomes)),
    Column("given by", lambda b: Text(b.ordered_by)),
    Column("given", lambda b: ago(b.ordered_at)),
)
_ITEMS: tuple[Column, ...] = (
    Column("", lambda i: str(i.place)),
    Column("came of it", lambda i: came_to(i.outcome)),
    Column("when", lambda i: i.phase),
    Column("entry", lambda i: Text(i.entry.name if i.entry else "")),
    Column("provider", lambda i: i.provider),
    Column("order", lambda i: i.order),
    Column.prose("why", lambda i: Text(_why(i))),
)


def _why(item: wire.BatchItem) -> str:
    left = item.left_open
    if left is not None:
        return f"{left.reason} ({left.owner})"
    return item.trouble or (item.text if item.entry is None else "")


_PLANNED: tuple[Column, ...] = (
    Column("when", lambda i: i.phase),
    Column("entry", lambda i: Text(i.entry.name if i.entry else "by hand")),
    Column("provider", lambda i: i.provider),
    Column.prose("what", lambda i: Text(i.text)),
)


@click.command()
@click.argument(
    "action", type=click.Choice(["end", "narrow", "pause", "resume", "end-on", "extend", "close-sessions", "give-back"])
)
@filtered
@click.option("--to", "level", default="", help="With narrow or extend: the level.")
@click.option("--last-day", type=click.DateTime(["%Y-%m-%d"]), help="With end-on or extend: the last day.")
@click.option("--count", type=int, help="How many they are, instead of being asked; refused if they are not.")
@click.option("--reason", default="", help="Kept in the log.")
@click.option("--dry-run", is_flag=True, help="Only show what would happen; change nothing.")
@click.option("--no-wait", is_flag=True, help="Give the orders and leave, without following them.")
@output_option
@reports_errors
def bulk(
    action: str,
    search: str,
    level: str,
    last_day: datetime | None,
    count: int | None,
    reason: str,
    dry_run: bool,
    no_wait: bool,
    output: str,
    sort: str,
    **wanted: Any,
) -> None:
    """Do the same ACTION to all entries that the search and the filters of the inventory let through.

    \b
    openlatch bulk end --provider "Ticket Desk" --rule unused-past-limit --dry-run
    Shows what happens first, then asks how many they are.
    """
    where = {name: value for name, value in wanted.items() if value not in (None, "", False)} | {"q": search}
    until = last_day.date() if last_day else None
    with connect() as client:
        plan = client.plan_batch(where, action, level=level, until=until)
        if output == "table":
            _plan(out(), plan, action)
        if dry_run:
            if output != "table":
                emit([plan], (), output, empty="")
            return
        if count is None:
            count = asked_count("entries are changed", plan.count)
        given = client.command_batch(where, action, count=count, level=level, until=until, reason=reason)
        _follow(client, given, no_wait=no_wait, output=output)


def _plan(to: Console, plan: wire.BatchPlan, action: str) -> None:
    to.print(Text.assemble((f"{plan.count} entries", "bold"), f": {action}"))
    if plan.looked_at < plan.count:
        to.print(f"The first {plan.looked_at} were looked at one by one.", style="dim")
    together(to, plan.consequences, plan.refused)


def together(
    to: Console, consequences: Sequence[wire.CommonConsequence], refused: Sequence[wire.RefusedEntry] = ()
) -> None:
    """Print what many acts do together: what is grave entry by entry, the rest in one line each; and what cannot be."""
    why: dict[str, list[str]] = {}
    for no in refused:
        why.setdefault(no.why, []).append(no.entry.name)
    for consequence in consequences:
        said = {named.text for named in consequence.entries}
        if consequence.times == 1 or len(said) == 1:
            to.print(Text.assemble("  ", notches(consequence.severity), "  ", consequence.text))
            if consequence.times > 1:
                to.print(Text(f"        {_some_names(consequence)}"), style="dim")
        elif consequence.severity not in ("high", "critical"):
            to.print(
                Text.assemble(
                    "  ", notches(consequence.severity), f"  {consequence.times} entries, such as: ", consequence.text
                )
            )
            to.print(Text(f"        {_some_names(consequence)}"), style="dim")
        else:
            for named in consequence.entries[:_MOST]:
                to.print(Text.assemble("  ", notches(consequence.severity), f"  {named.entry.name}: ", named.text))
            if consequence.times > _MOST:
                to.print(Text(f"        and {consequence.times - _MOST} more like these"), style="dim")

    for reason, names in why.items():
        to.print(Text.assemble(("  not possible  ", "red"), f"{_few(names)}: {reason}"))


def _some_names(consequence: wire.CommonConsequence) -> str:
    return _few([named.entry.name for named in consequence.entries], consequence.times)


def _few(names: Sequence[str], count: int | None = None) -> str:
    more = (len(names) if count is None else count) - 3
    return ", ".join(names[:3]) + (f" and {more} more" if more > 0 else "")


def _follow(client: Client, given: wire.Batch, *, no_wait: bool, output: str) -> None:
    last = given
    if output == "table":
        click.echo(f"Ordered: batch {given.ref}, {given.count} things, by {given.ordered_by}.")
        if given.begins_at is not None:
            click.echo(f"It begins on {day(given.begins_at)}. Look at it: openlatch batch {given.ref}")
    if not no_wait:
        for last in client.follow_batch(given.ref):
            if output == "table":
                out().print(Text("  ").append_text(outcomes(last.outcomes)))
    if output != "table":
        emit([last], (), output, empty="")
    if output == "table":
        _remaining(last)
    troubled = last.outcomes.get("stuck", 0) + last.outcomes.get("refused", 0)
    if troubled:
        raise Failure(f"{troubled} of {last.count} need you.", f"Which, and why: openlatch batch {last.ref}", STUCK)


def _remaining(b: wire.Batch) -> None:
    """The access that someone who is leaving still has, and what people can do about it."""
    if b.party is None or b.over or not b.rests:
        return
    for way in b.remains:
        out().print(Text(f"  {b.party.name} still has {way}."), style="dark_orange3")
    if any(b.outcomes.get(word) for word in ("to do", "stuck", "refused")):
        out().print(
            Text(
                f"  It is over once nothing remains: openlatch batch {b.ref} --done NUMBER, or leave it open: "
                "--leave-open NUMBER --reason … --owner …"
            ),
            style="dim",
        )


@click.command()
@output_option
@reports_errors
def batches(output: str) -> None:
    """List batches, the latest first: orders that were given for many entries at once."""
    with connect() as client:
        emit(client.batches(), _BATCHES, output, empty="Nothing was ordered for many entries at once so far.")


@click.command()
@click.argument("batch", type=BATCH)
@outcome_option
@click.option("--follow", is_flag=True, help="Stay until nothing in it goes on by itself.")
@click.option("--cancel", is_flag=True, help="Let nothing more come of it; orders that were given go on.")
@click.option("--done", type=int, help="Say that the thing of this number, which a person is to do, is done.")
@click.option("--leave-open", type=int, help="The thing of this number is left open; with --reason and --owner.")
@click.option("--reason", default="", help="With --leave-open: why.")
@click.option("--owner", default="", help="With --leave-open: the address of who sees to it.")
@output_option
@reports_errors
def batch(
    batch: str,
    outcome: str | None,
    follow: bool,
    cancel: bool,
    done: int | None,
    leave_open: int | None,
    reason: str,
    owner: str,
    output: str,
) -> None:
    """Show BATCH (id or short form): what came of each thing in it."""
    with connect() as client:
        if done is not None:
            client.done_in_batch(batch, done)
        if leave_open is not None:
            client.leave_open_in_batch(batch, leave_open, reason, owner)
        if cancel:
            client.cancel_batch(batch)
        if follow:
            _follow(client, client.batch(batch), no_wait=False, output=output)
            return
        the_batch = client.batch(batch, outcome or "")
        if output != "table":
            emit([the_batch], (), output, empty="")
            return
        what = (
            f"{the_batch.party.name} goes" if the_batch.party else f"{the_batch.action.does} {the_batch.count} entries"
        )
        out().print(Text.assemble((f"Batch {the_batch.ref}", "bold"), f"  {what}"))
        out().print(
            f"  given by {the_batch.ordered_by}, {ago(the_batch.ordered_at)}"
            + (f": {the_batch.reason}" * bool(the_batch.reason))
        )
        if the_batch.cancelled_at is not None:
            out().print(f"  called off {ago(the_batch.cancelled_at)}; orders that it gave go on")
        elif the_batch.begins_at is not None:
            out().print(f"  begins on {day(the_batch.begins_at)}")
        out().print(Text("  ").append_text(outcomes(the_batch.outcomes)), "")
        _remaining(the_batch)
        emit(the_batch.items, _ITEMS, output, empty="Nothing in it came to that.")


@click.command()
@click.argument("party", type=PARTY)
@click.option("--last-day", type=click.DateTime(["%Y-%m-%d"]), help="Begin once this day is over; at once without it.")
@click.option("--who", default="", help="Who looks after what only people can do.")
@click.option("--reason", default="", help="Kept in the log.")
@click.option("--dry-run", is_flag=True, help="Only show what is to be done; change nothing.")
@click.option("--count", type=int, help="How many things, instead of being asked; refused if they are not.")
@yes_option
@click.option("--no-wait", is_flag=True, help="Give the orders and leave, without following them.")
@output_option
@reports_errors
def leaver(
    party: str,
    last_day: datetime | None,
    who: str,
    reason: str,
    dry_run: bool,
    count: int | None,
    yes: bool,
    no_wait: bool,
    output: str,
) -> None:
    """Take back everything that PARTY, who goes, holds anywhere; in the right order, and with proof."""
    with connect() as client:
        plan = client.plan_leaver(party)
        if output == "table":
            out().print(Text.assemble((plan.party.name, "bold"), f" goes: {len(plan.items)} things"))
            out().print(Text(", ".join(plan.party.addresses)), "", style="dim")
        if output == "table" or dry_run:
            emit(plan.items, _PLANNED, output, empty="They hold nothing, as far as is known.")
        if output == "table" and plan.consequences:
            out().print("\nWhat happens", style="bold")
            together(out(), plan.consequences)
        if dry_run:
            return
        if count is None:
            count = len(plan.items) if yes else asked_count("things are done", len(plan.items))
        given = client.leave(
            party,
            count=count,
            last_day=last_day.date() if last_day else None,
            who=who,
            reason=reason,
        )
        _follow(client, given, no_wait=no_wait, output=output)
