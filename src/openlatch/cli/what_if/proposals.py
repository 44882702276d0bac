"""What-if: seeing beforehand what changes would change."""

from __future__ import annotations

import json
import sys
from typing import Any, TextIO

import click
from rich.text import Text

from openlatch.cli.confirm import confirmed, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ACCOUNT, PROPOSAL
from openlatch.cli.output import Column, ago, emit, notches, out, output_option, reports_errors
from openlatch.client import Client
from openlatch.wire import messages as wire

__all__ = ["proposal", "proposals", "shares", "what_if"]

FORBIDDEN = 7
CHECKS = {
    "outsider-gains": "somebody from outside would gain something",
    "anyone-gains": "somebody would gain something",
    "flag-raised": "a flag would be raised",
    "limit-passed": "a limit would be passed",
}
PROPOSALS: tuple[Column, ...] = (
    Column("id", lambda p: p.ref),
    Column("state", lambda p: p.state),
    Column.prose("what", lambda p: Text(p.title)),
    Column("by", lambda p: Text(p.made_by)),
    Column("made", lambda p: ago(p.made_at)),
    Column("versions", lambda p: str(len(p.runs))),
)


@click.command("what-if")
@click.argument("file", type=click.File())
@click.option("--instead-of", default="", help="A proposal of which this is another version.")
@click.option("--fail-if", "checks", multiple=True, type=click.Choice(list(CHECKS)), help="Exit 7 then.")
@output_option
@reports_errors
def what_if(file: TextIO, instead_of: str, checks: tuple[str, ...], output: str) -> None:
    """Show what the changes in FILE (JSON; - for standard input) would change; nothing is changed by it.

    \b
    {"proposal": 1, "title": "Close the unreleased plates", "changes": [
      {"do": "lock", "account": "Night-Sky Plates", "locked": true}]}

    \b
    Exits 0 once it is worked out, 1 if it cannot be, and 7 if a --fail-if holds.
    """
    try:
        body = json.load(file)
    except ValueError as error:
        raise Failure(f"{file.name} is not JSON: {error}.", "Correct it; nothing was sent.", 2) from error
    if not isinstance(body, dict):
        raise Failure(f"{file.name} does not hold a proposal.", "Write an object with proposal, title and changes.", 2)
    with connect() as client:
        made = client.change_proposal(instead_of, body) if instead_of else client.propose(body)
        the_proposal = client.worked_out(made.ref)
    _told(the_proposal, output)
    _checked(the_proposal, checks)


@click.command()
@click.argument("account", type=ACCOUNT)
@click.option("--part", default=None, help="Only this part of it.")
@reports_errors
def shares(account: str, part: str | None) -> None:
    """Print what shares the parts of ACCOUNT as a proposal that changes nothing yet, to be changed and sent."""
    with connect() as client:
        documents = client.shares(account, part)
    if not documents:
        raise Failure(f"No document shares {part or account}, as far as is known.", "Read its provider again.")
    click.echo(json.dumps({"proposal": 1, "title": f"Sharing of {account}", "changes": documents}, indent=2))


@click.command()
@output_option
@reports_errors
def proposals(output: str) -> None:
    """List proposals, the latest first."""
    with connect() as client:
        emit(client.proposals(), PROPOSALS, output, empty="Nothing is proposed; openlatch what-if FILE does.")


@click.command()
@click.argument("ref", type=PROPOSAL)
@click.option("--again", is_flag=True, help="Work it out anew, against what there is now.")
@click.option("--compare", default="", help="Two versions, such as 1,2: what the one changes that the other does not.")
@click.option("--file", "as_file", is_flag=True, help="Print the proposal itself, to be changed and sent again.")
@click.option("--apply", "applies", is_flag=True, help="Carry it out: as orders, offers, and tasks for people.")
@click.option("--fail-if", "checks", multiple=True, type=click.Choice(list(CHECKS)), help="Exit 7 then.")
@yes_option
@output_option
@reports_errors
def proposal(
    ref: str, again: bool, compare: str, as_file: bool, applies: bool, checks: tuple[str, ...], yes: bool, output: str
) -> None:
    """Show what the proposal REF would change; work it out again, compare versions, or apply it."""
    with connect() as client:
        if again:
            client.run_proposal(ref)
        if compare:
            _compared(client.compare_versions(ref, *_numbers(compare)), output)
            return
        the_proposal = client.worked_out(ref)
        if as_file:
            click.echo(json.dumps(the_proposal.runs[-1].body, indent=2, ensure_ascii=False))
            return
        _told(the_proposal, output)
        _checked(the_proposal, checks)
        if applies:
            confirmed("Apply it?", yes)
            _applied(client, client.apply_proposal(ref, the_proposal.runs[-1].number))


def _applied(client: Client, done: wire.Proposal) -> None:
    click.echo(f"Applied. What came of it: openlatch batch {done.batch}")


def _told(the_proposal: wire.Proposal, output: str) -> None:
    latest = the_proposal.runs[-1]
    if output != "table":
        click.echo(the_proposal.model_dump_json(indent=2))
    if latest.outcome is None:
        raise Failure(
            latest.trouble, f"Correct it, and send it again: openlatch what-if FILE --instead-of {the_proposal.ref}"
        )
    if output != "table":
        return
    paper = out()
    paper.print(Text(f"{the_proposal.title} ({the_proposal.ref}, version {latest.number})", style="bold"))
    for sentence in latest.outcome.sentences:
        paper.print(Text(f"  {sentence}"))
    for title, flags in (("Raised", latest.outcome.flags_raised), ("Cleared", latest.outcome.flags_cleared)):
        for flag in flags[:12]:
            paper.print(Text.assemble(f"{title:8}", notches(flag.severity), f"  {flag.reason}"))
        if len(flags) > 12:
            paper.print(f"{title:8}and {len(flags) - 12} more", style="dim")
    for risk in latest.outcome.risks[:8]:
        paper.print(Text(f"Risk    {risk.about}: {risk.before} → {risk.after}"))
    for read_at in latest.outcome.read_at:
        stale = " (older than it may be)" if read_at.stale else ""
        paper.print(Text(f"{read_at.provider} was read {ago(read_at.read_at)}{stale}", style="dim"))


def _numbers(compare: str) -> tuple[int, int]:
    first, _, second = compare.partition(",")
    try:
        return int(first), int(second)
    except ValueError as error:
        raise Failure(
            f"“{compare}” does not name two versions.", "Name them by their numbers, such as 1,2.", 2
        ) from error


def _compared(versions: wire.Versions, output: str) -> None:
    if output != "table":
        click.echo(versions.model_dump_json(indent=2))
        return
    paper = out()
    for number, lines in ((versions.first, versions.only_first), (versions.second, versions.only_second)):
        if lines:
            paper.print(Text(f"Only version {number}", style="bold"))
        for line in lines:
            paper.print(Text(f"  {line.text}", style="bold" if line.kind == "gain" and line.outside else ""))
    if not versions.only_first and not versions.only_second:
        paper.print(f"Versions {versions.first} and {versions.second} would change the same.")
    if versions.partly:
        paper.print(
            "There is too much to tell all of it exactly; what is only summed up is compared as it is told.",
            style="dim",
        )


def _checked(the_proposal: wire.Proposal, checks: tuple[str, ...]) -> None:
    outcome: Any = the_proposal.runs[-1].outcome
    holds = {
        "outsider-gains": outcome.outsiders_gain,
        "anyone-gains": outcome.anyone_gains,
        "flag-raised": bool(outcome.flags_raised),
        "limit-passed": bool(outcome.limits),
    }
    failed = [CHECKS[check] for check in checks if holds[check]]
    if failed:
        click.echo(f"! It is not to be: {'; '.join(failed)}.", err=True)
        sys.exit(FORBIDDEN)
