"""Asking for access, answering those who ask, and writing down what was told."""

from __future__ import annotations

from datetime import datetime

import click
from rich.text import Text

from openlatch.cli.confirm import confirmed, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.inventory.by_hand import somebody_else_option
from openlatch.cli.nouns import ACCOUNT, REQUEST
from openlatch.cli.output import Column, day, emit, last_day, out, output_option, reports_errors
from openlatch.wire import messages as wire

__all__ = ["ask", "asked", "requests", "told"]

REQUESTS: tuple[Column, ...] = (
    Column("id", lambda r: r.ref),
    Column("state", lambda r: Text(r.state, "yellow" if r.state == "waiting" else "")),
    Column.who("who", lambda r: Text(r.name)),
    Column.prose("what", lambda r: Text(f"{r.account}: {r.level or ', '.join(r.needs)}{_until(r)}")),
    Column.prose("what for", lambda r: Text(r.reason)),
)


def _until(request: wire.Request) -> str:
    return f" until {last_day(request.ends_at)}" if request.ends_at else ", without an end"


@click.command()
@click.argument("account", type=ACCOUNT)
@click.option("--needs", default="", help="Powers, separated by commas, such as view,edit.")
@click.option("--level", default="", help="A level, in the provider's own words, instead of powers.")
@click.option("--because", "reason", required=True, help="What for; they decide by that.")
@click.option("--until", type=click.DateTime(["%Y-%m-%d"]), default=None, help="The last day; without it, no end.")
@reports_errors
def ask(account: str, needs: str, level: str, reason: str, until: datetime | None) -> None:
    """Ask for access to ACCOUNT, by its name as you know it; it reaches whoever looks after it."""
    with connect() as client:
        powers = [part.strip() for part in needs.split(",") if part.strip()]
        last = until.date() if until else None
        made = client.ask(account, powers, level=level, reason=reason, until=last)
    click.echo(f"Asked ({made.ref}). You are told what becomes of it; it lapses on {day(made.lapses_at)}.")


@click.command()
@click.option(
    "--state", default="", help="Only these: waiting, offered, turned-down, withdrawn, lapsed; or unconfirmed."
)
@click.option("--mine", is_flag=True, help="What you asked for yourself.")
@output_option
@reports_errors
def requests(state: str, mine: bool, output: str) -> None:
    """List what others asked for, the latest first; openlatch offer --request ID accepts one."""
    with connect() as client:
        every = client.my_requests() if mine else client.requests(state)
        emit(every, REQUESTS, output, empty="Nobody has asked for anything.")


@click.command()
@click.argument("ref", type=REQUEST)
@click.option("--turn-down", "reason", default="", help="Turn it down, and say why; whoever asked is told.")
@click.option("--withdraw", is_flag=True, help="Take back what you asked for yourself.")
@yes_option
@output_option
@reports_errors
def asked(ref: str, reason: str, withdraw: bool, yes: bool, output: str) -> None:
    """Show a request, by the id REF; turn it down, or take back your own."""
    with connect() as client:
        request = client.request(ref)
        if reason:
            confirmed(f"Turn down what {request.name} asks for?", yes)
            request = client.turn_down(ref, reason)
        elif withdraw:
            request = client.withdraw_request(ref)
    if output != "table":
        emit([request], REQUESTS, output, empty="")
        return
    _one(request)


def _one(request: wire.Request) -> None:
    paper = out()
    paper.print(Text(f"{request.name} · {request.address}", style="bold"))
    until = f" until {last_day(request.ends_at)}" if request.ends_at else ", without an end"
    paper.print(Text(f"  asks for {request.level or ', '.join(request.needs)} on {request.account}{until}"))
    paper.print(Text(f"What for  {request.reason}"))
    paper.print(Text(f"State     {request.state}" + (f", by {request.answered_by}" if request.answered_by else "")))
    if request.answer:
        paper.print(Text(f"Because   {request.answer}"))


@click.command()
@click.argument("account", type=ACCOUNT)
@click.argument("who")
@click.argument("what", default="a password")
@click.option("--powers", default="", help="What one can do with it; all that anybody can there, if not said.")
@click.option("--because", "reason", default="", help="Why they were told.")
@somebody_else_option
@reports_errors
def told(account: str, who: str, what: str, powers: str, reason: str, somebody_else: bool) -> None:
    """Write down that WHO was told WHAT (a password, a key, a code) of ACCOUNT.

    WHO is a known name, address or short form, or anybody else: a name, an address, or “Name <address>”.
    """
    with connect() as client:
        kept = client.record_secret(
            account,
            who,
            what,
            powers=[part.strip() for part in powers.split(",") if part.strip()],
            reason=reason,
            somebody_else=somebody_else,
        )
    click.echo(f"Kept ({kept.ref}): {kept.party.name} knows {kept.level} of {kept.account.name}.")
    click.echo(f"To let them in instead: openlatch offer --replaces {kept.ref}")
