"""Flags: what is stale or risky, why, and accepting one for a while."""

from __future__ import annotations

import re
from datetime import datetime

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.acting import last, until_option
from openlatch.cli.columns import Column, day, last_day, notches
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.nouns import ACCOUNT, ENTRY, FLAG, PARTY, RULE, one_of
from openlatch.cli.output import Listing, hint, listed, out, output_option, print_one, reports_errors
from openlatch.wire import messages as wire
from openlatch.words import Severity

__all__ = ["flag", "tell_flag"]

_FLAGS: tuple[Column, ...] = (
    Column("severity", lambda f: notches(f.severity)),
    Column("flag", lambda f: f.ref, whole=True),
    Column.who("on", lambda f: Text(f.about.name).append(f"\n{f.subject} {f.about.ref}", "dim")),
    Column.prose("reason", lambda f: Text("\n").join(filter(None, [Text(f.reason), Text(_accepted(f), "dim")]))),
    Column.more("rule", lambda f: Text(f.rule, "dim")),
    Column.more("since", lambda f: day(f.raised_at)),
    Column.more("risk", lambda f: str(f.risk) if f.subject == "entry" else ""),
)


def _accepted(f: wire.Flag) -> str:
    return (
        ""
        if f.accepted is None
        else f"accepted by {f.accepted.by} until {last_day(f.accepted.until)}: {f.accepted.why}"
    )


@click.group(cls=Group)
def flag() -> None:
    """What is stale or risky, and why; accept a flag until a date.

    A flag is a rule of the policy that is true of an entry, an account or a party now. FLAG is its id or short form.
    """


@flag.command("list", example="--severity high")
@click.option("--rule", type=RULE, default="", help="Only this rule.")
@click.option("--severity", type=one_of(Severity), default=None, help="This severity or higher.")
@click.option("--entry", type=ENTRY, default="", help="Only those on this entry, and on its party.")
@click.option("--account", type=ACCOUNT, default="", help="Only those on this account and its entries.")
@click.option("--party", type=PARTY, default="", help="Only those on this party and its entries.")
@click.option("--accepted", "state", flag_value="accepted", help="Accepted flags.")
@click.option("--cleared", "state", flag_value="cleared", help="Flags that are no longer true.")
@listed(*_FLAGS)
@reports_errors
def list_flags(
    rule: str, severity: str | None, entry: str, account: str, party: str, state: str | None, listing: Listing
) -> None:
    """List what is stale or risky, the worst first, with the reason of each."""
    with connect() as client:
        found = client.flags(rule, severity or "", entry, account=account, party=party, state=state or "standing")
        listing.print(found, empty="There are no flags.")


@flag.command("explain", example="{flag}")
@click.argument("flag", type=FLAG)
@output_option
@reports_errors
def explain(flag: str, output: str) -> None:
    """Explain a flag: its facts, since when, what clears it, what is advised."""
    with connect() as client:
        the_flag = client.flag(flag)
        if output != "table":
            print_one(the_flag, output)
            return
        to, zone = out(), client.me().workspace.zone
        to.print(Text.assemble((the_flag.about.name, "bold"), (f"   {the_flag.subject} {the_flag.about.ref}", "dim")))
        tell_flag(to, the_flag, zone)
        if the_flag.advice is not None:
            to.print(Text.assemble(("  Advice: ", "bold"), the_flag.advice.text))
        for past in the_flag.past[1:]:
            until = f"cleared {day(past.cleared_at, zone)}" if past.cleared_at else "still there"
            to.print(f"  Raised before: {day(past.raised_at, zone)}, {until}", style="dim")
        if the_flag.cleared_at is None and the_flag.accepted is None:
            hint(f"\nAccept it: openlatch flag accept {the_flag.ref} --reason … --until YYYY-MM-DD")


@flag.command("accept", example="{flag} --reason 'A second one comes in May'")
@click.argument("flag", type=FLAG)
@click.option("--reason", required=True, help="Why it is all right for now.")
@until_option
@reports_errors
def accept(flag: str, reason: str, until: datetime | None) -> None:
    """Accept a flag until a date, with a reason; for 90 days without --until.

    It comes back after that day, and sooner if it gets worse.
    """
    with connect() as client:
        zone = client.me().workspace.zone
        the_flag = client.accept(flag, reason, last(until))
    if the_flag.accepted is not None:
        click.echo(f"Accepted until the end of {last_day(the_flag.accepted.until, zone)}: {the_flag.reason}")


@flag.command("reopen", example="{flag}")
@click.argument("flag", type=FLAG)
@reports_errors
def reopen(flag: str) -> None:
    """Reopen an accepted flag."""
    with connect() as client:
        the_flag = client.refuse(flag)
    click.echo(f"Open again: {the_flag.reason}")


def tell_flag(to: Console, flag: wire.Flag, zone: str) -> None:
    """Print a flag with all that it rests on."""
    to.print(Text.assemble(notches(flag.severity), "  ", flag.reason))
    to.print(f"  {flag.title}. {flag.why}", style="dim")
    for fact, detail in flag.facts.items():
        if detail is not None:
            to.print(Text.assemble((f"  {fact.replace('_', ' '):<24}", "dim"), _fact(detail, zone)))
    to.print(Text.assemble((f"  {'since':<24}", "dim"), day(flag.raised_at, zone)))
    if flag.accepted is not None:
        to.print(Text.assemble(("  " + _accepted(flag), "green")))
    to.print(f"  Cleared by: {flag.clears}", style="dim")


def _fact(value: str | int | bool | list[str], zone: str) -> str:
    """A fact as people read it: instants as days."""
    if isinstance(value, list):
        return ", ".join(value) or "none"
    if isinstance(value, str) and re.match(r"\d{4}-\d\d-\d\dT", value):
        return day(datetime.fromisoformat(value), zone)
    return {True: "yes", False: "no"}[value] if isinstance(value, bool) else str(value)
