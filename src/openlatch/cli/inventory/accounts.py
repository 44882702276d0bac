"""Accounts: shared with how many, how vital, which apps are on them, and what was done."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.connection import connect
from openlatch.cli.inventory.cells import held, used, where
from openlatch.cli.nouns import ACCOUNT, PARTY, PROVIDER, one_of
from openlatch.cli.output import Column, ago, day, emit, output_option, reports_errors
from openlatch.wire import messages as wire
from openlatch.words import Criticality, How

__all__ = ["accounts", "activity", "apps", "describe"]

ACCOUNTS: tuple[Column, ...] = (
    Column("id", lambda a: a.ref),
    Column("account", lambda a: a.name),
    Column("provider", lambda a: a.provider.name),
    Column("criticality", lambda a: a.criticality + (", practice" if a.practice else "")),
    Column("lock", lambda a: "" if a.locked is None else "on" if a.locked else "off"),
    Column("shared with", lambda a: str(a.shared_with)),
)


def _activity(zone: str) -> tuple[Column, ...]:
    return (
        Column("when", lambda a: Text(day(a.at, zone)).append(f"\n{ago(a.at)}", "dim")),
        Column.who("who", lambda a: a.party.name),
        Column("in whose name", _behalf),
        Column("where", lambda a: Text(a.account.name).append(f"\n{a.provider}", "dim")),
        Column.prose("what", lambda a: Text(a.what).append(f"\n{a.power or ''}", "dim")),
        Column("entry", lambda a: a.entry or ""),
    )


def _behalf(a: wire.Activity) -> str:
    """In whose name something was done."""
    if a.behalf_of is not None:
        return a.behalf_of.name
    return "their own" if a.how == "own" else "the holder's"


@click.command()
@click.argument("search", required=False, default="")
@click.option("--provider", type=PROVIDER, default="", help="Only this provider.")
@output_option
@reports_errors
def accounts(search: str, provider: str, output: str) -> None:
    """List the shared accounts, and with how many parties each is shared."""
    with connect() as client:
        emit(client.accounts(search, provider), ACCOUNTS, output, empty="No account matches.")


@click.command()
@click.option("--account", type=ACCOUNT, default="", help="Only on this account.")
@click.option("--party", type=PARTY, default="", help="Only by this party, or on its behalf.")
@click.option("--how", type=one_of(How), help="Only one's own, delegates', or apps'.")
@click.option("--limit", default=30, show_default=True, help="How many at most.")
@output_option
@reports_errors
def activity(account: str, party: str, how: str | None, limit: int, output: str) -> None:
    """List what was done with accounts, the latest first: by whom, and in whose name."""
    with connect() as client:
        zone = client.me().workspace.zone
        done = client.activity(account=account, party=party, how=how or "", limit=limit)
        emit(done, _activity(zone), output, empty="Nothing is known to have been done.")


@click.command()
@click.argument("account", type=ACCOUNT)
@click.option("--criticality", type=one_of(Criticality), help="How much harm its loss would do.")
@click.option("--practice/--real", default=None, help="Whether it is only for practice.")
@reports_errors
def describe(account: str, criticality: str | None, practice: bool | None) -> None:
    """Say how vital ACCOUNT (id, short form or name) is, and whether it is only for practice."""
    with connect() as client:
        the_account = client.describe_account(account, criticality=criticality, practice=practice)
    click.echo(f"{the_account.name}: {the_account.criticality}{', for practice' if the_account.practice else ''}.")


@click.command()
@click.argument("search", required=False, default="")
@output_option
@reports_errors
def apps(search: str, output: str) -> None:
    """List the connected apps: who publishes each, on how many accounts it is, and what it can do on each."""
    with connect() as client:
        the_apps = client.apps(search)
        if output != "table":
            emit(the_apps, (), output, empty="")
            return
        apps_found = list(the_apps)
        on = {app.party.id: app.accounts for app in apps_found}
        columns: tuple[Column, ...] = (
            Column("entry", lambda e: e.ref),
            Column(
                "app",
                lambda e: Text(e.party.name, "bold").append(f"\n{e.party.publisher or 'publisher unknown'}", "dim"),
            ),
            Column("accounts", lambda e: str(on[e.party.id])),
            Column("where", where),
            Column("powers", held),
            Column("in its own words", lambda e: Text("; ".join(e.permissions))),
            Column("last used", used),
        )
        emit([e for app in apps_found for e in app.entries], columns, output, empty="No app is connected.")
