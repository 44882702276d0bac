"""Tokens for your programs."""

from __future__ import annotations

from uuid import UUID

import click

from openlatch.cli.acting import confirmed, yes_option
from openlatch.cli.columns import Column, ago, day
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.output import Listing, hint, listed, reports_errors

__all__ = ["token"]

_TOKENS: tuple[Column, ...] = (
    Column("id", lambda t: str(t.id), whole=True),
    Column("name", lambda t: t.name),
    Column("scope", lambda t: t.scope),
    Column("ends", lambda t: "revoked" if t.revoked_at else day(t.expires_at)),
    Column("last used", lambda t: ago(t.last_used_at)),
)


@click.group(cls=Group)
def token() -> None:
    """Tokens for your programs.

    A program uses one as OPENLATCH_TOKEN, with OPENLATCH_SERVER beside it. openlatch sign-in makes one for you.
    """


@token.command("list")
@listed(*_TOKENS)
@reports_errors
def list_tokens(listing: Listing) -> None:
    """List your tokens."""
    with connect() as client:
        listing.print(client.tokens(), empty="You have no tokens.")


@token.command("add", example="'nightly export' --read-only --days 90")
@click.argument("name")
@click.option("--read-only", is_flag=True, help="A token that can change nothing.")
@click.option("--days", default=30, show_default=True, help="How many days it is valid.")
@reports_errors
def add(name: str, read_only: bool, days: int) -> None:
    """Make a token for a program that you call NAME. It is printed once."""
    with connect() as client:
        made = client.make_own_token(name, scope="read" if read_only else "change", days=days)
        hint(f"Valid until {day(made.expires_at)}. It is shown only now:")
    click.echo(made.secret)


@token.command("revoke", example="{token} --yes")
@click.argument("token", type=click.UUID)
@yes_option
@reports_errors
def revoke(token: UUID, yes: bool) -> None:
    """Revoke one of your tokens, by its id: it is refused from then on."""
    confirmed("Revoke this token?", yes)
    with connect() as client:
        client.revoke_token(token)
    click.echo("Revoked.")
