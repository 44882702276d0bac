"""Flags: what is stale or risky, why, and living with it for a while."""

from __future__ import annotations

import re
from datetime import date, datetime

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ACCOUNT, FLAG, PARTY, RULE, one_of
from openlatch.cli.output import Column, day, emit, last_day, notches, out, output_option, reports_errors
from openlatch.wire import messages as wire
from openlatch.words import Severity

__all__ = ["accept", "flag", "flags", "risk", "tell_flag"]

_COLUMNS: tuple[Column, ...] = (
    Column("", lambda f: notches(f.severity)),
    Column("flag", lambda f: f.ref),
    Column("on", lambda f: Text(f.about.name).append(f"\n{f.subject} {f.about.ref}", "dim")),
    Column.prose("reason", lambda f: Text(f.reason).append(f"\n{_accepted(f)}", "dim")),
    Column("rule", lambda f: Text(f.rule, "dim")),
    Column("since", lambda f: day(f.raised_at)),
    Column("risk", lambda f: str(f.risk) if f.subject == "entry" else ""),
)


def _accepted(f: wire.Flag) -> str:
    return (
        ""
        if f.accepted is None
        else f"accepted by {f.accepted.by} until {last_day(f.accepted.until)}: {f.accepted.why}"
    )


@click.command()
@click.option("--rule", type=RULE, default="", help="Only this rule.")
@click.option("--severity", type=one_of(Severity), default=None, help="Or worse.")
@click.option("--entry", default="", help="Only those on this entry, and on its party.")
@click.option("--account", type=ACCOUNT, default="", help="Only those on this account and its entries.")
@click.option("--party", type=PARTY, default="", help="Only those on this party and its entries.")
@click.option("--accepted", "state", flag_value="accepted", help="Those that somebody accepted.")
@click.option("--cleared", "state", flag_value="cleared", help="Those that no longer hold.")
@click.option("--limit", default=50, show_default=True, help="How many at most; 0 for all.")
@output_option
@reports_errors
def flags(
    rule: str, severity: str | None, entry: str, account: str, party: str, state: str | None, limit: int, output: str
) -> None:
    """List what is stale or risky, the worst first, with the reason of each. More of one: openlatch flag FLAG"""
    with connect() as client:
        the_flags = client.flags(rule, severity or "", entry, account=account, party=party, state=state or "standing")
        some = [each_flag for _, each_flag in zip(range(limit or 10**9), the_flags, strict=False)]
        emit(some, _COLUMNS, output, empty="Nothing is flagged.")
        if output == "table" and limit and len(some) == limit and next(the_flags, None) is not None:
            out().print(f"\nThe worst {limit}; there are more: --limit 0 shows all.", style="dim")


@click.command()
@click.argument("flag", type=FLAG)
@output_option
@reports_errors
def flag(flag: str, output: str) -> None:
    """Explain FLAG (id or short form): facts, since when, what clears it, what is advised."""
    with connect() as client:
        the_flag = client.flag(flag)
        if output != "table":
            emit([the_flag], (), output, empty="")
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
            to.print(f"\nLive with it: openlatch accept {the_flag.ref} --why … --until YYYY-MM-DD", style="dim")


@click.command()
@click.argument("flag", type=FLAG)
@click.option("--why", default="", help="Why it is all right for now.")
@click.option("--until", metavar="DAY", help="The last day, such as 2026-12-31; in 90 days, if none is given.")
@click.option("--take-back", is_flag=True, help="Do not accept it any more.")
@reports_errors
def accept(flag: str, why: str, until: str | None, take_back: bool) -> None:
    """Live with FLAG (id or short form) until the end of a day. It comes back then, and sooner if it gets worse."""
    if take_back == bool(why):
        raise Failure("Say either why you accept it, or that you take that back.", "Give --why, or --take-back.", 2)
    try:
        last = date.fromisoformat(until) if until else None
    except ValueError as error:
        raise Failure(f"“{until}” is not a day.", "Write it as in 2026-12-31.", 2) from error
    with connect() as client:
        zone = client.me().workspace.zone
        the_flag = client.refuse(flag) if take_back else client.accept(flag, why, last)
    if the_flag.accepted is None:
        click.echo(f"It stands again: {the_flag.reason}")
    else:
        click.echo(f"Accepted until the end of {last_day(the_flag.accepted.until, zone)}: {the_flag.reason}")


_SHARES: tuple[Column, ...] = (
    Column("adds", lambda share: f"+{share.points}"),
    Column("entry", lambda share: share.entry.ref),
    Column.who("who and where", lambda share: Text(share.entry.name)),
    Column("at", lambda share: str(share.risk)),
)


@click.command()
@click.argument("account", type=ACCOUNT, required=False, default="")
@click.option("--party", type=PARTY, default="", help="Of this party instead, by address, id or short form.")
@output_option
@reports_errors
def risk(account: str, party: str, output: str) -> None:
    """Show the risk of ACCOUNT (id, short form or name), from 0 to 100: what adds up to it, and how it has moved."""
    if bool(account) == bool(party):
        raise Failure("The risk of what?", "Name an account, or a party with --party.", 2)
    with connect() as client:
        the_risk = client.account_risk(account) if account else client.party_risk(party)
        if output != "table":
            emit([the_risk], (), output, empty="")
            return
        to, zone = out(), client.me().workspace.zone
    to.print(Text.assemble((str(the_risk.risk), "bold"), " of 100"))
    emit(the_risk.shares, _SHARES, output, empty="Nothing adds to it.")
    for point in the_risk.over_time:
        to.print(f"  {point.risk:>3} since {day(point.at, zone)}", style="dim")


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
