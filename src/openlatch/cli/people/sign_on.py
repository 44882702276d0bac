"""Single sign-on: services at which people of the workspace sign in."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.confirm import confirmed, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.output import Column, emit, out, output_option, reports_errors
from openlatch.wire import messages as wire
from openlatch.words import Role

__all__ = ["sign_on"]


def _lets_in(service: wire.SignOn) -> str:
    roles = ", ".join(f"{value} as {role}" for value, role in sorted(service.roles.items()))
    return f"{service.claim}: {roles}" if roles else "who is here or invited"


SIGN_ONS: tuple[Column, ...] = (
    Column("id", lambda s: s.ref),
    Column("name", lambda s: Text(s.name)),
    Column.address("issuer", lambda s: Text(s.issuer)),
    Column("lets in", _lets_in, whole=True),
)
name_argument = click.argument("name")
issuer_option = click.option("--issuer", help="Its address, exactly as it writes it itself.")
client_option = click.option("--client", "client_id", help="The id of the client that was made for Open Latch there.")
claim_option = click.option("--claim", help="What of all it says gives roles, such as groups; '' for nothing.")
role_option = click.option(
    "--role",
    "roles",
    multiple=True,
    metavar="VALUE=ROLE",
    help=f"Who has VALUE is let in as ROLE ({', '.join(Role)}); can be given again.",
)
factor_option = click.option(
    "--asks-factor/--asks-no-factor",
    "second_factor",
    default=None,
    help="Whether it asks for a second factor itself, so that none is asked for here.",
)


@click.group("sign-on", invoke_without_command=True)
@output_option
@click.pass_context
@reports_errors
def sign_on(ctx: click.Context, output: str) -> None:
    """List the services at which people of the workspace sign in (OpenID Connect), or add one."""
    if ctx.invoked_subcommand is not None:
        return
    with connect() as client:
        listed = client.sign_ons()
    emit(listed.items, SIGN_ONS, output, empty="There is none; openlatch sign-on add NAME adds one.")
    if output == "table":
        _tell_back(listed.back)


def _tell_back(back: str) -> None:
    if back:
        out().print(f"Each has to send people back to {back}", style="dim", soft_wrap=True)
    else:
        out().print("There can be none: the console is not reached over https (OPENLATCH_CONSOLE_URL).", style="dim")


@sign_on.command()
@name_argument
@issuer_option
@client_option
@click.option("--secret", help="The secret of that client. Asked for if not given; empty if it has none.")
@claim_option
@role_option
@factor_option
@reports_errors
def add(name: str, issuer: str | None, client_id: str | None, secret: str | None, **more: object) -> None:
    """Let people sign in at a service that they see as NAME, once what it says of itself can be read.

    Without --role it lets in who is here or invited already, by the address that it has made sure of.
    """
    with connect() as client:
        issuer = issuer or click.prompt("Issuer")
        client_id = client_id or click.prompt("Client")
        secret = click.prompt("Secret", hide_input=True, default="") if secret is None else secret
        wish = wire.SignOnWish(name=name, issuer=issuer, client_id=client_id, secret=secret, **_given(more))
        made = client.add_sign_on(wish)
        back = client.sign_ons().back
    click.echo(f"People can sign in at {made.name} ({made.ref}): {_lets_in(made)}.")
    _tell_back(back)


@sign_on.command("set")
@name_argument
@click.option("--name", "called", help="Have people see another name.")
@client_option
@click.option("--secret", help="Another secret of that client.")
@click.option("--ask-secret", is_flag=True, help="Be asked for another secret of that client.")
@claim_option
@role_option
@factor_option
@reports_errors
def change(
    name: str, called: str | None, client_id: str | None, secret: str | None, ask_secret: bool, **more: object
) -> None:
    """Set up the service NAME in another way. With --role, all roles are given anew; what is left out stays."""
    with connect() as client:
        before = _one(client.sign_ons().items, name)
        secret = click.prompt("Secret", hide_input=True) if ask_secret else secret
        given = {"claim": before.claim, "roles": before.roles, "second_factor": before.second_factor} | _given(more)
        wish = wire.SignOnWish(
            name=called or before.name,
            issuer=before.issuer,
            client_id=client_id or before.client_id,
            secret=secret,
            **given,
        )
        after = client.change_sign_on(str(before.id), wish)
    click.echo(f"People sign in at {after.name} ({after.ref}): {_lets_in(after)}.")


@sign_on.command()
@name_argument
@yes_option
@reports_errors
def remove(name: str, yes: bool) -> None:
    """Let nobody sign in at the service NAME any more. Whoever has no password then needs one by letter."""
    with connect() as client:
        service = _one(client.sign_ons().items, name)
        out().print(f"Nobody will be able to sign in at {service.name}; who is signed in stays until it ends.")
        out().print("  Whoever signed in there alone chooses a password with: openlatch forgot-password")
        confirmed(f"Remove “{service.name}”?", yes)
        client.remove_sign_on(str(service.id))
    click.echo(f"Removed: {service.name}.")


def _one(every: list[wire.SignOn], name: str) -> wire.SignOn:
    """The service that is meant, by its short form, its id or its name, which no two share."""
    wanted = name.strip().casefold()
    for service in every:
        if wanted in (service.ref.casefold(), str(service.id), service.name.casefold()):
            return service
    known = ", ".join(service.name for service in every) or "none"
    raise Failure(f"There is no single sign-on “{name}”.", f"There are: {known}.", 4)


def _given(more: dict[str, object]) -> dict[str, object]:
    """What was typed of claim, roles and second factor; roles as the service takes them."""
    given = {name: value for name, value in more.items() if value is not None and value != ()}
    typed = given.get("roles")
    if isinstance(typed, tuple):
        roles: dict[str, Role] = {}
        for text in typed:
            value, equals, role = str(text).rpartition("=")
            if not equals or not value or role not in list(Role):
                raise Failure(
                    f"“{text}” does not say which role is given by what. Nothing was changed.",
                    f"Write it as observers=reviewer; roles are: {', '.join(Role)}.",
                    2,
                )
            roles[value] = Role(role)
        given["roles"] = roles
    return given
