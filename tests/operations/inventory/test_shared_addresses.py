"""Three users of one provider that share a mailbox are three, whatever is read of them, here and elsewhere."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from openlatch.core.providers.observation import Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.errors import Invalid
from openlatch.operations.providers import readings
from openlatch.words import Kind, PartyKind, Power, ReadingOutcome
from tests.harness.acts import Spares
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.operations.effects.world import World

BOX = "night.desk@elsewhere.example"
KEYS = ("u-1", "u-2", "u-3")


@pytest.fixture(scope="module")
def world(furnished: Ridge, things: Furniture) -> Iterator[World]:
    made = World(furnished, things, Spares())
    yield made
    made.close()


def shown(world: World, provider: str, keys: tuple[str, ...], account: str) -> dict[str, str]:
    """What a provider shows of some users with one mailbox; returns the party of each, by its key."""
    with world.ridge.call() as call:
        the_provider = call.tx.providers.find(provider)
        there = next(
            each_account for each_account in call.tx.accounts.of(the_provider.id) if each_account.name == account
        )
        parties = tuple(ObservedParty(key, PartyKind.PERSON, f"Night desk {key}", (BOX,)) for key in keys)
        entries = tuple(
            ObservedEntry(f"{account}:{key}", there.key, key, Kind.DELEGATE, "guide", (Power.VIEW,)) for key in keys
        )
        seen = Observation(ReadingOutcome.PARTIAL, (ObservedAccount(there.key, there.name),), parties, entries)
        readings.apply(call, the_provider.id, seen, evidence="a reading")
        standing = call.tx.entries.standing(the_provider.id, [entry.key for entry in entries])
    return {entry.key.removeprefix(f"{account}:"): str(entry.party_id) for entry in standing}


def test_three_that_share_a_mailbox_are_three_and_are_named_by_their_short_forms(world: World) -> None:
    here = shown(world, "Ticket Desk", KEYS, "Gate")
    assert len(set(here.values())) == 3
    assert shown(world, "Ticket Desk", KEYS[::-1], "Gate") == here, "read again, each is who it was"
    elsewhere = shown(world, "Live Sky", ("n-9",), "Kestrel Ridge Live")
    assert elsewhere["n-9"] not in here.values(), "which of the three it is, nobody can say"
    with pytest.raises(Invalid, match="4 parties carry the address") as refused:
        world.owner.party(BOX)
    for party in here.values():
        the_party = world.owner.party(party)
        assert the_party.ref in refused.value.next_step
        assert [entry.party.id for entry in world.owner.entries(party=the_party.ref)] == [the_party.id]
    with pytest.raises(Invalid, match="is carried by 4 parties"):
        world.manager.check_offer(world.wish(BOX))
    ended = next(world.owner.entries(party=world.owner.party(here["u-2"]).ref))
    plan = world.owner.plan(ended.ref, "end")
    assert "u-1" not in str(plan)
    assert "u-3" not in str(plan)
