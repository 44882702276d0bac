"""Answering a link in a letter; nobody has to be signed in for that."""

from __future__ import annotations

from urllib.parse import urlsplit

import click

from openlatch.cli.orders import confirmed
from openlatch.cli.output import Failure, day, out, reports_errors
from openlatch.client import Client

__all__ = ["answer"]


@click.command()
@click.argument("link")
@click.option("--agree/--decline", "agrees", default=None, help="The answer; without one, only the question is shown.")
@click.option("--yes", is_flag=True, help="Do not ask; for programs.")
@reports_errors
def answer(link: str, agrees: bool | None, yes: bool) -> None:
    """Show what LINK, as it stands in a letter, asks of you, and answer it."""
    parts = urlsplit(link)
    if parts.scheme not in ("http", "https") or not parts.netloc:
        raise Failure(f"“{link}” is not a link.", "Copy it from the letter, from http on.", 2)
    with Client(f"{parts.scheme}://{parts.netloc}", "") as client:
        name = parts.path.rpartition("/")[2]
        asked = client.question(name)
        out().print(f"{asked.title} Asked by {asked.asked_by}, {asked.holder}.", style="bold")
        for line in asked.text:
            out().print(f"  {line}")
        if asked.trouble:
            raise Failure(asked.trouble, "Ask whoever sent it to you for a new one.")
        if agrees is None:
            out().print(f"Answer it by {day(asked.lapses_at)}, with --agree or --decline.", style="dim")
            return
        confirmed("Agree?" if agrees else "Decline?", yes)
        client.answer(name, agrees=agrees)
        click.echo("You agreed." if agrees else "You declined.")
