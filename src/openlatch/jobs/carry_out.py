"""Carrying an order out: calls to the provider between transactions, each of which can be the last before a crash."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from uuid import UUID

import structlog

from openlatch.core.observation import complaints
from openlatch.errors import OpenLatchError, ProviderDown, ProviderTrouble
from openlatch.operations import orders
from openlatch.operations.gate import Services, as_service
from openlatch.store import Store

__all__ = ["carry_out"]

log = structlog.get_logger()


def carry_out(store: Store, services: Services, workspace_id: UUID, order_id: UUID) -> None:
    """Take an order as far as it goes now; it queues itself again where it has to wait."""
    try:
        _carry_out(store, services, workspace_id, order_id)
    except ProviderDown as error:
        log.info("order waits", order=str(order_id), why=error.message)
        with store.transaction(workspace_id) as tx:
            orders.postponed(as_service(tx, services), order_id, error)
    except ProviderTrouble as error:
        log.warning("order is stuck", order=str(order_id), why=error.message)
        with store.transaction(workspace_id) as tx:
            orders.stuck(as_service(tx, services), order_id, error)


@contextmanager
def _at_the_provider() -> Iterator[None]:
    """A connector can be anyone's: what it did not foresee needs a person, and must not leave an order hanging."""
    try:
        yield
    except OpenLatchError:
        raise
    except Exception as error:
        log.exception("unforeseen error in a connector")
        raise ProviderTrouble(
            f"The connector failed in a way that nobody foresaw ({type(error).__name__}).",
            next_step="Look at the provider itself; then try again, or call the order off.",
        ) from error


def _carry_out(store: Store, services: Services, workspace_id: UUID, order_id: UUID) -> None:
    with store.transaction(workspace_id) as tx:
        work = orders.begin(as_service(tx, services), order_id)
    if work is None:
        return
    if not work.told:
        with _at_the_provider():
            answer = work.connector.end(work.entry_key, work.party_key, work.order.idempotency_key)
        with store.transaction(workspace_id) as tx:
            orders.told(as_service(tx, services), order_id, answer)
    with _at_the_provider():
        observation = work.connector.look(work.party_key)
    wrong = complaints(observation)
    if wrong:
        raise ProviderTrouble(
            f"What the provider showed of this party contradicts itself: {wrong[0]}.",
            next_step="Tell whoever runs the provider; then try again.",
        )
    with store.transaction(workspace_id) as tx:
        orders.concluded(as_service(tx, services), order_id, work.party_key, observation)
    log.info("order looked at", order=str(order_id), listed=len(observation.entries))
