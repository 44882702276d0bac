"""The demo and the tour."""

from __future__ import annotations

import os
import signal
import time
from pathlib import Path
from types import FrameType

import click
from rich.text import Text

from openlatch.cli.command import Command
from openlatch.cli.failure import Failure
from openlatch.cli.output import out, reports_errors
from openlatch.cli.record.log import verified
from openlatch.client import Client
from openlatch.core.phrases import counted
from openlatch.demo.cast import PASSWORD, SIGN_INS, STAFF, VOLUNTEERS
from openlatch.demo.reviews import FIRST
from openlatch.demo.seed import SLUG
from openlatch.local.stack import Stack
from openlatch.local.tour import play

__all__ = ["demo", "tour"]


def _unwind(number: int, _frame: FrameType | None) -> None:
    """A signal to end has to unwind what was started, as Ctrl-C does."""
    raise KeyboardInterrupt(number)


@click.command(cls=Command)
@click.option(
    "--folder", type=click.Path(path_type=Path), default=Path(".demo"), show_default=True, help="Where it is kept."
)
@click.option("--port", default=8480, show_default=True, help="Another is taken if this one is in use.")
@reports_errors
def demo(folder: Path, port: int) -> None:
    """Run the demo until Ctrl-C: a service for the invented Kestrel Ridge Observatory, with providers to read."""
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, _unwind)
    try:
        with Stack(folder.absolute(), port=port, say=_say) as stack:
            _read_once(stack)
            _welcome(stack)
            while not (dead := stack.dead()):
                time.sleep(1)
            raise Failure(f"“{dead[0]}” has ended by itself.", f"Its messages are in {stack.folder / dead[0]}.log.")
    except KeyboardInterrupt:
        click.echo("\nStopped. Everything is kept for the next time.")


def _read_once(stack: Stack) -> None:
    """Wait until every provider was read, so that the first look shows an inventory."""
    _say("reading the providers")
    with _signed_in(stack) as client:
        for _ in range(60):
            if all(
                provider.by_hand or (provider.latest and provider.latest.finished_at) for provider in client.providers()
            ):
                break
            time.sleep(0.5)
        if not list(client.rounds()):
            client.open_round(FIRST)
        summary = client.summary()
        client.revoke_token(client.tokens()[-1].id)
    _say(
        f"{counted(summary.entries, 'entry')} on {counted(summary.accounts, 'account')}; {summary.flagged} with a flag"
    )


def _signed_in(stack: Stack) -> Client:
    address = next(someone.address for someone in STAFF if someone.name == SIGN_INS[0][0])
    return Client.sign_in(stack.url, workspace=SLUG, address=address, password=PASSWORD, name="demo", days=1)[0]


def _welcome(stack: Stack) -> None:
    addresses = {someone.name: someone.address for someone in (*STAFF, *VOLUNTEERS)}
    to = out()
    to.print(Text.assemble("\nOpen Latch for Kestrel Ridge Observatory: ", (stack.url, "bold"), "\n"))
    for name, role in SIGN_INS:
        to.print(f"  {role:<9} {addresses[name]:<36} {name}")
    to.print(f"\n  workspace {SLUG}, password {PASSWORD} for everyone")
    to.print(
        f"  command line: openlatch sign-in {stack.url} --workspace {SLUG} --address {addresses[SIGN_INS[0][0]]}",
        soft_wrap=True,
    )
    to.print(f"  letters that were sent lie in {stack.letters}", soft_wrap=True)
    to.print(f"  kept in {stack.folder}; delete it to begin anew. Ctrl-C stops everything.\n", soft_wrap=True)


def _say(text: str) -> None:
    click.echo(f"  {text}")


@click.command(cls=Command)
@reports_errors
def tour() -> None:
    """Play the whole loop on a private copy of the demo: read, flag, take back, prove.

    \b
    Takes about a minute, touches nothing of yours, and cleans up after itself. Exits 0 only if the access that was
    taken back is really refused by the database at the end, and the log holds.
    """
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, _unwind)
    folder = Path(os.environ.get("TMPDIR", "/tmp")) / f"openlatch-tour-{os.getpid()}"  # noqa: S108
    stack = Stack(folder, fast=True, say=_say)
    try:
        with stack, _signed_in(stack) as client:
            play(stack, client, click.echo, _checked)
    finally:
        stack.remove()


def _checked(client: Client) -> tuple[int, str]:
    """How many events the log has, and its last link, once it was found to hold."""
    found = verified(client)
    return found.held, found.link
