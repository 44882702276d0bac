"""Rounds of reviews: looking at one, deciding its items, and seeing it closed."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

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
    until_option,
    yes_option,
)
from openlatch.cli.columns import Column, came_to, day, outcomes
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import REVIEW, ROUND, one_of
from openlatch.cli.output import STUCK, Listing, going_on, hint, listed, only_shown, out, outcome_option, reports_errors
from openlatch.cli.reports import report_format, report_options, write_report
from openlatch.cli.taking_back.batch import together
from openlatch.client import Client
from openlatch.core.phrases import counted, left_out
from openlatch.errors import Invalid
from openlatch.wire import messages as wire
from openlatch.words import Choice, Outcome

__all__ = ["round_"]

_round_argument = click.argument("round_ref", metavar="ROUND", type=ROUND)
_place_argument = click.argument("place", type=int)
_ROUNDS: tuple[Column, ...] = (
    Column.ref(lambda r: r.ref),
    Column.who("review", lambda r: Text(r.review.name)),
    Column("state", lambda r: "paused" if r.paused_at else r.state),
    Column("due", lambda r: day(r.due_at)),
    Column.prose("outcomes", lambda r: outcomes(r.outcomes)),
    Column("for you", lambda r: str(r.mine or "")),
    Column.more("opened", lambda r: day(r.opened_at)),
)


_ITEMS: tuple[Column, ...] = (
    Column("", lambda i: str(i.place), named="place"),
    Column("risk", lambda i: str(i.facts.risk)),
    Column.who("who", lambda i: Text(f"{i.facts.party}\n{', '.join(i.entry.party.addresses)}")),
    Column("where and as", lambda i: Text(f"{i.facts.account}, {i.facts.provider}\n{_as(i)}")),
    Column("so far", lambda i: Text.assemble(came_to(i.outcome), f"\n{_decided(i)}")),
    Column.prose("advice", lambda i: Text(f"{i.advice}\n{i.advice_why}")),
)


def _by(decision: wire.Decision) -> str:
    return f"{decision.by} for {decision.instead_of}" if decision.instead_of else decision.by


def _as(i: wire.RoundItem) -> str:
    parts = ", ".join(i.facts.resources[:3]) + (" …" if len(i.facts.resources) > 3 else "")
    return f"{i.facts.level}: {parts}" if parts else i.facts.level


def _decided(i: wire.RoundItem) -> str:
    if i.left_open is not None:
        return f"left open: {i.left_open.reason} ({i.left_open.owner})"
    if i.decision is None:
        return i.trouble
    more = i.decision.level or (i.decision.until.isoformat() if i.decision.until else "")
    said = f"{i.decision.choice}{f' {more}' if more else ''}, {_by(i.decision)}"
    return "\n".join(filter(None, [said, i.decision.reason, i.trouble]))


@click.group("round", cls=Group)
def round_() -> None:
    """Rounds of reviews: decide their items, finish, report.

    ROUND is its id or short form; PLACE is the number of an item, as openlatch round show has it.
    """


@round_.command("list", example="--state open")
@click.option("--state", default="", help="Only these, separated by commas: open, settling, closed.")
@click.option("--review", "name", type=REVIEW, default="", help="Only of this review.")
@listed(*_ROUNDS)
@reports_errors
def list_rounds(state: str, name: str, listing: Listing) -> None:
    """List rounds, the latest first."""
    with connect() as client:
        found = client.rounds(state, review=name)
        listing.print(found, empty="There are no rounds yet. Open one: openlatch review open REVIEW")


@round_.command("show", example="{round} --mine")
@_round_argument
@click.option("--mine", is_flag=True, help="Only what you are asked about.")
@outcome_option
@listed(*_ITEMS)
@reports_errors
def show_round(round_ref: str, mine: bool, outcome: str | None, listing: Listing) -> None:
    """Show a round with its items, the riskiest account first."""
    with connect() as client:
        review_round = client.round(round_ref)
        items = client.round_items(round_ref, mine=mine, outcome=outcome or "")
        listing.print(items, empty="This round has no such items.")
        if listing.for_people:
            _footer(out(), review_round, client.me().workspace.zone)


@round_.command("file", example="{round} --to-file decisions.csv")
@_round_argument
@click.option("--mine", is_flag=True, help="Only what you are asked about.")
@click.option(
    "--to-file", "file", type=click.Path(dir_okay=False, path_type=Path), required=True, help="The file to write (CSV)."
)
@reports_errors
def decision_file(round_ref: str, mine: bool, file: Path) -> None:
    """Write what is not decided yet to a file, in which you fill in your choices."""
    with connect() as client:
        content = client.decision_file(round_ref, mine=mine)
    file.write_bytes(content)
    click.echo(f"Wrote {counted(len(content.splitlines()) - 1, 'item')} to {click.format_filename(file)}.")
    hint(f"Fill in the column choice, then: openlatch round decide {round_ref} --from-file {file}")


def _footer(to: Console, review_round: wire.Round, zone: str) -> None:
    state = "paused" if review_round.paused_at else review_round.state
    to.print(
        Text.assemble(
            (f"{review_round.review.name}, round {review_round.ref}", "bold"),
            f": {state}, due {day(review_round.due_at, zone)}. ",
        )
    )
    to.print(outcomes(review_round.outcomes))
    for who in review_round.progress:
        others = f", {who.by_others} of them by others" if who.by_others else ""
        to.print(Text(f"  {who.name or 'nobody can be asked'}: {who.decided} of {who.items} decided{others}", "dim"))
    if review_round.left_out:
        to.print(left_out(review_round.left_out), style="dim")
    if review_round.joined:
        to.print(
            f"{counted(review_round.joined, 'entry')} came into its scope since; the next round covers them.",
            style="dim",
        )
    if review_round.compared is not None:
        c = review_round.compared
        to.print(
            f"With a flag: {c.flagged.then} of {c.entries.then} then, {c.flagged.now} of the {c.entries.now} left now. "
            f"Their risk: {c.risk.then} then, {c.risk.now} now."
        )
        if c.joined:
            to.print(Text(f"Came into its scope since, and not in it: {'; '.join(c.joined)}.", "dim"))


@round_.command("decide", example="{round} keep 1 --reason 'Still needed'")
@_round_argument
@click.argument("choice", type=one_of(Choice), required=False)
@click.argument("places", nargs=-1, type=int)
@click.option("--reason", default="", help="Needed against the advice, or above the risk limit of the review.")
@click.option("--level", default="", help="With narrow: the level.")
@until_option
@click.option("--reviewer", default="", help="With pass-on: the address of who is asked instead.")
@click.option(
    "--from-file",
    "file",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="Decisions from a list (.csv, .xlsx) with the columns of openlatch round file; all or none.",
)
@reports_errors
def decide(
    round_ref: str,
    choice: str | None,
    places: tuple[int, ...],
    reason: str,
    level: str,
    until: datetime | None,
    reviewer: str,
    file: Path | None,
) -> None:
    """Decide items of a round: the same CHOICE for the items with these PLACES.

    \b
    openlatch round decide 7Q4K-BRM2 keep 1 4 5
    openlatch round decide 7Q4K-BRM2 end-on 2 --until 2030-03-31
    openlatch round decide 7Q4K-BRM2 --from-file decisions.csv
    """
    if file is None and (choice is None or not places):
        raise Failure("Say what you decide, and about which items.", "openlatch round decide ROUND keep 1 4 5", 2)
    with connect() as client:
        if file is not None:
            _from_file(client, round_ref, file)
            return
        given = client.decide(
            round_ref,
            list(places),
            choice or "",
            reason=reason,
            level=level,
            until=last(until),
            to=reviewer,
        )
        _say(given)


def _from_file(client: Client, round_ref: str, file: Path) -> None:
    kind = file.suffix.removeprefix(".").lower()
    try:
        given = client.decide_by_file(round_ref, file.read_bytes(), kind if kind in wire.LISTS else "csv")
    except Invalid as error:
        for value in error.fields.get("errors") or []:
            click.echo(f"  {value['at']}: {value['problem']}", err=True)
        raise Failure(f"{file}: {error.message}", error.next_step, 2) from error
    _say(given)


def _say(given: wire.Decided) -> None:
    instead = f", instead of {', '.join(given.instead_of)}" if given.instead_of else ""
    click.echo(f"{given.decided} decided{instead}.")


@round_.command("finish", example="{decided} --count 0")
@_round_argument
@count_option
@dry_run_option
@no_wait_option
@reports_errors
def finish(round_ref: str, count: int | None, dry_run: bool, no_wait: bool) -> None:
    """Finish a round before it is due: its decisions become orders, and it closes once all are proved.

    Shows what happens first, then asks how many orders that are.
    """
    with connect() as client:
        review_round = client.round(round_ref)
        plan = client.plan_round(round_ref)
        silent = review_round.outcomes.get(Outcome.UNDECIDED, 0)
        rest = f"{silent} not decided" if silent else "all are decided"
        out().print(f"{plan.count} of {counted(review_round.count, 'item')} become orders; {rest}.")
        together(out(), plan.consequences, plan.refused)
        if dry_run:
            only_shown()
            return
        if count is None:
            count = asked_count("orders are given", plan.count)
        review_round = client.finish_round(round_ref, count=count)
        if no_wait:
            return
        for there in client.follow_round(review_round.ref):
            going_on().print(Text(f"  {there.state}: ") + outcomes(there.outcomes))
            review_round = there
        out().print(Text(f"  {review_round.state}: ") + outcomes(review_round.outcomes))
        if review_round.state == "settling":
            raise SystemExit(_left(review_round))


def _left(review_round: wire.Round) -> int:
    hint(
        f"It closes once the rest is proved, or left open: openlatch round leave-open {review_round.ref} "
        "PLACE --reason … --owner …"
    )
    return STUCK


@round_.command("cancel", example="{off} --reason 'Asked in spring already' --yes")
@_round_argument
@click.option("--reason", required=True, help="Why; the reviewers are told.")
@yes_option
@reports_errors
def cancel_round(round_ref: str, reason: str, yes: bool) -> None:
    """Cancel a round: it gives no more orders. Those it has given go on; cancel them one by one."""
    with connect() as client:
        review_round = client.round(round_ref)
        under_way = sum(number for word, number in review_round.outcomes.items() if Outcome(word).goes_on)
        decided = sum(asked.decided for asked in review_round.progress)
        orders = f"; {counted(under_way, 'order')} it has given will go on" if under_way else ", and no order goes on"
        click.echo(
            f"Round {review_round.ref} of “{review_round.review.name}”: "
            f"{decided} of {review_round.count} decided{orders}."
        )
        confirmed("Cancel it?", yes)
        review_round = client.cancel_round(round_ref, reason)
    click.echo(f"Round {review_round.ref} is cancelled. The reviewers are told.")


@round_.command("pause", example="{later}")
@_round_argument
@reports_errors
def pause(round_ref: str) -> None:
    """Pause a round: nobody is asked or reminded, and the pause is added to the time to answer."""
    with connect() as client:
        there = client.pause_round(round_ref)
    click.echo(f"Round {there.ref} is paused. Resume: openlatch round resume {there.ref}")


@round_.command("resume", example="{later}")
@_round_argument
@reports_errors
def resume(round_ref: str) -> None:
    """Resume a paused round."""
    with connect() as client:
        there = client.pause_round(round_ref, resume=True)
        click.echo(f"Round {there.ref} goes on; due {day(there.due_at)}.")


@round_.command("assign", example="{round} 1 --reviewer ines.okoro@kestrelridge.example")
@_round_argument
@click.argument("places", nargs=-1, type=int)
@click.option(
    "--reviewer", "to", multiple=True, required=True, help="An address; with several, the items are split by account."
)
@click.option("--of", default="", help="All that wait for whoever has this name or address, instead of PLACES.")
@reports_errors
def assign_items(round_ref: str, places: tuple[int, ...], to: tuple[str, ...], of: str) -> None:
    """Give the items of a round with these PLACES to another reviewer, or split them among several by account."""
    with connect() as client:
        wanted = list(places)
        if of:
            who = _asked(client.round(round_ref).progress, of)
            items = client.round_items(round_ref, outcome="undecided")
            wanted += [item.place for item in items if item.reviewer_id == who.id]
        if not wanted:
            raise Failure("No item is named that still waits.", f"Look at them: openlatch round show {round_ref}", 2)
        review_round = client.assign_items(round_ref, wanted, to)
        click.echo(f"{counted(len(wanted), 'item')} assigned.")
        for each in review_round.progress:
            whom = f"{each.name} ({each.address})" if each.name else "nobody can be asked"
            click.echo(f"  {whom}: {each.decided} of {each.items}")


def _asked(progress: Sequence[wire.ReviewerProgress], of: str) -> wire.ReviewerProgress:
    """Whoever is asked in a round and has an address, or alone has a name."""
    wanted = of.strip().lower()
    named = [reviewer_progress for reviewer_progress in progress if reviewer_progress.name.lower() == wanted]
    progresses = [
        reviewer_progress
        for reviewer_progress in progress
        if reviewer_progress.address and reviewer_progress.address == wanted
    ] or named
    if len(progresses) == 1:
        return progresses[0]
    what = f"{len(progresses)} people called “{of}” are" if progresses else f"Nobody called “{of}” is"
    one_of = ", ".join(
        reviewer_progress.address for reviewer_progress in progresses or progress if reviewer_progress.address
    )
    raise Failure(f"{what} asked in this round. Nothing was changed.", f"Name one by address: {one_of}", 2)


@round_.command("retry", example="{settling} 1")
@_round_argument
@_place_argument
@reports_errors
def retry(round_ref: str, place: int) -> None:
    """Try again to give the order for an item whose decision could not become one."""
    with connect() as client:
        client.try_item_again(round_ref, place)
        click.echo(f"It is tried again. See what comes of it: openlatch round show {round_ref} --outcome refused")


@round_.command(
    "leave-open", example="{settling} 1 --reason 'Away until May' --owner tobias.quill@kestrelridge.example"
)
@_round_argument
@_place_argument
@click.option("--reason", required=True, help="Why; kept in the log and in the report.")
@click.option("--owner", required=True, help="The address of who takes care of it.")
@reports_errors
def leave_open(round_ref: str, place: int, reason: str, owner: str) -> None:
    """Leave an item of a round open: say why, and who takes care of it."""
    with connect() as client:
        review_round = client.leave_open(round_ref, place, reason, owner)
        click.echo(f"Round {review_round.ref} is {review_round.state}.")


@round_.command("report", example="{round} --to-file round.json")
@_round_argument
@report_options
@reports_errors
def report(round_ref: str, form: str | None, file: Path | None) -> None:
    """Write the report of a round: who decided what, what came of it, and the proof."""
    with connect() as client:
        write_report(client.round_report(round_ref, report_format(form, file)), file)
