"""What somebody sees and changes of themselves."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

import click
from rich.text import Text

from openlatch.cli.confirm import confirmed, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.output import Column, ago, emit, out, output_option, reports_errors

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


@click.group(invoke_without_command=True)
@output_option
@click.pass_context
@reports_errors
def me(ctx: click.Context, output: str) -> None:
    """Show your own account here, and change your name, dates, password, second factors, address or sessions."""
    if ctx.invoked_subcommand is not None:
        return
    with connect() as client:
        the_me = client.me()
    if output != "table":
        emit([the_me.person], (), output, empty="")
        return
    mine, there = the_me.person, the_me.workspace
    paper = out()
    paper.print(f"{mine.name} <{mine.address}>", style="bold")
    paper.print(f"  {mine.role} of {there.name} ({there.slug})")
    paper.print(f"  dates in {mine.zone or f'{there.zone}, as the workspace'}")


@me.command("set")
@click.option("--name", default=None, help="Your name, as others see it.")
@click.option(
    "--zone", default=None, help="The zone in which you see days, such as Europe/London; '' for the workspace's."
)
@click.option("--dates", default=None, help="The language of your dates, such as en-GB or de; '' for the workspace's.")
@reports_errors
def change(name: str | None, zone: str | None, dates: str | None) -> None:
    """Change your name, or how you see dates."""
    with connect() as client:
        person = client.change_me(name=name, zone=zone, dates=dates)
    click.echo(f"You are {person.name}; dates in {person.zone or 'the zone of the workspace'}.")


@me.command()
@click.option("--new", prompt="New password", hide_input=True, confirmation_prompt=True, help="At least 12 characters.")
@reports_errors
def password(new: str) -> None:
    """Choose another password. Your console sessions elsewhere end; your tokens stay."""
    with connect() as client:
        ended = client.change_password(new)
    click.echo(f"Your password is changed; {ended} {'session' if ended == 1 else 'sessions'} ended.")


@me.command()
@click.argument("new", metavar="ADDRESS")
@reports_errors
def address(new: str) -> None:
    """Sign in with another ADDRESS, once you have confirmed it by the link in a letter that goes there."""
    with connect() as client:
        to = client.change_address(new)
    click.echo(f"A letter is on its way to {to}. Until you use its link, you sign in as before.")


@me.command()
@click.option("--end", "session_id", type=click.UUID, help="End this session.")
@click.option("--end-others", is_flag=True, help="End every session but the present one.")
@output_option
@reports_errors
def sessions(session_id: UUID | None, end_others: bool, output: str) -> None:
    """List where you are signed in to the console, or end a session."""
    with connect() as client:
        if session_id is not None:
            client.end_session(session_id)
            click.echo("Ended.")
        elif end_others:
            click.echo(f"{client.end_other_sessions()} ended.")
        else:
            emit(client.sessions(), SESSIONS, output, empty="You are not signed in to the console anywhere.")


@me.command()
@output_option
@reports_errors
def factors(output: str) -> None:
    """List your second factors: what you prove with that it is you, beside your password."""
    with connect() as client:
        factor_list = client.factors()
    emit(factor_list.items, FACTORS, output, empty="You have no second factor: openlatch me add-codes")
    if output == "table" and factor_list.items:
        out().print(f"{factor_list.recovery_left} recovery codes are left.", style="dim")


@me.command("add-codes")
@click.option("--name", default="app", show_default=True, help="What you call it, such as the device it is on.")
@reports_errors
def add_codes(name: str) -> None:
    """Add codes from an app as a second factor. Any app for codes by the clock (TOTP) will do."""
    with connect() as client:
        begun = client.begin_codes(name)
        paper = out()
        paper.print(_square(begun.square), style="black on white", highlight=False)
        paper.print("Have your app read this, or type into it:")
        paper.print(f"  {begun.secret}", style="bold", highlight=False, soft_wrap=True)
        codes = client.prove_codes(begun.id, click.prompt("The code that it shows now"))
    click.echo("From now on you are asked for a code when you sign in.")
    _show(codes)


@me.command("recovery-codes")
@reports_errors
def recovery_codes() -> None:
    """Make new recovery codes, for when your device is not at hand. Those of before hold no more."""
    with connect() as client:
        _show(client.make_recovery_codes())


@me.command("remove-factor")
@click.argument("name")
@yes_option
@reports_errors
def remove_factor(name: str, yes: bool) -> None:
    """Remove the second factor that you called NAME."""
    with connect() as client:
        the_factors = client.factors().items
        factor = next((factor for factor in the_factors if name in (factor.name, str(factor.id))), None)
        if factor is None:
            known = ", ".join(factor.name for factor in the_factors) or "none"
            raise Failure(f"You have no second factor called “{name}”.", f"There are: {known}.", 4)
        if len(the_factors) == 1:
            out().print("It is your only one: your password alone will be enough, and your recovery codes go too.")
        confirmed(f"Remove “{factor.name}”?", yes)
        client.remove_factor(factor.id)
    click.echo(f"Removed: {factor.name}.")


def _show(codes: Sequence[str]) -> None:
    if not codes:
        return
    click.echo("Keep these recovery codes where your device is not; each is good for one sign-in:")
    for code in codes:
        click.echo(f"  {code}")


def _square(rows: Sequence[str]) -> str:
    """A QR code in half blocks, two rows a line, with the margin that readers need."""
    wide = ["0" * (len(rows[0]) + 4)] * 2
    every = [*wide, *(f"00{row}00" for row in rows), *wide]
    pairs = zip(every[::2], [*every[1::2], wide[0]], strict=False)
    blocks = {"00": " ", "10": "▀", "01": "▄", "11": "█"}
    return "\n".join("".join(blocks[a + b] for a, b in zip(above, below, strict=True)) for above, below in pairs)
