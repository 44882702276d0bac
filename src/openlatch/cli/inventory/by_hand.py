"""Entries that no reading can see: record one, vouch for one, mark one as ended."""

from __future__ import annotations

from datetime import datetime

import click

from openlatch.cli.acting import last, reason_option, until_option
from openlatch.cli.command import Command
from openlatch.cli.connection import connect
from openlatch.cli.nouns import ENTRY, PROVIDER, one_of
from openlatch.cli.output import reports_errors
from openlatch.words import Kind, Power

__all__ = ["mark_ended", "record", "someone_else_option", "vouch"]

someone_else_option = click.option(
    "--someone-else", is_flag=True, help="The address looks like a known one, and belongs to someone else."
)


@click.command(
    "record",
    cls=Command,
    example="'Hill Road Signage' --account 'Hill Road display' --party 'Edda Brook' --level editor",
)
@click.argument("provider", type=PROVIDER)
@click.option("--account", required=True, help="The account's name.")
@click.option("--party", default="", help="Who has access: a name.")
@click.option("--address", "addresses", multiple=True, help="An address of theirs; repeatable.")
@click.option("--kind", type=one_of(Kind), default="delegate", show_default=True, help="What kind of access it is.")
@click.option("--level", default="", help="The level in the provider's own words.")
@click.option("--power", "powers", multiple=True, type=one_of(Power), help="What it allows; repeatable.")
@until_option
@click.option("--given-by", default="", help="Who gave it.")
@reason_option
@someone_else_option
@reports_errors
def record(
    provider: str,
    account: str,
    party: str,
    addresses: tuple[str, ...],
    kind: Kind,
    level: str,
    powers: tuple[str, ...],
    until: datetime | None,
    given_by: str,
    reason: str,
    someone_else: bool,
) -> None:
    """Record an access at a provider that Open Latch cannot read, or correct a recorded one.

    It is corrected where kind, account and party are the same.
    """
    with connect() as client:
        kept = client.keep(
            provider,
            account=account,
            party=party,
            addresses=list(addresses),
            kind=kind,
            level=level,
            powers=list(powers) or None,
            ends_at=last(until),
            given_by=given_by,
            basis=reason,
            somebody_else=someone_else,
        )
    click.echo(f"Recorded {kept.ref}: {kept.party.name} on {kept.account.name}. You vouch for it.")


@click.command("vouch", cls=Command, example="{by_hand}")
@click.argument("entry", type=ENTRY)
@reports_errors
def vouch(entry: str) -> None:
    """Confirm that an entry recorded by hand is still there as it is written."""
    with connect() as client:
        the_entry = client.vouch(entry)
    click.echo(f"You vouch for {the_entry.ref}: {the_entry.party.name} on {the_entry.account.name}.")


@click.command("mark-ended", cls=Command, example="{kept} --reason 'The board was sold'")
@click.argument("entry", type=ENTRY)
@reason_option
@reports_errors
def mark_ended(entry: str, reason: str) -> None:
    """Record that an entry recorded by hand has ended at its provider."""
    with connect() as client:
        the_entry = client.gone(entry, reason)
    click.echo(f"{the_entry.ref} is recorded as ended: {the_entry.party.name} on {the_entry.account.name}.")
