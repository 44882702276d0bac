"""Secrets: passwords, keys and codes that people know."""

from __future__ import annotations

from typing import Any

import click

from openlatch.cli.acting import reason_option
from openlatch.cli.columns import Column, day
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.inventory.by_hand import someone_else_option
from openlatch.cli.inventory.cells import where, who
from openlatch.cli.nouns import ACCOUNT, one_of
from openlatch.cli.orders.giving import acting, order_entry
from openlatch.cli.output import Listing, hint, listed, reports_errors
from openlatch.words import Power

__all__ = ["secret"]

_SECRETS: tuple[Column, ...] = (
    Column.ref(lambda e: e.ref),
    Column.who("who knows it", who),
    Column("secret", lambda e: e.level),
    Column("where", where),
    Column("since", lambda e: day(e.given_at)),
)


@click.group(cls=Group)
def secret() -> None:
    """Passwords and keys that people know: list, record, change.

    Open Latch keeps who knows a secret, never the secret itself.
    """


@secret.command("list")
@click.argument("search", required=False, default="")
@click.option("--account", type=ACCOUNT, default="", help="Only of this account.")
@listed(*_SECRETS)
@reports_errors
def list_secrets(search: str, account: str, listing: Listing) -> None:
    """List who knows which secret."""
    with connect() as client:
        found = client.entries(q=search, kind="secret", account=account, limit=listing.most)
        listing.print(found, empty="Nobody is recorded as knowing a secret.")


@secret.command("record", example="Gate 'Finn Dale' 'the gate code'")
@click.argument("account", type=ACCOUNT)
@click.argument("who")
@click.argument("what", default="a password")
@click.option(
    "--power", "powers", multiple=True, type=one_of(Power), help="What it allows, if not everything there; repeatable."
)
@reason_option
@someone_else_option
@reports_errors
def record(account: str, who: str, what: str, powers: tuple[str, ...], reason: str, someone_else: bool) -> None:
    """Record that someone knows a password, key or code of an account.

    WHO is a name, address or short form that is known here, or anyone else: a name, an address, or “Name <address>”.
    """
    with connect() as client:
        kept = client.record_secret(account, who, what, powers=list(powers), reason=reason, somebody_else=someone_else)
    click.echo(f"Recorded ({kept.ref}): {kept.party.name} knows {kept.level} of {kept.account.name}.")
    hint(f"Offer them access of their own instead: openlatch offer make --replaces {kept.ref}")


@secret.command("change", example="{by_hand} --dry-run")
@acting()
@reports_errors
def change(entry: str, **how: Any) -> None:
    """Have a shared secret changed. Whoever knew it can no longer use it once that is done."""
    order_entry(entry, "change-secret", "Order that?", {}, **how)
