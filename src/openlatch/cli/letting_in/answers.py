"""Answering a link in a letter; whoever has one need not be signed in to look."""

from __future__ import annotations

from urllib.parse import urlsplit

import click

from openlatch.cli.acting import confirmed, yes_option
from openlatch.cli.columns import day
from openlatch.cli.command import Command
from openlatch.cli.connection import client_of, token_for
from openlatch.cli.failure import Failure
from openlatch.cli.output import hint, out, reports_errors
from openlatch.wire import messages as wire

__all__ = ["answer"]


@click.command(cls=Command, example="{letter}")
@click.argument("link")
@click.option("--agree", "answer_", flag_value="agree", help="Say yes; an offer is accepted.")
@click.option("--decline", "answer_", flag_value="decline", help="Say no.")
@click.option("--later", "answer_", flag_value="later", help="Leave an offer for later.")
@click.option("--reason", default="", help="Why you decline; the other side is told.")
@click.option("--name", default="", help="Your name, if you do not sign in there yet.")
@click.option(
    "--password", default="", help="A password of your own, if you do not sign in there yet; asked for if not given."
)
@yes_option
@reports_errors
def answer(link: str, answer_: str | None, reason: str, name: str, password: str, yes: bool) -> None:
    """Answer a link in a letter. Without an answer, show what it asks of you.

    An offer can be accepted by whoever signs in with the address that it was sent to. If that is you and you do not
    sign in there yet, you choose a password.
    """
    parts = urlsplit(link)
    if parts.scheme not in ("http", "https") or not parts.netloc:
        raise Failure(f"“{link}” is not a link.", "Copy it from the letter, beginning with http.", 2)
    service, last = f"{parts.scheme}://{parts.netloc}", parts.path.rpartition("/")[2]
    with client_of(service, token_for(service)) as client:
        asked = client.question(last)
        _show(asked)
        if asked.trouble:
            raise Failure(asked.trouble, "Ask whoever sent it to you for a new one.")
        if answer_ is None:
            hint(f"Answer it by {day(asked.lapses_at, asked.zone)}, with --agree, --decline or --later.")
            return
        confirmed({"agree": "Agree?", "decline": "Decline?", "later": "Leave it for later?"}[answer_], yes)
        if answer_ == "agree" and asked.needs == "register":
            name = name or click.prompt("Your name")
            password = password or click.prompt("A password of your own", hide_input=True, confirmation_prompt=True)
        password = password if asked.needs == "register" and answer_ == "agree" else ""
        client.answer(
            last,
            agrees=answer_ == "agree",
            later=answer_ == "later",
            reason=reason,
            name=name if password else "",
            password=password,
        )
        click.echo({"agree": "You agreed.", "decline": "You declined.", "later": "Left for later."}[answer_])
        if password and asked.offer is not None:
            click.echo(
                f"Sign in with: openlatch sign-in {service} --workspace {asked.workspace} "
                f"--address {asked.offer.address}"
            )


def _show(asked: wire.Question) -> None:
    out().print(f"{asked.title} Asked by {asked.asked_by}, {asked.holder}.", style="bold")
    for line in asked.text:
        out().print(f"  {line}")
    if asked.offer is not None and asked.offer.basis:
        out().print(f"  What it is for: {asked.offer.basis}")
