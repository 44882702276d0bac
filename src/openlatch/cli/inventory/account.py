"""Shared accounts."""

from __future__ import annotations

from typing import Any

import click
from rich.text import Text

from openlatch.cli.columns import Column, ago, powers, worst
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.inventory.view import viewed, with_view
from openlatch.cli.keeping import exports
from openlatch.cli.nouns import ACCOUNT, PROVIDER, one_of
from openlatch.cli.options import at_least_risk, together
from openlatch.cli.output import Listing, hint, listed, out, output_option, print_one, reports_errors
from openlatch.cli.rules.risk import tell_risk
from openlatch.core.phrases import counted
from openlatch.wire import messages as wire
from openlatch.words import AccountOrder, Criticality, Listable

__all__ = ["account"]


def _critical(a: wire.Account) -> str:
    return a.criticality + (", practice" if a.practice else "")


def _lock(a: wire.Account) -> str:
    return "" if a.locked is None else "on" if a.locked else "off"


def _shared(a: wire.Account) -> str:
    """With how many, and how many of them may let others in or are outside."""
    more = [counted(a.administrators, "administrator")] if a.administrators else []
    more += [counted(a.outsiders, "outsider")] if a.outsiders else []
    return "\n".join([counted(a.shared_with, "party"), ", ".join(more)]).strip()


_ACCOUNTS: tuple[Column, ...] = (
    Column.ref(lambda a: a.ref),
    Column.who("account", lambda a: Text(a.name).append(f"\n{a.provider.name}", "dim")),
    Column("risk", lambda a: str(a.risk)),
    Column("worst flag", lambda a: worst(a.worst)),
    Column("shared with", lambda a: counted(a.shared_with, "party")),
    Column.more("criticality", _critical),
    Column("reviewed", lambda a: ago(a.last_reviewed) if a.last_reviewed else "never"),
    Column.more("administrators", lambda a: str(a.administrators)),
    Column.more("outsiders", lambda a: str(a.outsiders)),
    Column.more("secrets", lambda a: str(a.secrets)),
    Column.more("last used", lambda a: ago(a.last_used) if a.last_used else ""),
    Column.more("lock", _lock),
)


_filtered = together(
    [
        click.option("--provider", type=PROVIDER, default="", help="Only this provider."),
        click.option("--criticality", type=one_of(Criticality), help="Only those that are so critical."),
        click.option("--practice/--real", default=None, help="Only those for practice, or only the real ones."),
        at_least_risk,
        click.option("--sort", type=one_of(AccountOrder), default="name", show_default=True, help="What comes first."),
    ]
)

_LEVELS: tuple[Column, ...] = (
    Column("level", lambda c: Text(c.level)),
    Column("powers", lambda c: powers(c.powers, None)),
)


@click.group(cls=Group)
def account() -> None:
    """Shared accounts: list, show, set how critical one is.

    ACCOUNT is a name, an id or its short form.
    """


@account.command("list", example="mast")
@click.argument("search", required=False, default="")
@_filtered
@with_view
@listed(*_ACCOUNTS)
@reports_errors
def list_accounts(search: str, view: str, listing: Listing, **wanted: Any) -> None:
    """List the shared accounts: how critical each is, its risk, its worst flag, with whom it is shared."""
    with connect() as client:
        wanted = viewed(client, Listable.ACCOUNTS, view, wanted | {"q": search})
        listing.print(client.accounts(**wanted), empty="No account matches.")


exports(
    account, "accounts", _filtered, lambda client: client.accounts_export, example="accounts.xlsx --criticality vital"
)


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
            ("shared with", _shared(there).replace("\n", ": ")),
            ("known secrets", str(there.secrets) if there.secrets else ""),
            ("last reviewed", ago(there.last_reviewed) if there.last_reviewed else "never"),
            ("lock", _lock(there)),
        )
        for name, value in facts:
            if value:
                to.print(Text.assemble((f"  {name:<14}", "dim"), value))
        tell_risk(to, risk, client.me().workspace.zone)
        hint(f"\nWho has access: openlatch inventory --account {there.ref}")


@account.command("levels", example="'South Dome'")
@click.argument("account", type=ACCOUNT)
@listed(*_LEVELS)
@reports_errors
def levels(account: str, listing: Listing) -> None:
    """List the levels that can be given on an account, those that give least first, and its parts."""
    with connect() as client:
        found = client.choices(account)
    listing.print(found.levels, empty="No level that can be given there is known.")
    if listing.for_people and found.parts:
        more = f" and {found.more_parts} more" if found.more_parts else ""
        out().print(f"Parts: {', '.join(found.parts)}{more}", style="dim")


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
