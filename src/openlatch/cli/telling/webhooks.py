"""Webhooks: having other programs told what happens."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.connection import connect
from openlatch.cli.output import Column, ago, emit, output_option, reports_errors
from openlatch.wire import messages as wire
from openlatch.words import HookForm

__all__ = ["webhooks"]


def _told_of(webhook: wire.Webhook) -> str:
    everything = "what ended" if webhook.form == HookForm.SECURITY_EVENTS else "everything"
    return ", ".join(webhook.acts) or everything


WEBHOOKS: tuple[Column, ...] = (
    Column("id", lambda w: w.ref),
    Column.address("address", lambda w: Text(w.url)),
    Column("told of", _told_of),
    Column("state", lambda w: "paused" if w.paused else "tried again" if w.attempts else "on"),
    Column("told", lambda w: ago(w.sent_at)),
    Column("waits", lambda w: str(w.waits)),
    Column("trouble", lambda w: Text(w.trouble)),
)


@click.command()
@click.option("--add", "url", default="", help="An address to be told of what happens from now on.")
@click.option("--of", "acts", multiple=True, help="Only acts that begin so, such as offer; can be given again.")
@click.option("--security-events", is_flag=True, help="Send what ended, as Security Event Tokens, instead of all news.")
@click.option("--audience", default="", help="For whom these tokens are; without it, for its server.")
@click.option("--pause", "pause", default="", help="Tell a webhook nothing for a while.")
@click.option("--resume", "resume", default="", help="Go on where a webhook was left.")
@click.option("--remove", "remove", default="", help="Tell a webhook nothing any more.")
@output_option
@reports_errors
def webhooks(
    url: str,
    acts: tuple[str, ...],
    security_events: bool,
    audience: str,
    pause: str,
    resume: str,
    remove: str,
    output: str,
) -> None:
    """List the addresses that are told what happens (CloudEvents, signed); add, pause or remove one."""
    with connect() as client:
        if url:
            form = HookForm.SECURITY_EVENTS if security_events else HookForm.NEWS
            made = client.add_webhook(url, acts, form=form, audience=audience)
            if security_events:
                click.echo(f"Added ({made.ref}). Tokens are for {made.audience}, signed by a key at {made.keys_url}")
                click.echo("They are sent with this secret as a bearer token, which is shown this once:")
            else:
                click.echo(
                    f"Added ({made.ref}). What is sent there is signed with this secret, which is shown this once:"
                )
            click.echo(made.secret)
            return
        if pause or resume:
            client.pause_webhook(pause or resume, paused=bool(pause))
        if remove:
            client.remove_webhook(remove)
        emit(client.webhooks(), WEBHOOKS, output, empty="There are none; openlatch webhooks --add ADDRESS adds one.")
