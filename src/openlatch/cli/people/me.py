"""Your own account here: name, password, second factors, sessions, calendar."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

import click
from rich.text import Text

from openlatch.cli.acting import confirmed, yes_option
from openlatch.cli.columns import Column, ago
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.output import Listing, hint, listed, out, output_option, print_one, reports_errors
from openlatch.core.phrases import counted

__all__ = ["me"]

SESSIONS: tuple[Column, ...] = (
    Column("device", lambda s: f"{s.device} (this one)" if s.present else s.device),
    Column("from", lambda s: s.network),
    Column("since", lambda s: ago(s.created_at)),
    Column("last seen", lambda s: ago(s.seen_at)),
    Column("id", lambda s: str(s.id), whole=True),
)
FACTORS: tuple[Column, ...] = (
    Column("name", lambda f: Text(f.name)),
    Column("kind", lambda f: f.kind),
    Column("since", lambda f: ago(f.proved_at)),
    Column("last used", lambda f: ago(f.last_used_at)),
    Column("id", lambda f: str(f.id), whole=True),
)


@click.group(cls=Group)
def me() -> None:
    """Your name, password, second factors, sessions, calendar."""


@me.command("show")
@output_option
@reports_errors
def show(output: str) -> None:
    """Show who you are signed in as, and where."""
    with connect() as client:
        there = client.me()
    if output != "table":
        print_one(there, output)
        return
    mine, workspace = there.person, there.workspace
    paper = out()
    paper.print(f"{mine.name} <{mine.address}>", style="bold")
    paper.print(f"  {mine.role} of {workspace.name} ({workspace.slug})")
    paper.print(f"  dates in {mine.zone or f'{workspace.zone}, as the workspace'}")


@me.command("change", example="--dates en-GB")
@click.option("--name", default=None, help="Your name, as others see it.")
@click.option("--zone", default=None, help="Your time zone, such as Europe/London; '' for the workspace's.")
@click.option("--dates", default=None, help="The language of your dates, such as en-GB or de; '' for the workspace's.")
@reports_errors
def change(name: str | None, zone: str | None, dates: str | None) -> None:
    """Change your name, or how you see dates."""
    if name is None and zone is None and dates is None:
        raise Failure("Nothing to change is given.", "openlatch me change --name 'Your Name'", 2)
    with connect() as client:
        person = client.change_me(name=name, zone=zone, dates=dates)
    click.echo(f"You are {person.name}; dates in {person.zone or 'the time zone of the workspace'}.")


@me.command("password", example="--new 'six quiet herons cross'")
@click.option("--new", prompt="New password", hide_input=True, confirmation_prompt=True, help="At least 12 characters.")
@reports_errors
def password(new: str) -> None:
    """Choose a new password. Your console sessions elsewhere end; your tokens stay."""
    with connect() as client:
        ended = client.change_password(new)
    click.echo(f"Your password is changed; {counted(ended, 'session')} ended.")


@me.command("address", example="maren.new@kestrelridge.example")
@click.argument("new", metavar="ADDRESS")
@reports_errors
def address(new: str) -> None:
    """Sign in with a new ADDRESS, once you have confirmed it by the link in a letter that goes there."""
    with connect() as client:
        to = client.change_address(new)
    click.echo(f"A letter is on its way to {to}. Until you use its link, you sign in as before.")


@me.command("sessions")
@listed(*SESSIONS)
@reports_errors
def sessions(listing: Listing) -> None:
    """List where you are signed in to the console."""
    with connect() as client:
        listing.print(client.sessions(), empty="You are not signed in to the console anywhere.")


@me.command("end-session", example="--others")
@click.argument("session", type=click.UUID, required=False)
@click.option("--others", is_flag=True, help="All of them but the one that you use.")
@reports_errors
def end_session(session: UUID | None, others: bool) -> None:
    """End one of your console sessions, by its id, or all the others."""
    if (session is None) != others:
        raise Failure(
            "Which session? Nothing was changed.", "Give --others, or an id; for those: openlatch me sessions", 2
        )
    with connect() as client:
        if session is None:
            number = client.end_other_sessions()
        else:
            client.end_session(session)
            number = 1
    click.echo(f"{counted(number, 'session')} ended.")


@me.command("factors")
@listed(*FACTORS)
@reports_errors
def factors(listing: Listing) -> None:
    """List your second factors: what you prove who you are with, beside your password."""
    with connect() as client:
        found = client.factors()
    shown = listing.print(found.items, empty="You have no second factor. Add one: openlatch me add-codes")
    if shown and listing.for_people:
        hint(f"{counted(found.recovery_left, 'recovery code')} left.")


@me.command("add-codes", example="--name phone")
@click.option("--name", default="app", show_default=True, help="A name for it, such as the device it is on.")
@reports_errors
def add_codes(name: str) -> None:
    """Add codes from an app as a second factor. Any app for codes by the clock (TOTP) will do."""
    with connect() as client:
        begun = client.begin_codes(name)
        paper = out()
        paper.print(_square(begun.square), style="black on white", highlight=False)
        paper.print("Scan this with your app, or type into it:")
        paper.print(f"  {begun.secret}", style="bold", highlight=False, soft_wrap=True)
        codes = client.prove_codes(begun.id, click.prompt("The code that it shows now"))
    click.echo("From now on you are asked for a code when you sign in.")
    _show(codes)


@me.command("recovery-codes")
@reports_errors
def recovery_codes() -> None:
    """Make new recovery codes, for when your device is not at hand. The old ones stop working."""
    with connect() as client:
        _show(client.make_recovery_codes())


@me.command("remove-factor", example="phone --yes")
@click.argument("name")
@yes_option
@reports_errors
def remove_factor(name: str, yes: bool) -> None:
    """Remove one of your second factors, by its NAME."""
    with connect() as client:
        the_factors = client.factors().items
        factor = next((factor for factor in the_factors if name in (factor.name, str(factor.id))), None)
        if factor is None:
            known = ", ".join(factor.name for factor in the_factors) or "none"
            raise Failure(f"You have no second factor called “{name}”.", f"There are: {known}.", 4)
        if len(the_factors) == 1:
            out().print(
                "It is your only one. Your password alone will be enough then, and your recovery codes are deleted."
            )
        confirmed(f"Remove “{factor.name}”?", yes)
        client.remove_factor(factor.id)
    click.echo(f"Removed: {factor.name}.")


@me.command("calendar", example="--new")
@click.option("--new", is_flag=True, help="Make a new address; the old one stops working.")
@reports_errors
def calendar(new: bool) -> None:
    """Get a private address at which your calendar program can subscribe to what waits for you.

    It shows what waits for you, when reviews take place, and access that ends. Whoever knows the address can read it.
    """
    if not new:
        click.echo("The address is shown once, when it is made, and is not stored in a readable form.")
        click.echo("Make a new one, which replaces the old: openlatch me calendar --new")
        return
    with connect() as client:
        click.echo(client.make_calendar())


def _show(codes: Sequence[str]) -> None:
    if not codes:
        return
    click.echo("Keep these recovery codes away from your device; each works once:")
    for code in codes:
        click.echo(f"  {code}")


def _square(rows: Sequence[str]) -> str:
    """A QR code in half blocks, two rows a line, with the margin that readers need."""
    wide = ["0" * (len(rows[0]) + 4)] * 2
    every = [*wide, *(f"00{row}00" for row in rows), *wide]
    pairs = zip(every[::2], [*every[1::2], wide[0]], strict=False)
    blocks = {"00": " ", "10": "▀", "01": "▄", "11": "█"}
    return "\n".join("".join(blocks[a + b] for a, b in zip(above, below, strict=True)) for above, below in pairs)
