"""Carrying an order out: calls to the provider between transactions, each of which can be the last before a crash."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from uuid import UUID

import structlog

from openlatch.core.observation import complaints
from openlatch.core.ports import Change
from openlatch.errors import OpenLatchError, ProviderDown, ProviderTrouble
from openlatch.operations import carrying
from openlatch.operations.gate import Services, as_service
from openlatch.store import Store

__all__ = ["carry_out"]

log = structlog.get_logger()


def carry_out(store: Store, services: Services, workspace_id: UUID, order_id: UUID) -> None:
    """Take an order as far as it goes now; it queues itself again where it has to wait."""
    try:
        while _step(store, services, workspace_id, order_id):
            pass
    except ProviderDown as error:
        log.info("order waits", order=str(order_id), why=error.message)
        with store.transaction(workspace_id) as tx:
            carrying.postponed(as_service(tx, services), order_id, error)
    except ProviderTrouble as error:
        log.warning("order is stuck", order=str(order_id), why=error.message)
        with store.transaction(workspace_id) as tx:
            carrying.stuck(as_service(tx, services), order_id, error)


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


def _step(store: Store, services: Services, workspace_id: UUID, order_id: UUID) -> bool:
    """Take one step; returns whether another one follows at once."""
    with store.transaction(workspace_id) as tx:
        work = carrying.begin(as_service(tx, services), order_id)
    if work is None:
        return False
    step = work.step
    if step.call != "read":
        with _at_the_provider():
            if step.call == "end":
                answer = work.connector.end(step.entry, step.party, work.idempotency_key)
            elif step.gift is not None:
                answer = work.connector.give(step.party, step.gift, work.idempotency_key)
            else:
                answer = work.connector.change(step.entry, step.party, step.change or Change(), work.idempotency_key)
        with store.transaction(workspace_id) as tx:
            carrying.told(as_service(tx, services), order_id, work.place, answer)
        return True
    with _at_the_provider():
        observation = work.connector.look(step.party)
    wrong = complaints(observation)
    if wrong:
        raise ProviderTrouble(
            f"What the provider showed of this party contradicts itself: {wrong[0]}.",
            next_step="Tell whoever runs the provider; then try again.",
        )
    with store.transaction(workspace_id) as tx:
        goes_on = carrying.looked(as_service(tx, services), order_id, work.place, observation)
    log.info("order looked at", order=str(order_id), listed=len(observation.entries))
    return goes_on
