"""What-if: what changes would do, before anything is changed."""

from __future__ import annotations

import json
import sys
from typing import Any, TextIO

import click
from rich.text import Text

from openlatch.cli.acting import confirmed, yes_option
from openlatch.cli.columns import Column, ago, notches
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ACCOUNT, PROPOSAL
from openlatch.cli.output import Listing, listed, out, output_option, reports_errors
from openlatch.wire import messages as wire

__all__ = ["what_if"]

FAILED = 7
CHECKS = {
    "outsider-gains": "someone from outside would gain access",
    "anyone-gains": "someone would gain access",
    "flag-raised": "a flag would be raised",
    "limit-passed": "a limit would be passed",
}
_PROPOSALS: tuple[Column, ...] = (
    Column.ref(lambda p: p.ref),
    Column("state", lambda p: p.state),
    Column.prose("title", lambda p: Text(p.title)),
    Column("by", lambda p: Text(p.made_by)),
    Column("made", lambda p: ago(p.made_at)),
    Column.more("versions", lambda p: str(len(p.runs))),
)
_checks_option = click.option(
    "--fail-if", "checks", multiple=True, type=click.Choice(list(CHECKS)), help="Exit with 7 if this is so; repeatable."
)


@click.group("what-if", cls=Group)
def what_if() -> None:
    """See what changes would do, before you make them.

    Changes are written as a proposal. PROPOSAL is its id or short form.
    """


@what_if.command("list")
@listed(*_PROPOSALS)
@reports_errors
def list_proposals(listing: Listing) -> None:
    """List proposals, the latest first."""
    with connect() as client:
        listing.print(client.proposals(), empty="There are no proposals. Make one: openlatch what-if make FILE")


@what_if.command("make", example="proposal.json --fail-if outsider-gains")
@click.argument("file", type=click.File())
@click.option("--instead-of", default="", help="A proposal of which this is a new version.")
@_checks_option
@output_option
@reports_errors
def make(file: TextIO, instead_of: str, checks: tuple[str, ...], output: str) -> None:
    """Make a proposal of the changes in FILE, and show what they would do. Nothing is changed.

    \b
    FILE is JSON (- for standard input):
      {"proposal": 1, "title": "Close the unreleased plates", "changes": [
        {"do": "lock", "account": "Night-Sky Plates", "locked": true}]}
    """
    try:
        body = json.load(file)
    except ValueError as error:
        raise Failure(f"{file.name} is not JSON: {error}.", "Correct it; nothing was sent.", 2) from error
    if not isinstance(body, dict):
        raise Failure(f"{file.name} does not hold a proposal.", "Write an object with proposal, title and changes.", 2)
    with connect() as client:
        made = client.change_proposal(instead_of, body) if instead_of else client.propose(body)
        there = client.worked_out(made.ref)
    _tell(there, output)
    _checked(there, checks)


@what_if.command("show", example="{proposal}")
@click.argument("ref", metavar="PROPOSAL", type=PROPOSAL)
@_checks_option
@output_option
@reports_errors
def show(ref: str, checks: tuple[str, ...], output: str) -> None:
    """Show what a proposal would do."""
    with connect() as client:
        there = client.worked_out(ref)
    _tell(there, output)
    _checked(there, checks)


@what_if.command("again", example="{proposal}")
@click.argument("ref", metavar="PROPOSAL", type=PROPOSAL)
@_checks_option
@output_option
@reports_errors
def again(ref: str, checks: tuple[str, ...], output: str) -> None:
    """Work a proposal out again, against the inventory as it is now."""
    with connect() as client:
        client.run_proposal(ref)
        there = client.worked_out(ref)
    _tell(there, output)
    _checked(there, checks)


@what_if.command("file", example="{proposal} > proposal.json")
@click.argument("ref", metavar="PROPOSAL", type=PROPOSAL)
@reports_errors
def as_file(ref: str) -> None:
    """Print a proposal as a file, to change it and make a new version."""
    with connect() as client:
        click.echo(json.dumps(client.proposal(ref).runs[-1].body, indent=2, ensure_ascii=False))


@what_if.command("compare", example="{proposal} 1 1")
@click.argument("ref", metavar="PROPOSAL", type=PROPOSAL)
@click.argument("first", type=click.IntRange(min=1))
@click.argument("second", type=click.IntRange(min=1))
@output_option
@reports_errors
def compare(ref: str, first: int, second: int, output: str) -> None:
    """Show what the FIRST version of a proposal would do that the SECOND would not, and the other way round."""
    with connect() as client:
        _compared(client.compare_versions(ref, first, second), output)


@what_if.command("apply", example="{proposal} --yes")
@click.argument("ref", metavar="PROPOSAL", type=PROPOSAL)
@_checks_option
@yes_option
@reports_errors
def apply(ref: str, checks: tuple[str, ...], yes: bool) -> None:
    """Carry a proposal out: with orders, offers, and tasks for people where Open Latch cannot do it itself."""
    with connect() as client:
        there = client.worked_out(ref)
        _tell(there, "table")
        _checked(there, checks)
        confirmed("Apply it?", yes)
        done = client.apply_proposal(ref, there.runs[-1].number)
    click.echo(f"Applied. What came of it: openlatch batch show {done.batch}")


@what_if.command("shares", example="'Night-Sky Plates' --part 'unreleased 2026'")
@click.argument("account", type=ACCOUNT)
@click.option("--part", default=None, help="Only this part of it.")
@reports_errors
def shares(account: str, part: str | None) -> None:
    """Print who shares the parts of an account, as a proposal that changes nothing yet, for you to change."""
    with connect() as client:
        documents = client.shares(account, part)
    if not documents:
        raise Failure(f"Nothing shares {part or account}, as far as is known.", "Read its provider again.")
    click.echo(json.dumps({"proposal": 1, "title": f"Sharing of {account}", "changes": documents}, indent=2))


def _tell(the_proposal: wire.Proposal, output: str) -> None:
    latest = the_proposal.runs[-1]
    if output != "table":
        click.echo(the_proposal.model_dump_json(indent=2))
    if latest.outcome is None:
        raise Failure(
            latest.trouble,
            f"Correct it, and send it again: openlatch what-if make FILE --instead-of {the_proposal.ref}",
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
        stale = " (too long ago)" if read_at.stale else ""
        paper.print(Text(f"{read_at.provider} was read {ago(read_at.read_at)}{stale}", style="dim"))


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
            "There is too much to compare all of it line by line; what is only summed up is compared by its sums.",
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
        click.echo(f"! The check failed: {'; '.join(failed)}.", err=True)
        sys.exit(FAILED)
