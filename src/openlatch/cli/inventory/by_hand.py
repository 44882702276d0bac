"""What is kept by hand: single entries, lists, vouching for what is there, and saying what is gone."""

from __future__ import annotations

from datetime import datetime

import click

from openlatch.cli.connection import connect
from openlatch.cli.nouns import ENTRY, PROVIDER, one_of
from openlatch.cli.output import reports_errors
from openlatch.words import Kind, Power

__all__ = ["gone", "keep", "somebody_else_option", "vouch"]

somebody_else_option = click.option(
    "--somebody-else", is_flag=True, help="The address comes close to a known one, and is somebody else's."
)
_KINDS = one_of(Kind)


@click.command()
@click.argument("provider", type=PROVIDER)
@click.option("--account", required=True, help="The account's name.")
@click.option("--party", default="", help="Who has access: a name.")
@click.option("--address", "addresses", multiple=True, help="An address of theirs; repeatable.")
@click.option("--kind", type=_KINDS, default="delegate", show_default=True)
@click.option("--level", default="", help="The level in the provider's own words.")
@click.option("--power", "powers", multiple=True, type=one_of(Power), help="What it allows; repeatable.")
@click.option("--last-day", type=click.DateTime(["%Y-%m-%d"]), help="The last day on which it holds.")
@click.option("--given-by", default="", help="Who gave it.")
@click.option("--because", default="", help="Why it exists.")
@somebody_else_option
@reports_errors
def keep(
    provider: str,
    account: str,
    party: str,
    addresses: tuple[str, ...],
    kind: Kind,
    level: str,
    powers: tuple[str, ...],
    last_day: datetime | None,
    given_by: str,
    because: str,
    somebody_else: bool,
) -> None:
    """Keep an entry of PROVIDER by hand, or correct the one of the same kind, account and party."""
    with connect() as client:
        kept = client.keep(
            provider,
            account=account,
            party=party,
            addresses=list(addresses),
            kind=kind,
            level=level,
            powers=list(powers) or None,
            ends_at=last_day.date() if last_day else None,
            given_by=given_by,
            basis=because,
            somebody_else=somebody_else,
        )
    click.echo(f"Kept {kept.ref}: {kept.party.name} on {kept.account.name}. You vouch for it.")


@click.command()
@click.argument("entry", type=ENTRY)
@reports_errors
def vouch(entry: str) -> None:
    """Say that ENTRY, which is kept by hand, is still there as it is written."""
    with connect() as client:
        the_entry = client.vouch(entry)
    click.echo(f"You vouch for {the_entry.ref}: {the_entry.party.name} on {the_entry.account.name}.")


@click.command()
@click.argument("entry", type=ENTRY)
@click.option("--because", default="", help="How it is known that it ended.")
@reports_errors
def gone(entry: str, because: str) -> None:
    """Say that ENTRY, which is kept by hand, has ended at its provider."""
    with connect() as client:
        the_entry = client.gone(entry, because)
    click.echo(f"{the_entry.ref} is kept as ended: {the_entry.party.name} on {the_entry.account.name}.")
