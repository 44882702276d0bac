"""Every operation of the table has a trial: what it does, and what it refuses."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from openlatch.core.people.roles import OPERATIONS
from openlatch.operations.inventory.entries import STANDING
from openlatch.store.inventory.entries import EntryFilter
from tests.harness.acts import Spares
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.operations.effects import (  # noqa: F401 - each declares its trials
    inventory,
    letting_in,
    people,
    providers,
    record,
    reviews,
    rules,
    running,
    search,
    taking_back,
    telling,
    what_if,
)
from tests.operations.effects.world import OF, World


@pytest.fixture(scope="module")
def world(furnished: Ridge, things: Furniture) -> Iterator[World]:
    with furnished.client() as maren:
        spares = Spares([maren.entry(ref) for ref in (things.entry, things.guide)])
    made = World(furnished, things, spares)
    for person in (made.owner, made.manager, made.reviewer, made.auditor, made.member):
        assert person.me().may, "signed in beforehand, since that is in the log as well"
    yield made
    made.close()


def test_no_operation_is_without_a_trial() -> None:
    assert sorted(OF) == sorted(OPERATIONS)


@pytest.mark.parametrize("operation", sorted(OF))
def test_an_operation_does_what_it_says_and_refuses_what_it_cannot_do(world: World, operation: str) -> None:
    world.refusals = 0
    OF[operation](world)
    assert world.refusals > 0, "every trial shows a refusal"


def test_after_all_of_them_the_counts_that_are_kept_are_what_is_there(world: World) -> None:
    with world.ridge.call() as call:
        assert call.tx.tallies.standing() == call.tx.entries.summary(EntryFilter(states=STANDING))
        for provider in call.tx.providers.all():
            held = sum(used.entries for used in call.tx.words.used(provider.id))
            assert held == len(call.tx.entries.standing(provider.id))
