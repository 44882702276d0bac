"""Rounds of reviews: looking at one, deciding its items, and seeing it closed."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.confirm import asked_count, confirmed, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ROUND, one_of
from openlatch.cli.output import (
    STUCK,
    Column,
    came_to,
    day,
    emit,
    out,
    outcome_option,
    outcomes,
    output_option,
    reports_errors,
)
from openlatch.cli.taking_back.batches import together
from openlatch.client import Client
from openlatch.errors import Invalid
from openlatch.wire import messages as wire
from openlatch.words import Choice

__all__ = ["round_", "rounds"]

_ROUNDS: tuple[Column, ...] = (
    Column("id", lambda r: r.ref),
    Column("review", lambda r: Text(r.review.name)),
    Column("state", lambda r: "paused" if r.paused_at else r.state),
    Column("opened", lambda r: day(r.opened_at)),
    Column("due", lambda r: day(r.due_at)),
    Column("came of it", lambda r: outcomes(r.outcomes)),
    Column("for you", lambda r: str(r.mine or "")),
)


_ITEMS: tuple[Column, ...] = (
    Column("", lambda i: str(i.place)),
    Column("risk", lambda i: str(i.facts.risk)),
    Column.who("who", lambda i: Text(f"{i.facts.party}\n{', '.join(i.entry.party.addresses)}")),
    Column("where, as", lambda i: Text(f"{i.facts.account}, {i.facts.provider}\n{_as(i)}")),
    Column("so far", lambda i: Text.assemble(came_to(i.outcome), f"\n{_decided(i)}")),
    Column.prose("what is advised", lambda i: Text(f"{i.advice}\n{i.advice_why}")),
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


@click.command()
@click.option("--state", default="", help="open, settling, closed; several separated by commas.")
@click.option("--review", "name", default="", help="Only of this review.")
@output_option
@reports_errors
def rounds(state: str, name: str, output: str) -> None:
    """List rounds, the latest first."""
    with connect() as client:
        emit(client.rounds(state, review=name), _ROUNDS, output, empty="No round was opened so far.")


@click.group("round")
def round_() -> None:
    """Look at a round, decide its items, and see it closed."""


@round_.command("show")
@click.argument("round_ref", type=ROUND, metavar="ROUND")
@click.option("--mine", is_flag=True, help="Only what you are asked about.")
@outcome_option
@click.option(
    "--to-decide",
    "file",
    type=click.Path(dir_okay=False, path_type=Path),
    help="Write what is not decided yet to this CSV file; fill it in, then: round decide ROUND --file FILE.",
)
@output_option
@reports_errors
def show_round(round_ref: str, mine: bool, outcome: str | None, file: Path | None, output: str) -> None:
    """Show ROUND (id or short form) with its items, the riskiest account first."""
    with connect() as client:
        if file is not None:
            content = client.decision_file(round_ref, mine=mine)
            file.write_bytes(content)
            count = len(content.splitlines()) - 1
            click.echo(
                f"{count} items written to {file}. Fill in the choices, then: "
                f"openlatch round decide {round_ref} --file {file}"
            )
            return
        review_round = client.round(round_ref)
        items = client.round_items(round_ref, mine=mine, outcome=outcome or "")
        emit(items, _ITEMS, output, empty="Nothing of that is in this round.")
        if output == "table":
            _footer(out(), review_round, client.me().workspace.zone)


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
        others = f", {who.by_others} of these by others" if who.by_others else ""
        to.print(Text(f"  {who.name or 'nobody can be asked'}: {who.decided} of {who.items} decided{others}", "dim"))
    if review_round.joined:
        to.print(
            f"{review_round.joined} entries came into its scope since; the next round asks about them.", style="dim"
        )
    if review_round.compared is not None:
        c = review_round.compared
        to.print(f"The same entries, looked at again: {c.flagged.then} of {c.entries.then} carried a flag, now")
        to.print(
            f"{c.flagged.now} of the {c.entries.now} that are there; their risk was {c.risk.then}, is {c.risk.now}."
        )
        if c.joined:
            to.print(Text(f"Came into its scope since, and not part of it: {'; '.join(c.joined)}.", "dim"))


@round_.command("decide")
@click.argument("round_ref", type=ROUND, metavar="ROUND")
@click.argument("choice", type=one_of(Choice), required=False)
@click.argument("places", nargs=-1, type=int)
@click.option("--reason", default="", help="Needed against the advice, or above the risk that the review says.")
@click.option("--to-level", "level", default="", help="With narrow: the level.")
@click.option("--last-day", type=click.DateTime(["%Y-%m-%d"]), help="With end-on: the last day.")
@click.option("--to", default="", help="With pass-on: the address of whoever is to answer.")
@click.option(
    "--file",
    "file",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="Decisions from a list (CSV, .xlsx): columns place, entry, choice, reason, level, until, to; all or none.",
)
@reports_errors
def decide(
    round_ref: str,
    choice: str | None,
    places: tuple[int, ...],
    reason: str,
    level: str,
    last_day: datetime | None,
    to: str,
    file: Path | None,
) -> None:
    """Decide items of ROUND: CHOICE about the items with these PLACES, as `round show` numbers them.

    \b
    openlatch round decide 7Q4K-BRM2 keep 1 4 5
    openlatch round decide 7Q4K-BRM2 end-on 2 --last-day 2027-03-31
    openlatch round decide 7Q4K-BRM2 --file decisions.csv
    """
    if file is None and (choice is None or not places):
        raise Failure("Say what is decided about which items.", "openlatch round decide ROUND keep 1 4 5", 2)
    with connect() as client:
        if file is not None:
            _from_file(client, round_ref, file)
            return
        number = client.decide(
            round_ref,
            list(places),
            choice or "",
            reason=reason,
            level=level,
            until=last_day.date() if last_day else None,
            to=to,
        )
        items = [i.decision for i in client.round_items(round_ref) if i.place in places]
        asked = ", ".join(dict.fromkeys(item.instead_of for item in items if item is not None and item.instead_of))
        click.echo(f"{number} decided, in the place of {asked}." if asked else f"{number} decided.")


def _from_file(client: Client, round_ref: str, file: Path) -> None:
    kind = file.suffix.removeprefix(".").lower()
    try:
        number = client.decide_by_file(round_ref, file.read_bytes(), kind if kind in wire.LISTS else "csv")
    except Invalid as error:
        for value in error.fields.get("errors") or []:
            click.echo(f"  {value['at']}: {value['problem']}", err=True)
        raise Failure(f"{file}: {error.message}", error.next_step, 2) from error
    click.echo(f"{number} decided.")


@round_.command("finish")
@click.argument("round_ref", type=ROUND, metavar="ROUND")
@click.option("--count", type=int, help="How many orders it becomes, instead of being asked; refused if it is not.")
@click.option("--dry-run", is_flag=True, help="Only show what would happen; change nothing.")
@yes_option
@click.option("--no-wait", is_flag=True, help="Leave without following it.")
@reports_errors
def finish(round_ref: str, count: int | None, dry_run: bool, yes: bool, no_wait: bool) -> None:
    """End the answering of ROUND before it is due; its decisions become orders, and it closes once all are proved.

    Shows what all of it does together first, then asks how many orders it becomes.
    """
    with connect() as client:
        items = client.round_items(round_ref)
        plan = client.plan_round(round_ref)
        silent = sum(item.outcome == "undecided" for item in items)
        rest = f"{silent} are not decided" if silent else "the others are kept"
        out().print(f"{plan.count} of {len(items)} items become orders; {rest}.")
        together(out(), plan.consequences, plan.refused)
        if dry_run:
            return
        if count is None and plan.count and not yes:
            count = asked_count("orders it becomes", plan.count)
        elif count is None:
            confirmed("Finish it?", yes)
            count = plan.count
        review_round = client.finish_round(round_ref, count=count)
        if not no_wait:
            for there in client.follow_round(review_round.ref):
                out().print(Text(f"  {there.state}: ") + outcomes(there.outcomes))
                review_round = there
        if review_round.state == "settling" and not no_wait:
            raise SystemExit(_left(review_round))


def _left(review_round: wire.Round) -> int:
    out().print(
        f"It closes once the rest is proved, or said to be left open: openlatch round leave-open {review_round.ref} "
        "PLACE --reason … --owner …"
    )
    return STUCK


@round_.command("cancel")
@click.argument("round_ref", type=ROUND, metavar="ROUND")
@click.option("--reason", required=True, help="Why; whoever was asked is told.")
@yes_option
@reports_errors
def cancel_round(round_ref: str, reason: str, yes: bool) -> None:
    """Call ROUND off: it gives no more orders. Those that it gave go on, and are called off one by one."""
    with connect() as client:
        review_round = client.round(round_ref)
        under_way = [i.order for i in client.round_items(round_ref) if i.order]
        decided = sum(asked.decided for asked in review_round.progress)
        orders = f"; {len(under_way)} orders that it gave go on" if under_way else ", and no order was given"
        click.echo(
            f"Round {review_round.ref} of “{review_round.review.name}”: "
            f"{decided} of {review_round.count} decided{orders}."
        )
        confirmed("Call it off?", yes)
        review_round = client.cancel_round(round_ref, reason)
    click.echo(f"Round {review_round.ref} is called off. Whoever was asked is told.")


@round_.command("pause")
@click.argument("round_ref", type=ROUND, metavar="ROUND")
@click.option("--resume", is_flag=True, help="Let it go on.")
@reports_errors
def pause_round(round_ref: str, resume: bool) -> None:
    """Let ROUND rest, or go on; the time that it rests is added to the time to answer."""
    with connect() as client:
        review_round = client.pause_round(round_ref, resume=resume)
        click.echo(f"Round {review_round.ref} {'goes on' if resume else 'rests'}; due {day(review_round.due_at)}.")


@round_.command("assign")
@click.argument("round_ref", type=ROUND, metavar="ROUND")
@click.argument("places", nargs=-1, type=int)
@click.option("--to", multiple=True, required=True, help="An address; given again, the items are split among several.")
@click.option("--of", default="", help="All that wait for whoever has this name or address, instead of PLACES.")
@reports_errors
def assign_items(round_ref: str, places: tuple[int, ...], to: tuple[str, ...], of: str) -> None:
    """Give the items of ROUND with these PLACES to somebody else, or split them among several by account.

    \b
    openlatch round assign 7Q4K-BRM2 4 5 --to pell.varga@kestrelridge.example
    openlatch round assign 7Q4K-BRM2 --of "Ines Okoro" --to pell.varga@… --to tobias.quill@…
    """
    with connect() as client:
        wanted = list(places)
        if of:
            who = _asked(client.round(round_ref).progress, of)
            items = client.round_items(round_ref, outcome="undecided")
            wanted += [item.place for item in items if item.reviewer_id == who.id]
        if not wanted:
            raise Failure("No item is named that waits.", f"Look at them: openlatch round show {round_ref}", 2)
        review_round = client.assign_items(round_ref, wanted, to)
        click.echo(f"{len(wanted)} {'item was' if len(wanted) == 1 else 'items were'} given.")
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


@round_.command("try-again")
@click.argument("round_ref", type=ROUND, metavar="ROUND")
@click.argument("place", type=int)
@reports_errors
def try_again(round_ref: str, place: int) -> None:
    """Try once more to give the order of the item of ROUND with this PLACE, of whose decision none came."""
    with connect() as client:
        client.try_item_again(round_ref, place)
        click.echo(f"It is tried again: openlatch round show {round_ref} --outcome refused")


@round_.command("leave-open")
@click.argument("round_ref", type=ROUND, metavar="ROUND")
@click.argument("place", type=int)
@click.option("--reason", required=True)
@click.option("--owner", required=True, help="The address of who sees to it.")
@reports_errors
def leave_open(round_ref: str, place: int, reason: str, owner: str) -> None:
    """Say that the item of ROUND with this PLACE is left open, why, and who sees to it."""
    with connect() as client:
        review_round = client.leave_open(round_ref, place, reason, owner)
        click.echo(f"Round {review_round.ref} is {review_round.state}.")
