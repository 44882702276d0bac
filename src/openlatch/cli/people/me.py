"""What somebody sees and changes of themselves."""

from __future__ import annotations

from uuid import UUID

import click

from openlatch.cli.connection import connect
from openlatch.cli.output import Column, ago, emit, out, output_option, reports_errors

__all__ = ["me"]

SESSIONS: tuple[Column, ...] = (
    Column("device", lambda s: f"{s.device} (this one)" if s.present else s.device),
    Column("from", lambda s: s.network),
    Column("since", lambda s: ago(s.created_at)),
    Column("last seen", lambda s: ago(s.seen_at)),
    Column("id", lambda s: str(s.id), whole=True),
)


@click.group(invoke_without_command=True)
@output_option
@click.pass_context
@reports_errors
def me(ctx: click.Context, output: str) -> None:
    """Show your own account here, and change your name, dates, password, address or sessions."""
    if ctx.invoked_subcommand is not None:
        return
    with connect() as client:
        found = client.me()
    if output != "table":
        emit([found.person], (), output, empty="")
        return
    mine, there = found.person, found.workspace
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
        found = client.change_me(name=name, zone=zone, dates=dates)
    click.echo(f"You are {found.name}; dates in {found.zone or 'the zone of the workspace'}.")


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
