"""Leavers: ending all access of someone who is leaving."""

from __future__ import annotations

from datetime import datetime

import click
from rich.text import Text

from openlatch.cli.acting import (
    asked_count,
    count_option,
    dry_run_option,
    last,
    no_wait_option,
    reason_option,
    until_option,
)
from openlatch.cli.columns import Column
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.nouns import PARTY
from openlatch.cli.output import Listing, listed, only_shown, out, reports_errors
from openlatch.cli.taking_back.batch import BATCHES, started, together
from openlatch.core.phrases import counted

__all__ = ["leaver"]

_PLANNED: tuple[Column, ...] = (
    Column("when", lambda i: i.phase),
    Column.who("entry", lambda i: Text(i.entry.name if i.entry else "by hand")),
    Column.prose("what", lambda i: Text(i.text)),
    Column.more("provider", lambda i: i.provider),
)


@click.group(cls=Group)
def leaver() -> None:
    """End all access of someone who is leaving.

    What came of one, and what is left to do: openlatch batch --help
    """


@leaver.command("list")
@listed(*BATCHES)
@reports_errors
def list_leavers(listing: Listing) -> None:
    """List leavers, the latest first."""
    with connect() as client:
        found = client.batches("leaver")
        listing.print(found, empty="There are no leavers. Start with one: openlatch leaver start PARTY --dry-run")


@leaver.command("start", example="{party} --until 2030-06-30 --dry-run")
@click.argument("party", type=PARTY)
@until_option
@click.option("--owner", default="", help="The address of who takes care of what only people can do.")
@reason_option
@dry_run_option
@count_option
@no_wait_option
@listed(*_PLANNED, limit=0)
@reports_errors
def start(
    party: str,
    until: datetime | None,
    owner: str,
    reason: str,
    dry_run: bool,
    count: int | None,
    no_wait: bool,
    listing: Listing,
) -> None:
    """End all access of a party that is leaving: at all providers, in the right order, with proof.

    With --until it begins once that day is over. Shows what happens first, then asks how many items that are.
    """
    with connect() as client:
        plan = client.plan_leaver(party)
        if listing.for_people:
            out().print(Text.assemble((plan.party.name, "bold"), f" leaves: {counted(len(plan.items), 'item')}"))
            out().print(Text(", ".join(plan.party.addresses)), style="dim")
        if listing.for_people or dry_run:
            listing.print(plan.items, empty="They have no access, as far as is known.")
        if listing.for_people and plan.consequences:
            out().print("\nWhat happens", style="bold")
            together(out(), plan.consequences)
        if dry_run:
            if listing.for_people:
                only_shown()
            return
        if count is None:
            count = asked_count("items are done", len(plan.items))
        given = client.leave(party, count=count, last_day=last(until), who=owner, reason=reason)
        started(client, given, no_wait=no_wait, output=listing.output)
