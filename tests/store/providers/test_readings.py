"""Readings of long ago are forgotten, but for what is still asked of them."""

from __future__ import annotations

from datetime import timedelta
from uuid import UUID, uuid4

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from openlatch.core.ids import uuid7
from openlatch.core.model import Provider, Reading, Workspace
from openlatch.store import Store, Transaction
from openlatch.words import ReadingState
from tests.factories import NOW, ago
from tests.harness.ridge import Ridge

TWO = [Provider(uuid4(), name, "feed", {}) for name in ("Ticket Desk", "Gate System")]
days = st.floats(0, 100, width=32)
over = st.tuples(
    st.sampled_from(TWO),
    days,
    st.sampled_from([ReadingState.COMPLETE, ReadingState.PARTIAL, ReadingState.FAILED]),
)


def founded(store: Store, some: list[tuple[Provider, float, ReadingState]]) -> UUID:
    workspace = Workspace(uuid4(), f"w-{uuid4().hex[:12]}", "A holder")
    with store.found(workspace, NOW) as tx:
        for provider in TWO:
            tx.providers.add(provider, b"")
        for number, (provider, age, state) in enumerate(some):
            at = ago(age)
            begun = Reading(uuid7(at, number), provider.id, ReadingState.QUEUED, "the schedule", at)
            tx.readings.open(begun)
            tx.readings.save(
                Reading(begun.id, provider.id, state, "the schedule", at, finished_at=at + timedelta(minutes=1))
            )
    return workspace.id


def readings(tx: Transaction) -> dict[UUID, Reading]:
    return {each.id: each for each in tx.readings.browse(provider_id=None, limit=100, cursor=None).items}


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(over, max_size=12), days)
def test_what_stays_of_each_provider_is_the_latest_the_first_complete_and_all_that_is_recent(
    blank: Ridge, some: list[tuple[Provider, float, ReadingState]], kept: float
) -> None:
    store = blank.service.store
    workspace, other = founded(store, some), founded(store, some)
    with store.transaction(workspace) as tx:
        before, latest, first = readings(tx), tx.readings.latest(), tx.readings.first_complete()
        tx.readings.forget(ago(kept))
        after = readings(tx)
        assert (tx.readings.latest(), tx.readings.first_complete()) == (latest, first)
    needed = {each.id for each in latest.values()}
    for each in before.values():
        assert each.finished_at is not None
        recent = each.finished_at >= ago(kept)
        is_first = each.state is ReadingState.COMPLETE and each.finished_at == first[each.provider_id]
        assert (each.id in after) == (recent or is_first or each.id in needed)
    with store.transaction(other) as tx:
        assert len(readings(tx)) == len(some), "another holder’s stay"
