"""Reviews: what is looked at again on a schedule, and by whom."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import click
from click.core import ParameterSource
from rich.console import Console
from rich.text import Text

from openlatch.cli.acting import confirmed, dry_run_option, yes_option
from openlatch.cli.columns import Column, day
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ACCOUNT, PARTY, PROVIDER, REVIEW, one_of
from openlatch.cli.output import Listing, hint, listed, only_shown, out, output_option, print_one, reports_errors
from openlatch.client import Client
from openlatch.core.phrases import counted, left_out
from openlatch.wire import messages as wire
from openlatch.words import Occasion, Reviewers, Unanswered

__all__ = ["review"]

F = TypeVar("F", bound=Callable[..., Any])
_review_argument = click.argument("name", metavar="REVIEW", type=REVIEW)

_REVIEWS: tuple[Column, ...] = (
    Column.ref(lambda r: r.ref),
    Column.who("review", lambda r: Text(r.name)),
    Column.prose("schedule", lambda r: Text(f"{r.says} (paused)" if r.paused else r.says)),
    Column("next", lambda r: day(r.coming[0]) if r.coming else ""),
    Column("entries", lambda r: str(r.entries)),
    Column.more("unanswered", lambda r: r.unanswered),
)


@click.group(cls=Group)
def review() -> None:
    """Reviews that take place on a schedule.

    Each time, a round is opened in which people decide about every entry: openlatch round --help. REVIEW is a name, an
    id or its short form.
    """


@review.command("list")
@listed(*_REVIEWS)
@reports_errors
def list_reviews(listing: Listing) -> None:
    """List the reviews, and when each takes place next."""
    with connect() as client:
        listing.print(client.reviews(), empty="There are no reviews yet. Add one: openlatch review add --help")


@review.command("show", example="Ours")
@_review_argument
@output_option
@reports_errors
def show_review(name: str, output: str) -> None:
    """Show one review: what it covers, when it takes place, who is asked."""
    with connect() as client:
        the_review = client.review(name)
        if output != "table":
            print_one(the_review, output)
            return
        _show(out(), the_review, client.me().workspace.zone)


def _show(to: Console, the_review: wire.Review, zone: str) -> None:
    asked = {
        "named": ", ".join(the_review.named),
        "administrators": "each account's administrators",
        "sponsor": "the party's sponsor, else whoever gave it access",
    }
    lines = (
        ("schedule", the_review.says + (" (paused)" if the_review.paused else "")),
        ("next", ", ".join(day(at, zone) for at in the_review.coming[:6]) or "only when you open a round"),
        ("covers", f"{the_review.looks_at}: {counted(the_review.entries, 'entry')} now"),
        ("left out", left_out(the_review.left_out)),
        ("asks", asked[the_review.reviewers] + (f", otherwise {the_review.otherwise}" if the_review.otherwise else "")),
        ("substitutes", ", ".join(f"{other} for {who}" for who, other in the_review.substitutes.items())),
        (
            "time to answer",
            f"{counted(the_review.answer_days, 'day')}, "
            f"with a reminder {counted(the_review.remind_days, 'day')} before",
        ),
        ("unanswered", the_review.silence),
        ("reason needed", f"to keep a risk of {the_review.risk_limit} or more, or to decide against the advice"),
        ("made by", the_review.created_by),
    )
    to.print(Text(the_review.name, "bold"))
    for name, value in lines:
        if value:
            to.print(Text(f"  {name:<15}", "dim") + Text(value))


_OPTIONS = (
    click.option(
        "--schedule",
        "recurs",
        default="",
        help="When (RFC 5545), such as “FREQ=MONTHLY;BYDAY=1MO”: the first Monday of a month.",
    ),
    click.option("--begins", type=click.DateTime(["%Y-%m-%d"]), help="The first day; today without it."),
    click.option("--at", default="08:00", show_default=True, help="The time of day, in the workspace's time zone."),
    click.option(
        "--on",
        multiple=True,
        type=one_of(Occasion),
        help="Or when this happens; repeatable.",
    ),
    click.option("--reviewer", "named", multiple=True, help="The address of someone who is asked; repeatable."),
    click.option(
        "--ask",
        "reviewers",
        type=one_of(Reviewers),
        default="named",
        show_default=True,
        help="Whom: the --reviewer named, each account's administrators, or each party's sponsor.",
    ),
    click.option("--substitute", "stand_in", multiple=True, help="AWAY=OTHER: who answers for whom; repeatable."),
    click.option("--otherwise", default="", help="The address of who is asked where nobody else can be."),
    click.option("--answer-days", type=int, default=14, show_default=True, help="Days in which to answer."),
    click.option("--remind-days", type=int, default=3, show_default=True, help="Days before the end to remind people."),
    click.option(
        "--unanswered",
        type=one_of(Unanswered),
        default="keep",
        show_default=True,
        help="What happens to what nobody answers; keep raises a flag.",
    ),
    click.option("--most", type=int, default=20, show_default=True, help="How many that may change at most."),
    click.option(
        "--risk-limit", type=int, default=60, show_default=True, help="Keeping this risk or more needs a reason."
    ),
    click.option("--provider", type=PROVIDER, default="", help="Only this provider."),
    click.option("--account", type=ACCOUNT, default="", help="Only this account."),
    click.option("--party", type=PARTY, default="", help="Only this party."),
    click.option("--kind", default="", help="Only these kinds, separated by commas."),
    click.option("--power", default="", help="Only what has any of these powers, separated by commas."),
    click.option("--risk", type=click.IntRange(0, 100), default=0, help="Only this risk or more."),
    click.option("--flagged/--not-flagged", default=None, help="Only what has a flag, or only what has none."),
    click.option("--outside/--inside", default=None, help="Only parties outside the circle, or only those in it."),
)
_WHERE = ("provider", "account", "party", "kind", "power", "risk", "flagged", "outside")


def _described(function: F) -> F:
    """Give a command what a review is defined with."""
    for option in reversed((*_OPTIONS, output_option)):
        function = option(function)
    return function


@review.command("add", example="Apps --schedule FREQ=YEARLY --reviewer ines.okoro@kestrelridge.example --kind app")
@click.argument("name")
@_described
@dry_run_option
@reports_errors
def add_review(name: str, *, dry_run: bool, output: str, **given: Any) -> None:
    """Add a review under a NAME."""
    fields = _fields(given)
    with connect() as client:
        if dry_run:
            meant = client.check_review(name, **fields)
            out().print(f"{name}: {meant.says}. {counted(meant.entries, 'entry')} now.")
            for at in meant.coming[:6]:
                out().print(f"  {day(at, client.me().workspace.zone)}")
            if meant.left_out:
                out().print(left_out(meant.left_out), style="yellow")
            if meant.unasked:
                out().print(f"Nobody can be asked about {meant.unasked} of them.", style="red")
            only_shown("it is added")
            return
        _made(client, client.add_review(name, **fields), output)


@review.command("change", example="Ours --risk 5")
@_review_argument
@click.option("--name", "rename", default="", help="A new name.")
@_described
@click.pass_context
@reports_errors
def change_review(ctx: click.Context, /, name: str, *, rename: str, output: str, **given: Any) -> None:
    """Change what is given of a review; the rest stays. Open rounds stay as they were opened."""
    said = {
        option: value
        for option, value in given.items()
        if ctx.get_parameter_source(option) is not ParameterSource.DEFAULT
    }
    if not said and not rename:
        raise Failure("Nothing to change is given.", "openlatch review change REVIEW --schedule …", 2)
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
        print_one(the_review, output)
        return
    _show(out(), the_review, client.me().workspace.zone)


@review.command("pause", example="Ours")
@_review_argument
@reports_errors
def pause_review(name: str) -> None:
    """Pause a review: no round is opened until you resume it."""
    with connect() as client:
        the_review = client.pause_review(name)
    click.echo(f"“{the_review.name}” is paused. Resume: openlatch review resume {the_review.ref}")


@review.command("resume", example="Ours")
@_review_argument
@reports_errors
def resume_review(name: str) -> None:
    """Resume a paused review."""
    with connect() as client:
        the_review = client.pause_review(name, resume=True)
    click.echo(f"“{the_review.name}” takes place again: {the_review.says}.")


@review.command("remove", example="Spare --yes")
@_review_argument
@yes_option
@reports_errors
def remove_review(name: str, yes: bool) -> None:
    """Remove a review: no round is opened any more. Its rounds and their reports stay."""
    with connect() as client:
        the_review = client.review(name)
        confirmed(f"Remove the review “{the_review.name}”?", yes)
        client.remove_review(the_review.ref)
    click.echo(f"“{the_review.name}” is removed. Its rounds and their reports stay.")


@review.command("open", example="Ours")
@_review_argument
@yes_option
@reports_errors
def open_round(name: str, yes: bool) -> None:
    """Open a round of a review now. If an open round covers some of the same entries, you are told first."""
    with connect() as client:
        asked = client.review(name).asked_already
        for already in asked:
            click.echo(
                f"Round {already.ref} of “{already.review}” already covers {already.entries} of these entries; "
                f"it is due {day(already.due_at)}."
            )
        if asked:
            confirmed("Open another round beside it?", yes)
        opened = client.open_round(name)
        click.echo(f"Round {opened.ref} is open with {counted(opened.count, 'item')}, due {day(opened.due_at)}.")
        hint(f"Decide its items: openlatch round show {opened.ref} --mine")
