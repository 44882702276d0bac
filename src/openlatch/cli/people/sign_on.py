"""Single sign-on: services at which people of the workspace sign in."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.acting import confirmed, yes_option
from openlatch.cli.columns import Column
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.output import Listing, hint, listed, out, reports_errors
from openlatch.wire import messages as wire
from openlatch.words import Role

__all__ = ["sign_on"]


def _lets_in(service: wire.SignOn) -> str:
    roles = ", ".join(f"{value} as {role}" for value, role in sorted(service.roles.items()))
    return f"{service.claim}: {roles}" if roles else "who is here or invited"


SIGN_ONS: tuple[Column, ...] = (
    Column.ref(lambda s: s.ref),
    Column.who("name", lambda s: Text(s.name)),
    Column.address("issuer", lambda s: Text(s.issuer)),
    Column("lets in", _lets_in, whole=True),
)
name_argument = click.argument("name")
issuer_option = click.option("--issuer", help="Its issuer address, exactly as it writes it.")
client_option = click.option("--client", "client_id", help="The client id of Open Latch there.")
claim_option = click.option("--claim", help="Which of its claims gives roles, such as groups; '' for none.")
role_option = click.option(
    "--role",
    "roles",
    multiple=True,
    metavar="VALUE=ROLE",
    help=f"Whoever has VALUE signs in as ROLE ({', '.join(Role)}); repeatable.",
)
factor_option = click.option(
    "--asks-factor/--asks-no-factor",
    "second_factor",
    default=None,
    help="Whether it asks for a second factor itself; none is asked for here then.",
)


@click.group("sign-on", cls=Group)
def sign_on() -> None:
    """Services for single sign-on (OpenID Connect)."""


@sign_on.command("list")
@listed(*SIGN_ONS)
@reports_errors
def list_sign_ons(listing: Listing) -> None:
    """List the services at which people of the workspace sign in."""
    with connect() as client:
        found = client.sign_ons()
    listing.print(found.items, empty="There are none. Add one: openlatch sign-on add NAME")
    if listing.for_people:
        _tell_back(found.back)


def _tell_back(back: str) -> None:
    if back:
        hint(f"Redirect URI for each of them: {back}")
    else:
        hint("There can be none: the console is not reached over https (OPENLATCH_CONSOLE_URL).")


@sign_on.command(
    "add",
    example="'Hill Login' --issuer https://hill.login.example --client latch --claim groups --role guides=member",
)
@name_argument
@issuer_option
@client_option
@click.option("--secret", help="Its client secret. Asked for if not given; empty if there is none.")
@claim_option
@role_option
@factor_option
@reports_errors
def add(name: str, issuer: str | None, client_id: str | None, secret: str | None, **more: object) -> None:
    """Add a service under a NAME that people see. It is added once its configuration can be read.

    Without --role, whoever is here or invited already can sign in, by the address that the service has verified.
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


@sign_on.command("change", example="'Ridge Login' --asks-factor")
@name_argument
@click.option("--name", "called", help="A new name.")
@client_option
@click.option("--secret", help="A new client secret.")
@click.option("--ask-secret", is_flag=True, help="Be asked for a new client secret.")
@claim_option
@role_option
@factor_option
@reports_errors
def change(
    name: str, called: str | None, client_id: str | None, secret: str | None, ask_secret: bool, **more: object
) -> None:
    """Change a service. With --role, all roles are replaced; what is left out stays."""
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


@sign_on.command("remove", example="'Old Login' --yes")
@name_argument
@yes_option
@reports_errors
def remove(name: str, yes: bool) -> None:
    """Remove a service. Whoever has no password then chooses one by letter."""
    with connect() as client:
        service = _one(client.sign_ons().items, name)
        out().print(f"Nobody will be able to sign in at {service.name}; present sessions go on until they end.")
        out().print("  Whoever has no password chooses one with: openlatch forgot-password")
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
