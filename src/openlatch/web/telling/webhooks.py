"""Webhooks: addresses that are told what happens."""

from __future__ import annotations

from typing import Any

from openlatch.operations.call import Call
from openlatch.operations.telling import tokens, webhooks
from openlatch.store.telling.webhooks import Webhook
from openlatch.web.api import Routes
from openlatch.web.filled import filled
from openlatch.wire import messages as wire
from openlatch.words import HookForm

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/webhooks", returns=wire.WebhookList)
def list_webhooks(call: Call) -> wire.WebhookList:
    """Every webhook."""
    every = webhooks.browse(call)
    return wire.WebhookList(items=[filled(wire.Webhook, webhook, **_more(call, webhook)) for webhook in every])


@routes.route("POST", "/webhooks", body=wire.NewWebhook, returns=wire.WebhookSecret, status=201)
def add_webhook(call: Call, body: wire.NewWebhook) -> wire.WebhookSecret:
    """Send what happens from now on to an address; the secret is shown only now."""
    made, secret = webhooks.add(call, body.url, body.acts, HookForm(body.form), body.audience)
    return filled(wire.WebhookSecret, made, **_more(call, made), secret=secret)


@routes.route("POST", "/webhooks/<webhook>/pause", body=wire.PauseWish, returns=wire.Webhook)
def pause_webhook(call: Call, webhook: str, body: wire.PauseWish) -> wire.Webhook:
    """Tell a webhook nothing for a while, or go on where it was left."""
    paused = webhooks.pause(call, webhook, paused=body.paused)
    return filled(wire.Webhook, paused, **_more(call, paused))


@routes.route("DELETE", "/webhooks/<webhook>")
def remove_webhook(call: Call, webhook: str) -> None:
    """Tell a webhook nothing any more."""
    webhooks.remove(call, webhook)


def _more(call: Call, webhook: Webhook) -> dict[str, Any]:
    """What a webhook is shown with: how much it has not been told of, and where the keys are that its tokens need."""
    url = tokens.keys_url(call) if webhook.form is HookForm.SECURITY_EVENTS else ""
    head = call.tx.events.head()
    return {"waits": head.size - max(webhook.seen, head.archived), "keys_url": url}
