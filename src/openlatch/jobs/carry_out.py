"""Carrying orders out: calls to providers between transactions, each of which can be the last before a crash.

Orders of one command are carried out together: their next steps are begun in one transaction, carried out side by
side, and reported in one. One order alone is the same with one.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from uuid import UUID

import structlog

from openlatch.core.providers.observation import Observation, complaints, resolved
from openlatch.core.providers.ports import Answer, Change, Connector
from openlatch.errors import OpenLatchError, ProviderDown, ProviderTrouble
from openlatch.operations.call import Services, as_service
from openlatch.operations.taking_back import carrying
from openlatch.operations.taking_back.carrying import Work
from openlatch.store import Store
from openlatch.words import Action

__all__ = ["carry_out"]

LANES = 4
"""So many calls to one provider are made side by side, each lane over a connection of its own."""
Result = Answer | Observation | ProviderTrouble | None
"""What came of a call; None if it was not made, since the provider did not answer the one before it."""

log = structlog.get_logger()


def carry_out(store: Store, services: Services, workspace_id: UUID, order_ids: Sequence[UUID]) -> None:
    """Take orders as far as they go now; each queues itself again where it has to wait."""
    while order_ids:
        connectors: dict[UUID, list[Connector]] = {}
        with store.transaction(workspace_id) as tx:
            call = as_service(tx, services)
            works = carrying.begin(call, order_ids)
            for work in works:
                lanes = connectors.setdefault(work.provider.id, [])
                if len(lanes) < LANES:
                    lanes.append(call.connect(work.provider))
        results = _at_providers(works, connectors)
        _report(store, services, workspace_id, works, results)
        order_ids = [work.order.id for work in works]


def _at_providers(works: Sequence[Work], connectors: dict[UUID, list[Connector]]) -> dict[UUID, Result]:
    lanes: dict[tuple[UUID, int], list[Work]] = {}
    for number, work in enumerate(works):
        lane = number % len(connectors[work.provider.id])
        lanes.setdefault((work.provider.id, lane), []).append(work)
    if len(lanes) <= 1:
        return {k: v for (provider, n), some in lanes.items() for k, v in _lane(connectors[provider][n], some).items()}
    with ThreadPoolExecutor(len(lanes)) as pool:
        done = [pool.submit(_lane, connectors[provider][n], some) for (provider, n), some in lanes.items()]
        return {order: result for one in done for order, result in one.result().items()}


def _lane(connector: Connector, works: Sequence[Work]) -> dict[UUID, Result]:
    """Make calls one after the other; once the provider does not answer, it is left in peace."""
    results: dict[UUID, Result] = {}
    down = False
    for work in works:
        results[work.order.id] = None
        if down:
            continue
        try:
            with _at_the_provider():
                results[work.order.id] = _call(connector, work)
        except ProviderTrouble as error:
            results[work.order.id] = error
            down = isinstance(error, ProviderDown)
    return results


def _call(connector: Connector, work: Work) -> Answer | Observation:
    step = work.step
    if step.call == "end":
        return connector.end(step.entry, step.party, work.idempotency_key)
    if step.gift is not None:
        return connector.give(step.party, step.gift, work.idempotency_key)
    if step.call == "change":
        return connector.change(step.entry, step.party, step.change or Change(), work.idempotency_key)
    if step.call in (Action.ADD_MEMBER, Action.REMOVE_MEMBER):
        key, belongs = work.idempotency_key, step.call == Action.ADD_MEMBER
        return connector.set_member(step.team, step.party, key, belongs=belongs)
    observation = resolved(connector.look(step.party))
    wrong = complaints(observation)
    if wrong:
        raise ProviderTrouble(
            f"What the provider showed of this party contradicts itself: {wrong[0]}.",
            next_step="Tell whoever runs the provider; then try again.",
        )
    return observation


def _report(
    store: Store, services: Services, workspace_id: UUID, works: Sequence[Work], results: dict[UUID, Result]
) -> None:
    """Report what came of the calls: what the providers said, what they showed, and what went wrong."""
    places = {work.order.id: work.place for work in works}
    answers = {one: (places[one], r) for one, r in results.items() if isinstance(r, Answer)}
    looks = {one: (places[one], r) for one, r in results.items() if isinstance(r, Observation)}
    if answers:
        with store.transaction(workspace_id) as tx:
            carrying.told(as_service(tx, services), answers)
    if looks:
        with store.transaction(workspace_id) as tx:
            carrying.looked(as_service(tx, services), looks)
        log.info("orders looked at", count=len(looks))
    for each_id, result in results.items():
        if isinstance(result, ProviderTrouble):
            log.info("order not carried out", order=str(each_id), why=result.message)
            with store.transaction(workspace_id) as tx:
                call = as_service(tx, services)
                if isinstance(result, ProviderDown):
                    carrying.postponed(call, each_id, result)
                else:
                    carrying.stuck(call, each_id, result)


@contextmanager
def _at_the_provider() -> Iterator[None]:
    """A connector can be anyone's: what it did not foresee needs a person, and must not leave an order hanging."""
    try:
        yield
    except ProviderTrouble:
        raise
    except OpenLatchError as error:
        raise ProviderTrouble(error.message, next_step=error.next_step) from error
    except Exception as error:
        log.exception("unforeseen error in a connector")
        raise ProviderTrouble(
            f"The connector failed with an unexpected error ({type(error).__name__}).",
            next_step="Look at the provider itself; then try again, or call the order off.",
        ) from error
