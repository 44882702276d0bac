"""Reviews that come round, and their rounds."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import click
from click.core import ParameterSource
from rich.console import Console
from rich.text import Text

from openlatch.cli.confirm import confirmed, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ACCOUNT, PARTY, PROVIDER, REVIEW, one_of
from openlatch.cli.output import Column, day, emit, out, output_option, reports_errors
from openlatch.client import Client
from openlatch.wire import messages as wire
from openlatch.words import Occasion, Reviewers, Unanswered

__all__ = [
    "review",
    "reviews",
]

F = TypeVar("F", bound=Callable[..., Any])

_REVIEWS: tuple[Column, ...] = (
    Column("id", lambda r: r.ref),
    Column("review", lambda r: Text(r.name)),
    Column.prose("when it comes round", lambda r: Text(f"{r.says} (paused)" if r.paused else r.says)),
    Column("next", lambda r: day(r.coming[0]) if r.coming else ""),
    Column("entries", lambda r: str(r.entries)),
    Column("nobody answers", lambda r: r.unanswered),
)


@click.command()
@output_option
@reports_errors
def reviews(output: str) -> None:
    """List the reviews, and when they come round next."""
    with connect() as client:
        emit(
            client.reviews(), _REVIEWS, output, empty="There are no reviews yet. Make one: openlatch review add --help"
        )


@click.group()
def review() -> None:
    """Make reviews that come round, look at them, and open a round."""


@review.command("show")
@click.argument("name", type=REVIEW)
@output_option
@reports_errors
def show_review(name: str, output: str) -> None:
    """Show the review NAME (name, id or short form): what is in it, when it comes round, who is asked."""
    with connect() as client:
        the_review = client.review(name)
        if output != "table":
            emit([the_review], (), output, empty="")
            return
        _show(out(), the_review, client.me().workspace.zone)


def _show(to: Console, the_review: wire.Review, zone: str) -> None:
    asked = {
        "named": ", ".join(the_review.named),
        "administrators": "each account's administrators",
        "sponsor": "whoever answers for the party, else whoever let it in",
    }
    lines = (
        ("comes round", the_review.says + (" (paused)" if the_review.paused else "")),
        ("next", ", ".join(day(at, zone) for at in the_review.coming[:6]) or "not by itself"),
        ("looks at", f"{the_review.looks_at}: {the_review.entries} entries now"),
        ("asks", asked[the_review.reviewers] + (f", otherwise {the_review.otherwise}" if the_review.otherwise else "")),
        ("stand in", ", ".join(f"{other} for {who}" for who, other in the_review.substitutes.items())),
        ("time to answer", f"{the_review.answer_days} days, reminded {the_review.remind_days} days before"),
        ("unanswered", the_review.silence),
        ("a reason", f"to keep risk {the_review.risk_limit} or more, or against the advice"),
        ("made by", the_review.created_by),
    )
    to.print(Text(the_review.name, "bold"))
    for name, value in lines:
        if value:
            to.print(Text(f"  {name:<15}", "dim") + Text(value))


_OPTIONS = (
    click.option(
        "--recurs", default="", help="RFC 5545, such as “FREQ=MONTHLY;BYDAY=1MO”: the first Monday of a month."
    ),
    click.option("--begins", type=click.DateTime(["%Y-%m-%d"]), help="The first day; today without it."),
    click.option("--at", "at", default="08:00", show_default=True, help="The time of day, in the workspace's zone."),
    click.option(
        "--on",
        multiple=True,
        type=one_of(Occasion),
        help="Or after an event.",
    ),
    click.option("--ask", "named", multiple=True, help="The address of somebody who is asked; can be given again."),
    click.option(
        "--reviewers",
        type=one_of(Reviewers),
        default="named",
        show_default=True,
        help="Those who are named, each account's administrators, or whoever answers for the party.",
    ),
    click.option("--stand-in", "stand_in", multiple=True, help="AWAY=OTHER: who answers for somebody who is away."),
    click.option("--otherwise", default="", help="Who is asked where nobody else can be."),
    click.option("--answer-days", type=int, default=14, show_default=True),
    click.option("--remind-days", type=int, default=3, show_default=True),
    click.option(
        "--unanswered",
        type=one_of(Unanswered),
        default="keep",
        show_default=True,
        help="What becomes of what nobody answers; keep flags it.",
    ),
    click.option("--most", type=int, default=20, show_default=True, help="So many are changed by that at most."),
    click.option("--risk-limit", type=int, default=60, show_default=True, help="Keeping this risk needs a reason."),
    click.option("--provider", type=PROVIDER, default="", help="Only this provider."),
    click.option("--account", type=ACCOUNT, default="", help="Only this account."),
    click.option("--party", type=PARTY, default="", help="Only this party."),
    click.option("--kind", default="", help="Only these kinds, separated by commas."),
    click.option("--power", default="", help="Only what has any of these powers."),
    click.option("--risk", type=click.IntRange(0, 100), default=0, help="Only this risk or more."),
    click.option("--flagged/--not-flagged", default=None, help="Only what carries a flag."),
    click.option("--outside/--inside", default=None, help="Only parties outside the circle."),
)
_WHERE = ("provider", "account", "party", "kind", "power", "risk", "flagged", "outside")


def _described(function: F) -> F:
    """Give a command what a review is described with."""
    for option in reversed((*_OPTIONS, output_option)):
        function = option(function)
    return function


@review.command("add")
@click.argument("name")
@_described
@click.option("--dry-run", is_flag=True, help="Only say what it would mean; store nothing.")
@reports_errors
def add_review(name: str, *, dry_run: bool, output: str, **given: Any) -> None:
    """Make a review called NAME, which comes round by itself from then on."""
    fields = _fields(given)
    with connect() as client:
        if dry_run:
            meant = client.check_review(name, **fields)
            out().print(f"{name}: {meant.says}. {meant.entries} entries now.")
            for at in meant.coming[:6]:
                out().print(f"  {day(at, client.me().workspace.zone)}")
            if meant.unasked:
                out().print(f"Nobody could be asked about {meant.unasked} of them.", style="red")
            out().print("Nothing was stored. Without --dry-run it is.", style="dim")
            return
        _made(client, client.add_review(name, **fields), output)


@review.command("change")
@click.argument("name", type=REVIEW)
@click.option("--rename", default="", help="What it is called from then on.")
@_described
@click.pass_context
@reports_errors
def change_review(ctx: click.Context, /, name: str, *, rename: str, output: str, **given: Any) -> None:
    """Change the review NAME in what is given; the rest stays. Rounds that are open stay as they were opened."""
    said = {
        option: value
        for option, value in given.items()
        if ctx.get_parameter_source(option) is not ParameterSource.DEFAULT
    }
    if not said and not rename:
        raise Failure("Nothing is given that is to change.", "openlatch review change NAME --recurs …", 2)
    with connect() as client:
        there = client.review(name)
        kept = {option: getattr(there, option) for option in wire.NewReview.model_fields if option != "name"}
        fields = _fields(said)
        fields["where"] = {**there.where, **fields["where"]}
        changed = client.change_review(there.ref, rename or there.name, **{**kept, **fields, "version": there.version})
        _made(client, changed, output)


def _fields(given: dict[str, Any]) -> dict[str, Any]:
    """What was given as the API takes it."""
    where = {field: given[field] for field in _WHERE if given.get(field) not in (None, "", 0)}
    fields = {name: value for name, value in given.items() if name not in (*_WHERE, "begins", "stand_in")}
    pairs = [value.partition("=") for value in given.get("stand_in", ())]
    wrong = ["".join(pair) for pair in pairs if not pair[2]]
    if wrong:
        raise Failure(f"“{wrong[0]}” is not AWAY=OTHER. Nothing was stored.", "Give two addresses with = between.", 2)
    if "stand_in" in given:
        fields["substitutes"] = {who: other for who, _, other in pairs}
    if given.get("begins"):
        fields["begins"] = given["begins"].date()
    lists = {name: list(value) for name, value in fields.items() if isinstance(value, tuple)}
    return {**fields, **lists, "where": where}


def _made(client: Client, the_review: wire.Review, output: str) -> None:
    if output != "table":
        emit([the_review], (), output, empty="")
        return
    _show(out(), the_review, client.me().workspace.zone)


@review.command("pause")
@click.argument("name", type=REVIEW)
@reports_errors
def pause_review(name: str) -> None:
    """Let the review NAME come round no more until it is resumed."""
    with connect() as client:
        client.pause_review(name)
        click.echo(f"“{name}” does not come round until you resume it: openlatch review resume “{name}”")


@review.command("resume")
@click.argument("name", type=REVIEW)
@reports_errors
def resume_review(name: str) -> None:
    """Let the review NAME come round again."""
    with connect() as client:
        the_review = client.pause_review(name, resume=True)
        click.echo(f"“{the_review.name}” comes round {the_review.says}.")


@review.command("remove")
@click.argument("name", type=REVIEW)
@yes_option
@reports_errors
def remove_review(name: str, yes: bool) -> None:
    """Give the review NAME up: it comes round no more. Its rounds and their reports stay."""
    with connect() as client:
        the_review = client.review(name)
        confirmed(f"Remove the review “{the_review.name}”?", yes)
        client.remove_review(the_review.ref)
    click.echo(f"“{the_review.name}” is removed and comes round no more. Its rounds and their reports stay.")


@review.command("open")
@click.argument("name", type=REVIEW)
@click.option("--yes", is_flag=True, help="Do not ask where an open round asks about the same; for programs.")
@reports_errors
def open_round(name: str, yes: bool) -> None:
    """Open a round of the review NAME now. If an open round asks about the same entries, that is said first."""
    with connect() as client:
        asked = client.review(name).asked_already
        for already in asked:
            click.echo(
                f"Round {already.ref} of “{already.review}” asks about {already.entries} of these entries already; "
                f"it is due {day(already.due_at)}."
            )
        if asked:
            confirmed("Open another round beside it?", yes)
        opened = client.open_round(name)
        click.echo(f"Round {opened.ref} is open with {opened.count} items, due {day(opened.due_at)}.")
        click.echo(f"Answer it: openlatch round show {opened.ref} --mine")
