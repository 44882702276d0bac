"""Telling webhooks: what each is sent is chosen in one transaction, sent outside of any, and kept in the next."""

from __future__ import annotations

from uuid import UUID

import structlog

from openlatch.core.providers.ports import Herald
from openlatch.errors import ProviderTrouble
from openlatch.operations.call import Services, as_service
from openlatch.operations.telling import webhooks
from openlatch.store import Store

__all__ = ["announce"]

MOST = 40

log = structlog.get_logger()


def announce(store: Store, services: Services) -> None:
    """Send webhooks what has happened. A worker that dies in between sends the same again, under the same ids."""
    if services.herald is None:
        return
    for workspace in store.workspaces():
        done: set[UUID] = set()
        for _ in range(MOST):
            with store.transaction(workspace.id) as tx:
                delivery = webhooks.due(as_service(tx, services), done)
            if delivery is None:
                break
            if not _delivered(store, services, services.herald, workspace.id, delivery):
                done.add(delivery.webhook.id)


def _delivered(
    store: Store, services: Services, herald: Herald, workspace_id: UUID, delivery: webhooks.Delivery
) -> bool:
    reached, why = delivery.webhook.seen, ""
    for number, body, headers in delivery.posts:
        try:
            herald.post(delivery.url, body, headers)
        except ProviderTrouble as error:
            why = error.message
            log.warning("webhook not delivered", webhook=delivery.webhook.ref, why=why)
            break
        reached = number
    with store.transaction(workspace_id) as tx:
        call = as_service(tx, services)
        if not why:
            webhooks.told(call, delivery, delivery.seen, sent=bool(delivery.posts))
        else:
            if reached > delivery.webhook.seen:
                webhooks.told(call, delivery, reached, sent=True)
            webhooks.not_told(call, delivery, why)
    return not why
