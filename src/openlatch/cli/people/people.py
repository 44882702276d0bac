"""The people of the workspace: who is here, inviting somebody, roles, and taking a sign-in back."""

from __future__ import annotations

import click

from openlatch.cli.confirm import confirmed, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.nouns import one_of
from openlatch.cli.output import Column, ago, emit, out, output_option, reports_errors
from openlatch.wire import messages as wire
from openlatch.words import PersonState, Role

__all__ = ["people"]

PEOPLE: tuple[Column, ...] = (
    Column.who("name", lambda p: p.name),
    Column.address("address", lambda p: p.address),
    Column("role", lambda p: p.role),
    Column("state", lambda p: p.state),
    Column("last seen", lambda p: ago(p.seen_at)),
)
person_argument = click.argument("named", metavar="ADDRESS")


@click.group(invoke_without_command=True)
@output_option
@click.pass_context
@reports_errors
def people(ctx: click.Context, output: str) -> None:
    """List who signs in to this workspace, invite someone, change a role, or take a sign-in back."""
    if ctx.invoked_subcommand is None:
        with connect() as client:
            emit(client.people(), PEOPLE, output, empty="Nobody signs in here yet.")


@people.command()
@person_argument
@output_option
@reports_errors
def show(named: str, output: str) -> None:
    """Show one person of the workspace."""
    with connect() as client:
        person = client.person(named)
        guarded = person.id in client.with_second_factor()
    if output != "table":
        emit([person], (), output, empty="")
        return
    out().print(f"{person.name} <{person.address}>, {person.role}, {person.state}")
    out().print(f"  second factor: {'yes' if guarded else 'none'}")
    out().print(f"  last seen {ago(person.seen_at)}", style="dim")


@people.command()
@person_argument
@click.option("--role", type=one_of(Role), required=True, help="What they may do here.")
@click.option("--name", default=None, help="Their name, for the letter; they choose their own.")
@reports_errors
def invite(named: str, role: str, name: str | None) -> None:
    """Invite whoever has ADDRESS, by a letter with a link to choose a password."""
    with connect() as client:
        person = client.invite(named, role, name)
    click.echo(f"Invited {person.address} as {person.role}. The link in the letter holds for 7 days.")


@people.command("invite-again")
@person_argument
@reports_errors
def invite_again(named: str) -> None:
    """Send an invitation once more; the link of the former letter stops working."""
    with connect() as client:
        person = client.invite_again(named)
    click.echo(f"Sent again to {person.address}. The link in the letter holds for 7 days.")


@people.command("role")
@person_argument
@click.argument("role", type=one_of(Role))
@reports_errors
def change_role(named: str, role: str) -> None:
    """Give whoever has ADDRESS another role."""
    with connect() as client:
        person = client.change_role(named, role)
    click.echo(f"{person.name} is {person.role} now.")


@people.command()
@person_argument
@yes_option
@reports_errors
def disable(named: str, yes: bool) -> None:
    """Take back the sign-in of whoever has ADDRESS; openlatch people enable gives it back."""
    with connect() as client:
        _told(client.person(named), "Disable")
        confirmed("Disable this sign-in?", yes)
        person = client.disable_person(named)
    click.echo(f"{person.name} can no longer sign in. Give it back: openlatch people enable {person.address}")


@people.command()
@person_argument
@reports_errors
def enable(named: str) -> None:
    """Let whoever has ADDRESS sign in again, with the password that they had."""
    with connect() as client:
        person = client.enable_person(named)
    click.echo(f"{person.name} can sign in again. Former tokens stay revoked.")


@people.command()
@person_argument
@yes_option
@reports_errors
def remove(named: str, yes: bool) -> None:
    """Remove whoever has ADDRESS from the workspace for good; what they did keeps their name in the log."""
    with connect() as client:
        person = client.person(named)
        _told(person, "Remove")
        confirmed("Remove this person for good?", yes)
        client.remove_person(named)
    click.echo(f"Removed {person.name} <{person.address}>.")


@people.command("reset-factors")
@person_argument
@yes_option
@reports_errors
def reset_factors(named: str, yes: bool) -> None:
    """Take away all second factors of whoever has ADDRESS and has lost theirs."""
    with connect() as client:
        person = client.person(named)
        out().print(f"Take away the second factors of {person.name} <{person.address}>, {person.role}.", style="bold")
        out().print("  They sign in with their password alone until they add another one.")
        out().print("  Their sessions and tokens end at once, and a letter tells them.")
        confirmed("Take them away?", yes)
        client.reset_factors(named)
    click.echo(f"{person.name} has no second factor any more.")


def _told(person: wire.Person, what: str) -> None:
    """Say what will happen, before it is confirmed."""
    paper = out()
    paper.print(f"{what} {person.name} <{person.address}>, {person.role}.", style="bold")
    if person.state is not PersonState.INVITED:
        paper.print("  Their sessions, tokens and private calendar end at once.")
        paper.print("  Open review items that they were asked about pass on to the review's fallback or to an owner.")
    else:
        paper.print("  The link of their invitation stops working at once.")
