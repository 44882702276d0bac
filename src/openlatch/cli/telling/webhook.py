"""Webhooks: addresses that are sent what happens."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.acting import confirmed, yes_option
from openlatch.cli.columns import Column, ago
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.nouns import WEBHOOK
from openlatch.cli.output import Listing, hint, listed, reports_errors
from openlatch.wire import messages as wire
from openlatch.words import HookForm

__all__ = ["webhook"]


def _sent_what(webhook: wire.Webhook) -> str:
    everything = "security events" if webhook.form == HookForm.SECURITY_EVENTS else "everything"
    return ", ".join(webhook.acts) or everything


_WEBHOOKS: tuple[Column, ...] = (
    Column.ref(lambda w: w.ref),
    Column.address("address", lambda w: Text(w.url)),
    Column("is sent", _sent_what),
    Column("state", lambda w: "paused" if w.paused else "retrying" if w.attempts else "on"),
    Column("last sent", lambda w: ago(w.sent_at)),
    Column.more("waiting", lambda w: str(w.waits)),
    Column.prose("trouble", lambda w: Text(w.trouble)),
)
_argument = click.argument("webhook", type=WEBHOOK)


@click.group(cls=Group)
def webhook() -> None:
    """Addresses that are sent what happens.

    What is sent are CloudEvents, signed; or Security Event Tokens about access that ended. WEBHOOK is its id or short
    form.
    """


@webhook.command("list")
@listed(*_WEBHOOKS)
@reports_errors
def list_webhooks(listing: Listing) -> None:
    """List the webhooks, and whether what they are sent arrives."""
    with connect() as client:
        listing.print(client.webhooks(), empty="There are no webhooks. Add one: openlatch webhook add ADDRESS")


@webhook.command("add", example="https://ledger.kestrelridge.example/hook --only offer --only request")
@click.argument("address")
@click.option("--only", "acts", multiple=True, help="Only what begins like this, such as offer; repeatable.")
@click.option("--security-events", is_flag=True, help="Send access that ended, as Security Event Tokens.")
@click.option("--audience", default="", help="With --security-events: their audience; without it, the server's name.")
@reports_errors
def add(address: str, acts: tuple[str, ...], security_events: bool, audience: str) -> None:
    """Send what happens to an ADDRESS from now on. The secret for it is printed once."""
    with connect() as client:
        form = HookForm.SECURITY_EVENTS if security_events else HookForm.NEWS
        made = client.add_webhook(address, acts, form=form, audience=audience)
    if security_events:
        hint(f"Added ({made.ref}). The audience of the tokens is {made.audience}; their key is at {made.keys_url}")
        hint("They are sent with this secret as a bearer token. It is shown only now:")
    else:
        hint(f"Added ({made.ref}). What is sent is signed with this secret. It is shown only now:")
    click.echo(made.secret)


@webhook.command("pause", example="{webhook}")
@_argument
@reports_errors
def pause(webhook: str) -> None:
    """Send nothing to a webhook for now; what happens meanwhile is sent later."""
    with connect() as client:
        there = client.pause_webhook(webhook)
    click.echo(f"Paused: {there.url}. Resume: openlatch webhook resume {there.ref}")


@webhook.command("resume", example="{webhook}")
@_argument
@reports_errors
def resume(webhook: str) -> None:
    """Send to a paused webhook again, beginning where it was paused."""
    with connect() as client:
        there = client.pause_webhook(webhook, paused=False)
    click.echo(f"Resumed: {there.url}.")


@webhook.command("remove", example="{webhook_too} --yes")
@_argument
@yes_option
@reports_errors
def remove(webhook: str, yes: bool) -> None:
    """Remove a webhook; nothing more is sent there."""
    confirmed(f"Remove webhook {webhook}?", yes)
    with connect() as client:
        client.remove_webhook(webhook)
    click.echo(f"Removed: webhook {webhook}.")
