"""Webhooks: addresses that are told what happens."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.telling import webhooks
from openlatch.store.telling.webhooks import Webhook
from openlatch.web.api import Routes
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes("webhooks")


@routes.route("GET", "/webhooks", returns=wire.WebhookList)
def list_webhooks(call: Call) -> wire.WebhookList:
    """Every webhook."""
    return wire.WebhookList(
        items=[filled(wire.Webhook, webhook, waits=_waits(call, webhook)) for webhook in webhooks.browse(call)]
    )


@routes.route("POST", "/webhooks", body=wire.NewWebhook, returns=wire.WebhookSecret, status=201)
def add_webhook(call: Call, body: wire.NewWebhook) -> wire.WebhookSecret:
    """Have an address told of what happens from now on, in CloudEvents; the secret is shown this once."""
    made, secret = webhooks.add(call, body.url, body.acts)
    return filled(wire.WebhookSecret, made, waits=_waits(call, made), secret=secret)


@routes.route("POST", "/webhooks/<webhook>/pause", body=wire.PauseWish, returns=wire.Webhook)
def pause_webhook(call: Call, webhook: str, body: wire.PauseWish) -> wire.Webhook:
    """Tell a webhook nothing for a while, or go on where it was left."""
    paused = webhooks.pause(call, webhook, paused=body.paused)
    return filled(wire.Webhook, paused, waits=_waits(call, paused))


@routes.route("DELETE", "/webhooks/<webhook>")
def remove_webhook(call: Call, webhook: str) -> None:
    """Tell a webhook nothing any more."""
    webhooks.remove(call, webhook)


def _waits(call: Call, webhook: Webhook) -> int:
    return call.tx.events.head().size - webhook.seen
