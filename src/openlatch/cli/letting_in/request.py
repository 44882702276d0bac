"""Requests: asking for access, and answering those who ask."""

from __future__ import annotations

from datetime import datetime

import click
from rich.text import Text

from openlatch.cli.acting import confirmed, last, until_option, yes_option
from openlatch.cli.columns import Column, day, last_day
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.nouns import ACCOUNT, REQUEST
from openlatch.cli.output import Listing, hint, listed, out, output_option, print_one, reports_errors
from openlatch.wire import messages as wire

__all__ = ["request"]

_REQUESTS: tuple[Column, ...] = (
    Column.ref(lambda r: r.ref),
    Column("state", lambda r: Text(r.state, "yellow" if r.state == "waiting" else "")),
    Column.who("who", lambda r: Text(r.name).append(f"\n{r.address}", "dim")),
    Column.prose("access", lambda r: Text(_access(r))),
    Column.prose("reason", lambda r: Text(r.reason)),
)


def _access(request: wire.Request) -> str:
    until = f" until {last_day(request.ends_at)}" if request.ends_at else ", without an end"
    return f"{request.account}: {request.level or ', '.join(request.needs)}{until}"


@click.group(cls=Group)
def request() -> None:
    """Ask for access; answer those who ask.

    To give what was asked for, or less: openlatch offer make --request REQUEST
    """


@request.command("list", example="--state waiting")
@click.option(
    "--state", default="", help="Only these: waiting, offered, turned-down, withdrawn, lapsed; or unconfirmed."
)
@click.option("--mine", is_flag=True, help="Your own requests.")
@listed(*_REQUESTS)
@reports_errors
def list_requests(state: str, mine: bool, listing: Listing) -> None:
    """List requests, the latest first."""
    with connect() as client:
        listing.print(client.my_requests() if mine else client.requests(state), empty="There are no requests.")


@request.command("show", example="{request}")
@click.argument("ref", metavar="REQUEST", type=REQUEST)
@output_option
@reports_errors
def show(ref: str, output: str) -> None:
    """Show a request, and what came of it."""
    with connect() as client:
        there = client.request(ref)
    if output == "table":
        _one(there)
    else:
        print_one(there, output)


@request.command("make", example="Gate --power view --reason 'To open on Sundays'")
@click.argument("account", type=ACCOUNT)
@click.option("--power", "needs", multiple=True, help="A power that you need, such as view; repeatable.")
@click.option("--level", default="", help="A level in the provider's own words, instead of powers.")
@click.option("--reason", required=True, help="What you need it for; they decide by that.")
@until_option
@reports_errors
def make(account: str, needs: tuple[str, ...], level: str, reason: str, until: datetime | None) -> None:
    """Ask for access to an account, by the name that you know it by. Whoever manages it is told."""
    with connect() as client:
        made = client.ask(account, list(needs), level=level, reason=reason, until=last(until))
    click.echo(
        f"Asked ({made.ref}). You will be told the answer. Without one, your request lapses on {day(made.lapses_at)}."
    )


@request.command("decline", example="{request} --reason 'The dome is closed in March' --yes")
@click.argument("ref", metavar="REQUEST", type=REQUEST)
@click.option("--reason", required=True, help="Why; whoever asked reads it.")
@yes_option
@reports_errors
def decline(ref: str, reason: str, yes: bool) -> None:
    """Decline a request."""
    with connect() as client:
        there = client.request(ref)
        confirmed(f"Decline the request of {there.name} <{there.address}>?", yes)
        _one(client.turn_down(ref, reason))


@request.command("withdraw", example="{my_request} --yes")
@click.argument("ref", metavar="REQUEST", type=REQUEST)
@yes_option
@reports_errors
def withdraw(ref: str, yes: bool) -> None:
    """Withdraw a request of your own."""
    with connect() as client:
        there = client.request(ref)
        confirmed(f"Withdraw your request for {there.account}?", yes)
        _one(client.withdraw_request(ref))


def _one(request: wire.Request) -> None:
    paper = out()
    paper.print(Text(f"{request.name} <{request.address}>", style="bold"))
    paper.print(Text(f"  Access  {_access(request)}"))
    paper.print(Text(f"  Reason  {request.reason}"))
    paper.print(Text(f"  State   {request.state}" + (f", by {request.answered_by}" if request.answered_by else "")))
    if request.answer:
        paper.print(Text(f"  Answer  {request.answer}"))
    if request.state == "waiting":
        hint(
            f"\nGive it: openlatch offer make --request {request.ref}    "
            f"Decline it: openlatch request decline {request.ref} --reason …"
        )
