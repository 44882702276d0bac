"""Signing in and out, and proving who you are."""

from __future__ import annotations

import contextlib
import socket
import sys
from uuid import UUID

import click

from openlatch.cli.columns import day
from openlatch.cli.command import Command
from openlatch.cli.connection import client_of, connect, forget, keep, kept
from openlatch.cli.connection import sign_in as make_token
from openlatch.cli.failure import Failure
from openlatch.cli.output import reports_errors
from openlatch.client.address import service_address
from openlatch.errors import FactorNeeded, NotSignedIn, ServiceUnreachable

__all__ = ["confirm", "forgot_password", "sign_in", "sign_out"]


@click.command(cls=Command, example="{server} --workspace kestrel-ridge --address ruth.calder@kestrelridge.example")
@click.argument("server")
@click.option("--workspace", help="The workspace's short name. Asked for if not given.")
@click.option("--address", help="Your address in that workspace. Asked for if not given.")
@click.option("--password", help="Asked for if not given.")
@click.option(
    "--with-token",
    is_flag=True,
    help="Be asked for a token that you have made in the console under My account, if you sign in there by passkey "
    "or single sign-on.",
)
@click.option(
    "--code", help="The code of your app, or a recovery code, if you have a second factor; asked for if needed."
)
@click.option("--days", default=30, show_default=True, help="How many days the token is valid.")
@click.option(
    "--profile", "named", default="", help="A name for this sign-in; the short name of the workspace without it."
)
@click.option("--read-only", is_flag=True, help="Make a token that can change nothing.")
@reports_errors
def sign_in(server: str, days: int, with_token: bool, read_only: bool, named: str, **who: str | None) -> None:
    """Sign in to the service at SERVER, and keep a token for the next commands.

    Sign in to several services or workspaces, and choose with openlatch profile use NAME, or openlatch --profile NAME.
    """
    server = service_address(server)
    if with_token:
        _keep_token(server, click.prompt("Token", hide_input=True).strip(), named)
        return
    for asked in ("workspace", "address", "password"):
        who[asked] = who[asked] or click.prompt(asked.capitalize(), hide_input=asked == "password")
    who |= {"name": f"command line on {socket.gethostname()}", "scope": "read" if read_only else "change"}
    try:
        client, token = make_token(server, days=days, **who)
    except FactorNeeded:
        if not sys.stdin.isatty() or who["code"]:
            raise
        who["code"] = click.prompt("The code that your app shows now, or a recovery code")
        client, token = make_token(server, days=days, **who)
    with client:
        me = client.me()
    path = keep(server, token.secret, str(token.id), me.workspace.slug, named)
    click.echo(
        f"Signed in to {me.workspace.name} as {me.person.name} ({me.person.role}), "
        f"until {day(token.expires_at, me.workspace.zone)}."
    )
    click.echo(f"The token is kept in {path}, readable by you alone.")


def _keep_token(server: str, secret: str, named: str) -> None:
    """Keep a token that was made in the console, once it is known to be good there."""
    name, _, rest = secret.partition(".")
    parts = rest.split(".")
    if name != "latch" or len(parts) != 3:
        raise Failure("That is not a token of Open Latch. Nothing was kept.", "Make one in the console: My account.", 2)
    with client_of(server, secret) as client:
        me = client.me()
    path = keep(server, secret, str(UUID(parts[1])), me.workspace.slug, named)
    click.echo(f"Signed in to {me.workspace.name} as {me.person.name} ({me.person.role}).")
    click.echo(f"The token is kept in {path}, readable by you alone.")


@click.command(cls=Command)
@reports_errors
def sign_out() -> None:
    """Revoke the token that is kept here, and forget it."""
    texts = kept()
    if texts is None:
        click.echo("Nobody was signed in here.")
        return
    with contextlib.suppress(NotSignedIn, ServiceUnreachable), client_of(texts["server"], texts["token"]) as client:
        client.sign_out()
    forget()
    click.echo("Signed out.")


@click.command(cls=Command)
@click.option("--password", help="Asked for if neither is given.")
@click.option("--code", help="A code of your second factor, instead of your password.")
@reports_errors
def confirm(password: str | None, code: str | None) -> None:
    """Prove who you are, as acts that take access away demand after a while."""
    with connect() as client:
        given = None if code else password or click.prompt("Your password", hide_input=True)
        me = client.confirm(given, code=code)
    click.echo(f"Confirmed: you are {me.person.name}.")


@click.command(cls=Command, example="{server} --workspace kestrel-ridge --address ruth.calder@kestrelridge.example")
@click.argument("server")
@click.option("--workspace", prompt=True, help="The workspace's short name.")
@click.option("--address", prompt=True, help="Your address in that workspace.")
@reports_errors
def forgot_password(server: str, workspace: str, address: str) -> None:
    """Get a letter with a link to choose a new password at the service at SERVER."""
    with client_of(service_address(server), "") as client:
        client.forgot_password(workspace, address)
    click.echo(f"If {address} signs in to “{workspace}”, a letter is on its way. Its link works for an hour.")
