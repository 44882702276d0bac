"""The log."""

from __future__ import annotations

import itertools
from datetime import datetime
from typing import Any

import click
from rich.text import Text

from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ACCOUNT, PARTY
from openlatch.cli.output import Column, emit, output_option, reports_errors, second
from openlatch.client import Client
from openlatch.core.record import ledger

__all__ = ["log", "verified"]

_SEALING = 30


def _who(content: dict[str, Any]) -> str:
    """Who acted, and for whom if not for themselves."""
    return f"{content['actor']}, for {content['on_behalf_of']}" if content["on_behalf_of"] else str(content["actor"])


EVENTS: tuple[Column, ...] = (
    Column("number", lambda e: str(e.number or "not sealed")),
    Column("at", lambda e: Text("\n".join(second(datetime.fromisoformat(e.content["at"]))))),
    Column.who("who, and what", lambda e: Text(_who(e.content)).append(f"\n{e.says}", "bold")),
    Column("about", lambda e: Text(f"{e.about.name}\n{e.about.ref}" if e.about else "")),
    Column.prose("what was so", lambda e: Text(e.detail, "dim")),
)


@click.group(invoke_without_command=True)
@click.option("--account", type=ACCOUNT, default="", help="Only what is about this account, or entries on it.")
@click.option("--party", type=PARTY, default="", help="Only what is about this party, or entries of theirs.")
@click.option("--limit", default=30, show_default=True, help="How many at most.")
@output_option
@click.pass_context
@reports_errors
def log(ctx: click.Context, account: str, party: str, limit: int, output: str) -> None:
    """Read the log, the latest first."""
    if ctx.invoked_subcommand is None:
        with connect() as client:
            events = client.events(account=account, party=party)
            emit(itertools.islice(events, limit), EVENTS, output, empty="The log is empty.")


@log.command()
@click.option("--after-link", default="", help="A link that you kept: check that the log still contains it.")
@reports_errors
def verify(after_link: str) -> None:
    """Fetch the whole log and check here, not at the service, that nothing in it was altered."""
    with connect() as client:
        size, link = verified(client, after_link)
    click.echo(f"The log holds: {size} events, each fits the one before. Last link: {link}")
    click.echo("Keep that link somewhere else; later: openlatch log verify --after-link LINK")


def verified(client: Client, known_link: str = "") -> tuple[int, str]:
    """Check a copy of the sealed log; returns its size and last link, or fails naming the first break."""
    for _ in range(_SEALING):
        head = client.log_head()
        if head.unsealed == 0:
            break
        client.pause(1)
    found_link = not known_link
    sealed = []
    for event in client.events(sealed=True, oldest=True):
        if event.number is None or event.link is None or event.number > head.size:
            break
        found_link = found_link or event.link == known_link
        sealed.append(ledger.Sealed(event.number, event.content, event.link))
    held, last, broken = ledger.verify(sealed)
    if broken is not None:
        raise Failure(f"The log was altered: {broken.why}.", f"The {held} events before it still hold.")
    if (held, last) != (head.size, head.link):
        raise Failure(
            f"The log was cut off: it says {head.size} events, and shows {held}.", "Keep this copy as evidence."
        )
    if not found_link:
        raise Failure("The log was made anew: the link that you kept is not in it.", "Keep this copy as evidence.")
    return held, last
