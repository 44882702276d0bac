"""The people of the workspace: who is here, inviting someone, roles, and taking a sign-in back."""

from __future__ import annotations

import click

from openlatch.cli.acting import confirmed, yes_option
from openlatch.cli.columns import Column, ago
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.nouns import one_of
from openlatch.cli.output import Listing, listed, out, output_option, print_one, reports_errors
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


@click.group(cls=Group)
def people() -> None:
    """Who signs in here: invite, change a role, disable, remove.

    These are the people of this workspace, each with a role. Who has access to accounts is a party: openlatch party
    """


@people.command("list")
@listed(*PEOPLE)
@reports_errors
def list_people(listing: Listing) -> None:
    """List who signs in to this workspace."""
    with connect() as client:
        listing.print(client.people(), empty="Nobody signs in here yet.")


@people.command("show", example="ines.okoro@kestrelridge.example")
@person_argument
@output_option
@reports_errors
def show(named: str, output: str) -> None:
    """Show one person of the workspace."""
    with connect() as client:
        person = client.person(named)
        guarded = person.id in client.with_second_factor()
    if output != "table":
        print_one(person, output)
        return
    out().print(f"{person.name} <{person.address}>, {person.role}, {person.state}")
    out().print(f"  second factor: {'yes' if guarded else 'none'}")
    out().print(f"  last seen {ago(person.seen_at)}", style="dim")


@people.command("invite", example="sabine.thorne@kestrelridge.example --role member")
@person_argument
@click.option("--role", type=one_of(Role), required=True, help="What they may do here.")
@click.option("--name", default=None, help="Their name, for the letter; they choose their own.")
@reports_errors
def invite(named: str, role: str, name: str | None) -> None:
    """Invite someone, by a letter with a link to choose a password."""
    with connect() as client:
        person = client.invite(named, role, name)
    click.echo(f"Invited {person.address} as {person.role}. The link in the letter works for 7 days.")


@people.command("invite-again", example="{invited}")
@person_argument
@reports_errors
def invite_again(named: str) -> None:
    """Send an invitation again; the link of the old letter stops working."""
    with connect() as client:
        person = client.invite_again(named)
    click.echo(f"Sent again to {person.address}. The link in the letter works for 7 days.")


@people.command("change", example="pell.varga@kestrelridge.example --role member")
@person_argument
@click.option("--role", type=one_of(Role), required=True, help="What they may do here.")
@reports_errors
def change(named: str, role: str) -> None:
    """Give someone another role."""
    with connect() as client:
        person = client.change_role(named, role)
    click.echo(f"{person.name} is {person.role} now.")


@people.command("disable", example="{disabled_too} --yes")
@person_argument
@yes_option
@reports_errors
def disable(named: str, yes: bool) -> None:
    """Disable the sign-in of someone; openlatch people enable undoes it."""
    with connect() as client:
        _say(client.person(named), "Disable")
        confirmed("Disable this sign-in?", yes)
        person = client.disable_person(named)
    click.echo(f"{person.name} can no longer sign in. To undo it: openlatch people enable {person.address}")


@people.command("enable", example="{disabled}")
@person_argument
@reports_errors
def enable(named: str) -> None:
    """Let someone sign in again, with the password that they had."""
    with connect() as client:
        person = client.enable_person(named)
    click.echo(f"{person.name} can sign in again. Their old tokens stay revoked.")


@people.command("remove", example="{leaving} --yes")
@person_argument
@yes_option
@reports_errors
def remove(named: str, yes: bool) -> None:
    """Remove someone from the workspace for good; what they did keeps their name in the log."""
    with connect() as client:
        person = client.person(named)
        _say(person, "Remove")
        confirmed("Remove this person for good?", yes)
        client.remove_person(named)
    click.echo(f"Removed {person.name} <{person.address}>.")


@people.command("reset-factors", example="ines.okoro@kestrelridge.example --yes")
@person_argument
@yes_option
@reports_errors
def reset_factors(named: str, yes: bool) -> None:
    """Remove all second factors of someone who has lost theirs."""
    with connect() as client:
        person = client.person(named)
        out().print(f"Remove the second factors of {person.name} <{person.address}>, {person.role}.", style="bold")
        out().print("  They sign in with their password alone until they add another one.")
        out().print("  Their sessions and tokens end at once, and a letter tells them.")
        confirmed("Remove them?", yes)
        client.reset_factors(named)
    click.echo(f"{person.name} has no second factor now.")


def _say(person: wire.Person, what: str) -> None:
    """Say what will happen, before it is confirmed."""
    paper = out()
    paper.print(f"{what} {person.name} <{person.address}>, {person.role}.", style="bold")
    if person.state is not PersonState.INVITED:
        paper.print("  Their sessions, tokens and private calendar end at once.")
        paper.print("  Review items that wait for them go to the review's fallback reviewer, or to an owner.")
    else:
        paper.print("  The link of their invitation stops working at once.")
