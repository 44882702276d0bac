"""Shared accounts."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.columns import Column
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ACCOUNT, PROVIDER, one_of
from openlatch.cli.output import Listing, hint, listed, out, output_option, print_one, reports_errors
from openlatch.cli.rules.risk import tell_risk
from openlatch.core.phrases import counted
from openlatch.wire import messages as wire
from openlatch.words import Criticality

__all__ = ["account"]


def _critical(a: wire.Account) -> str:
    return a.criticality + (", practice" if a.practice else "")


def _lock(a: wire.Account) -> str:
    return "" if a.locked is None else "on" if a.locked else "off"


_ACCOUNTS: tuple[Column, ...] = (
    Column.ref(lambda a: a.ref),
    Column.who("account", lambda a: Text(a.name)),
    Column("provider", lambda a: Text(a.provider.name)),
    Column("criticality", _critical),
    Column("shared with", lambda a: counted(a.shared_with, "party")),
    Column.more("lock", _lock),
)


@click.group(cls=Group)
def account() -> None:
    """Shared accounts: list, show, set how critical one is.

    ACCOUNT is a name, an id or its short form.
    """


@account.command("list", example="mast")
@click.argument("search", required=False, default="")
@click.option("--provider", type=PROVIDER, default="", help="Only this provider.")
@listed(*_ACCOUNTS)
@reports_errors
def list_accounts(search: str, provider: str, listing: Listing) -> None:
    """List the shared accounts, and with how many parties each is shared."""
    with connect() as client:
        listing.print(client.accounts(search, provider), empty="No account matches.")


@account.command("show", example="Bookings")
@click.argument("account", type=ACCOUNT)
@output_option
@reports_errors
def show(account: str, output: str) -> None:
    """Show one account: how critical it is, with whom it is shared, and what adds up to its risk."""
    with connect() as client:
        there = client.account(account)
        risk = client.account_risk(str(there.id))
        if output != "table":
            print_one(there, output)
            return
        to = out()
        to.print(Text.assemble((there.name, "bold"), f", {there.provider.name}", ("   " + there.ref, "dim")))
        facts = (
            ("criticality", _critical(there)),
            ("shared with", counted(there.shared_with, "party")),
            ("lock", _lock(there)),
        )
        for name, value in facts:
            if value:
                to.print(Text.assemble((f"  {name:<14}", "dim"), value))
        tell_risk(to, risk, client.me().workspace.zone)
        hint(f"\nWho has access: openlatch inventory --account {there.ref}")


@account.command("change", example="Gate --criticality vital")
@click.argument("account", type=ACCOUNT)
@click.option("--criticality", type=one_of(Criticality), help="How much harm its loss would do.")
@click.option("--practice/--real", default=None, help="Whether it is only for practice.")
@reports_errors
def change(account: str, criticality: str | None, practice: bool | None) -> None:
    """Set how critical an account is, or mark it as practice."""
    if criticality is None and practice is None:
        raise Failure("Nothing to change is given.", "openlatch account change ACCOUNT --criticality vital", 2)
    with connect() as client:
        changed = client.describe_account(account, criticality=criticality, practice=practice)
    click.echo(f"{changed.name}: {_critical(changed)}.")
