"""Signing in and out, tokens, and the workspace."""

from __future__ import annotations

import contextlib
import socket
import sys
from uuid import UUID

import click
from rich.text import Text

from openlatch.cli.connection import all_kept, client_of, connect, forget, keep, kept, switch
from openlatch.cli.connection import sign_in as make_token
from openlatch.cli.failure import Failure
from openlatch.cli.output import Column, ago, day, emit, out, output_option, reports_errors
from openlatch.client.address import service_address
from openlatch.errors import FactorNeeded, NotSignedIn, OpenLatchError, ServiceUnreachable

__all__ = ["confirm", "forgot_password", "holders", "sign_in", "sign_out", "tokens", "whoami", "workspace"]

TOKENS: tuple[Column, ...] = (
    Column("id", lambda t: str(t.id)),
    Column("name", lambda t: t.name),
    Column("scope", lambda t: t.scope),
    Column("ends", lambda t: "revoked" if t.revoked_at else day(t.expires_at)),
    Column("last used", lambda t: ago(t.last_used_at)),
)
HOLDERS: tuple[Column, ...] = (
    Column("acts for", lambda h: Text(h.name)),
    Column("workspace", lambda h: h.workspace),
    Column("as", lambda h: Text(f"{h.person}, {h.role}")),
    Column("requests", lambda h: str(h.requests)),
    Column("offers", lambda h: str(h.offers)),
    Column("decide", lambda h: str(h.items)),
    Column("stuck", lambda h: str(h.stuck)),
)


@click.command()
@click.argument("server")
@click.option("--workspace", help="The workspace's short name. Asked for if not given.")
@click.option("--address", help="Your address in that workspace. Asked for if not given.")
@click.option("--password", help="Asked for if not given.")
@click.option(
    "--with-token",
    is_flag=True,
    help="Be asked for a token instead, which you have made in the console under My account; for whoever signs in "
    "there by passkey or single sign-on.",
)
@click.option("--code", help="Of your app, or a recovery code, if you have a second factor; asked for if needed.")
@click.option("--days", default=30, show_default=True, help="For how long.")
@click.option("--read-only", is_flag=True, help="Make a token that can change nothing.")
@reports_errors
def sign_in(server: str, days: int, with_token: bool, read_only: bool, **who: str | None) -> None:
    """Sign in to the service at SERVER, and keep a token for the next commands."""
    server = service_address(server)
    if with_token:
        _keep_token(server, click.prompt("Token", hide_input=True).strip())
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
    path = keep(server, token.secret, str(token.id), me.workspace.slug)
    click.echo(
        f"Signed in to {me.workspace.name} as {me.person.name} ({me.person.role}), "
        f"until {day(token.expires_at, me.workspace.zone)}."
    )
    click.echo(f"The token is kept in {path}, readable by you alone.")


def _keep_token(server: str, secret: str) -> None:
    """Keep a token that was made in the console, once it is known to be good there."""
    name, _, rest = secret.partition(".")
    parts = rest.split(".")
    if name != "latch" or len(parts) != 3:
        raise Failure("That is no token of Open Latch. Nothing was kept.", "Make one in the console: My account.", 2)
    with client_of(server, secret) as client:
        me = client.me()
    path = keep(server, secret, str(UUID(parts[1])), me.workspace.slug)
    click.echo(f"Signed in to {me.workspace.name} as {me.person.name} ({me.person.role}).")
    click.echo(f"The token is kept in {path}, readable by you alone.")


@click.command()
@click.option("--act-for", "workspace", default="", help="The workspace in whose name the next commands act.")
@output_option
@reports_errors
def holders(workspace: str, output: str) -> None:
    """List everyone in whose name you are signed in here, and what waits for you in each."""
    if workspace and not switch(workspace):
        known = ", ".join(texts.get("workspace", "") for texts in all_kept()) or "none"
        raise Failure(
            f"Nobody is signed in for “{workspace}” here.", f"There are: {known}. openlatch sign-in SERVER", 3
        )
    the_holders, silent = [], []
    for texts in all_kept():
        try:
            with client_of(texts["server"], texts["token"]) as client:
                the_holders.append(client.waiting())
        except OpenLatchError as error:
            silent.append((texts, error))
    if the_holders or not silent:
        emit(the_holders, HOLDERS, output, empty="Nobody is signed in here; openlatch sign-in SERVER.")
    if silent:
        first, why = silent[0]
        names = ", ".join(texts_by_key.get("workspace") or texts_by_key["server"] for texts_by_key, _ in silent)
        again = f"openlatch sign-in {first['server']} --workspace {first.get('workspace', '')}"
        raise type(why)(
            f"What waits for {names} is not known: {why.message} Nothing was changed.",
            next_step=again if isinstance(why, NotSignedIn) else why.next_step,
        )


@click.command()
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


@click.command()
@output_option
@reports_errors
def whoami(output: str) -> None:
    """Show who is signed in, and where."""
    with connect() as client:
        me = client.me()
    if output != "table":
        emit([me], (), output, empty="")
        return
    out().print(
        f"{me.person.name} <{me.person.address}>, {me.person.role} of {me.workspace.name} ({me.workspace.slug})"
    )


@click.command()
@click.option("--name", default=None, help="Call it something else.")
@click.option("--zone", default=None, help="Have its days in another zone, such as Europe/London.")
@click.option(
    "--second-factor",
    "demanded",
    default=None,
    help="Roles that need one, such as owner,manager; '' for none.",
)
@output_option
@reports_errors
def workspace(name: str | None, zone: str | None, demanded: str | None, output: str) -> None:
    """Show the workspace, or change its name, its zone, or which roles need a second factor.

    Which domains are its own stands in its policy.
    """
    roles = None if demanded is None else [role.strip() for role in demanded.split(",") if role.strip()]
    with connect() as client:
        the_workspace = client.workspace()
        if any(wish is not None for wish in (name, zone, roles)):
            the_workspace = client.change_workspace(name=name, zone=zone, second_factor=roles)
    if output != "table":
        emit([the_workspace], (), output, empty="")
        return
    out().print(f"{the_workspace.name} ({the_workspace.slug}), days in {the_workspace.zone}")
    out().print(f"  a second factor is needed by: {', '.join(the_workspace.second_factor) or 'nobody'}")
    out().print(
        f"  its own domains: {', '.join(the_workspace.circle_domains) or 'none'} (openlatch policy show)", style="dim"
    )


@click.command()
@click.option("--revoke", "token_id", type=click.UUID, help="Have this token refused from now on.")
@click.option("--make", "made_for", help="Make one for a program that you call so; it is shown this once.")
@click.option("--read-only", is_flag=True, help="Have the new one change nothing.")
@click.option("--days", default=30, show_default=True, help="For how long the new one is good.")
@output_option
@reports_errors
def tokens(token_id: UUID | None, made_for: str | None, read_only: bool, days: int, output: str) -> None:
    """List your tokens, make one for a program, or revoke one."""
    with connect() as client:
        if made_for:
            made = client.make_own_token(made_for, scope="read" if read_only else "change", days=days)
            click.echo(f"Good until {day(made.expires_at)}. It is shown this once:")
            click.echo(made.secret)
            return
        if token_id is not None:
            client.revoke_token(token_id)
            click.echo("Revoked: it is refused from now on.")
            return
        emit(client.tokens(), TOKENS, output, empty="You have no tokens.")


@click.command()
@click.option("--password", help="Asked for if neither is given.")
@click.option("--code", help="A code of your second factor, instead of your password.")
@reports_errors
def confirm(password: str | None, code: str | None) -> None:
    """Prove again who you are, which acts that take access away ask for after a while; for programs, beforehand."""
    with connect() as client:
        given = None if code else password or click.prompt("Your password", hide_input=True)
        me = client.confirm(given, code=code)
    click.echo(f"Confirmed: you are {me.person.name}.")


@click.command()
@click.argument("server")
@click.option("--workspace", prompt=True, help="The workspace's short name.")
@click.option("--address", prompt=True, help="Your address in that workspace.")
@reports_errors
def forgot_password(server: str, workspace: str, address: str) -> None:
    """Have a letter sent to you with which you choose another password at the service at SERVER."""
    with client_of(service_address(server), "") as client:
        client.forgot_password(workspace, address)
    click.echo(f"If {address} signs in to “{workspace}”, a letter is on its way. Its link holds for an hour.")
