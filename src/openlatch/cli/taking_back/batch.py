"""Batches: one action for many entries, and what came of each."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.acting import (
    asked_count,
    confirmed,
    count_option,
    dry_run_option,
    last,
    no_wait_option,
    reason_option,
    until_option,
    yes_option,
)
from openlatch.cli.columns import Column, ago, came_to, day, notches, outcomes
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.inventory.entry import filtered
from openlatch.cli.nouns import BATCH
from openlatch.cli.output import (
    STUCK,
    Listing,
    going_on,
    hint,
    listed,
    only_shown,
    out,
    outcome_option,
    output_option,
    print_one,
    reports_errors,
)
from openlatch.cli.reports import report_format, report_options, write_report
from openlatch.client import Client
from openlatch.core.phrases import counted
from openlatch.wire import messages as wire

__all__ = ["BATCHES", "batch", "followed", "started", "together"]

_MOST = 20
"""So many entries are named for what is grave; more are counted."""
ACTIONS = ("end", "narrow", "pause", "resume", "extend", "close-sessions", "give-back")


def _what(b: wire.Batch) -> str:
    return f"{b.party.name} leaves" if b.party else f"{b.action.does} {counted(b.count, 'entry')}"


BATCHES: tuple[Column, ...] = (
    Column.ref(lambda b: b.ref),
    Column.prose("what", lambda b: Text(_what(b))),
    Column("outcomes", lambda b: outcomes(b.outcomes)),
    Column("by", lambda b: Text(b.ordered_by)),
    Column("ordered", lambda b: ago(b.ordered_at)),
)
_ITEMS: tuple[Column, ...] = (
    Column("", lambda i: str(i.place), named="place"),
    Column("outcome", lambda i: came_to(i.outcome)),
    Column.who("entry", lambda i: Text(i.entry.name if i.entry else "")),
    Column("order", lambda i: i.order, whole=True),
    Column.prose("why", lambda i: Text(_why(i))),
    Column.more("provider", lambda i: i.provider),
    Column.more("when", lambda i: i.phase),
)


def _why(item: wire.BatchItem) -> str:
    left = item.left_open
    if left is not None:
        return f"{left.reason} ({left.owner})"
    return item.trouble or (item.text if item.entry is None else "")


@click.group(cls=Group)
def batch() -> None:
    """Apply one action to many entries, and see what came of it.

    BATCH is its id or short form. A leaver is a batch too: openlatch leaver --help
    """


@batch.command("list")
@listed(*BATCHES)
@reports_errors
def list_batches(listing: Listing) -> None:
    """List batches, the latest first."""
    with connect() as client:
        listing.print(client.batches(), empty="There are no batches. Start one: openlatch batch start --help")


@batch.command("start", example="end --provider 'Ticket Desk' --rule unused-past-limit --dry-run")
@click.argument("action", type=click.Choice(ACTIONS))
@filtered
@click.option("--level", default="", help="With narrow or extend: the level.")
@until_option
@count_option
@reason_option
@dry_run_option
@no_wait_option
@output_option
@reports_errors
def start(
    action: str,
    search: str,
    level: str,
    until: datetime | None,
    count: int | None,
    reason: str,
    dry_run: bool,
    no_wait: bool,
    output: str,
    sort: str,
    **wanted: Any,
) -> None:
    """Apply ACTION to all entries that the search and the filters leave.

    With --until, end and extend take effect at the end of that day. Shows what happens first, then asks how many
    entries that are.
    """
    where = {name: value for name, value in wanted.items() if value not in (None, "", False)} | {"q": search}
    action = "end-on" if action == "end" and until is not None else action
    with connect() as client:
        plan = client.plan_batch(where, action, level=level, until=last(until))
        if output == "table":
            _plan(out(), plan, action)
        if dry_run:
            if output != "table":
                print_one(plan, output)
            else:
                only_shown()
            return
        if count is None:
            count = asked_count("entries are changed", plan.count)
        given = client.command_batch(where, action, count=count, level=level, until=last(until), reason=reason)
        started(client, given, no_wait=no_wait, output=output)


def _plan(to: Console, plan: wire.BatchPlan, action: str) -> None:
    to.print(Text.assemble((counted(plan.count, "entry"), "bold"), f": {action}"))
    if plan.looked_at < plan.count:
        to.print(f"The first {plan.looked_at} were checked one by one.", style="dim")
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


def started(client: Client, given: wire.Batch, *, no_wait: bool, output: str) -> None:
    """Say that a batch was started, and follow it."""
    if output == "table":
        click.echo(f"Ordered: batch {given.ref} with {counted(given.count, 'item')}, by {given.ordered_by}.")
        if given.begins_at is not None:
            hint(f"It begins on {day(given.begins_at)}. See it: openlatch batch show {given.ref}")
    followed(client, given, no_wait=no_wait, output=output)


def followed(client: Client, given: wire.Batch, *, no_wait: bool, output: str) -> None:
    """Tell of a batch's progress, and then what came of it; fails if it needs a person."""
    last = given
    if not no_wait:
        for last in client.follow_batch(given.ref):
            going_on().print(Text("  ").append_text(outcomes(last.outcomes)))
    if output != "table":
        print_one(last, output)
    else:
        out().print(Text("  ").append_text(outcomes(last.outcomes)))
        _remaining(last)
    troubled = last.outcomes.get("stuck", 0) + last.outcomes.get("refused", 0)
    if troubled:
        need = "needs" if troubled == 1 else "need"
        raise Failure(
            f"{troubled} of {counted(last.count, 'item')} {need} you.",
            f"Which, and why: openlatch batch show {last.ref}",
            STUCK,
        )


def _remaining(b: wire.Batch) -> None:
    """The access that someone who is leaving still has, and what people can do about it."""
    if b.party is None or b.over or not b.rests:
        return
    for way in b.remains:
        out().print(Text(f"  {b.party.name} still has {way}."), style="dark_orange3")
    if any(b.outcomes.get(word) for word in ("to do", "stuck", "refused")):
        hint(
            f"  It is over once nothing remains. Report one as done: openlatch batch done {b.ref} PLACE, or leave it "
            f"open: openlatch batch leave-open {b.ref} PLACE --reason … --owner …"
        )


_batch_argument = click.argument("batch", type=BATCH)
_place_argument = click.argument("place", type=int)


@batch.command("show", example="{batch}")
@_batch_argument
@outcome_option
@listed(*_ITEMS)
@reports_errors
def show(batch: str, outcome: str | None, listing: Listing) -> None:
    """Show a batch: what came of each item in it."""
    with connect() as client:
        there = client.batch(batch, outcome or "")
        if not listing.for_people:
            print_one(there, listing.output)
            return
        out().print(Text.assemble((f"Batch {there.ref}", "bold"), f"  {_what(there)}"))
        because = f": {there.reason}" if there.reason else ""
        out().print(f"  ordered by {there.ordered_by}, {ago(there.ordered_at)}{because}")
        if there.cancelled_at is not None:
            out().print(f"  cancelled {ago(there.cancelled_at)}; orders that were already given go on")
        elif there.begins_at is not None:
            out().print(f"  begins on {day(there.begins_at)}")
        out().print(Text("  ").append_text(outcomes(there.outcomes)))
        _remaining(there)
        listing.print(there.items, empty="Nothing in it has that outcome.")


@batch.command("follow", example="{batch}")
@_batch_argument
@output_option
@reports_errors
def follow(batch: str, output: str) -> None:
    """Follow a batch until nothing in it goes on by itself. Exits 6 if it needs a person."""
    with connect() as client:
        followed(client, client.batch(batch), no_wait=False, output=output)


@batch.command("done", example="{leaving_batch} {to_do}")
@_batch_argument
@_place_argument
@reports_errors
def done(batch: str, place: int) -> None:
    """Report that the item at PLACE, which a person had to do, is done."""
    with connect() as client:
        there = client.done_in_batch(batch, place)
    click.echo(f"Done: item {place} of batch {there.ref}.")


@batch.command(
    "leave-open",
    example="{leaving_batch} {to_do_too} --reason 'Away until May' --owner tobias.quill@kestrelridge.example",
)
@_batch_argument
@_place_argument
@click.option("--reason", required=True, help="Why; kept in the log and in the report.")
@click.option("--owner", required=True, help="The address of who takes care of it.")
@reports_errors
def leave_open(batch: str, place: int, reason: str, owner: str) -> None:
    """Leave the item at PLACE open: say why, and who takes care of it."""
    with connect() as client:
        there = client.leave_open_in_batch(batch, place, reason, owner)
    click.echo(f"Left open: item {place} of batch {there.ref}.")


@batch.command("cancel", example="{waiting_batch} --yes")
@_batch_argument
@yes_option
@reports_errors
def cancel(batch: str, yes: bool) -> None:
    """Cancel a batch: it gives no more orders. Those it has given go on."""
    with connect() as client:
        there = client.batch(batch)
        confirmed(f"Cancel batch {there.ref} ({_what(there)})?", yes)
        there = client.cancel_batch(batch)
    click.echo(f"Batch {there.ref} is cancelled.")


@batch.command("report", example="{batch} --to-file batch.json")
@_batch_argument
@report_options
@reports_errors
def report(batch: str, form: str | None, file: Path | None) -> None:
    """Write the report of a batch, also of a leaver: what was ordered, what came of it, and the proof."""
    with connect() as client:
        write_report(client.batch_report(batch, report_format(form, file)), file)
