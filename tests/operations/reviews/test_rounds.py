"""Rounds: what a decision becomes, where an order is in progress already."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from openlatch.demo.cast import DOMAIN
from openlatch.operations.reviews import scope
from tests.harness.acts import Spares, review
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.operations.effects.world import World


@pytest.fixture(scope="module")
def world(furnished: Ridge, things: Furniture) -> Iterator[World]:
    made = World(furnished, things, Spares())
    yield made
    made.close()


def test_a_secret_that_is_being_changed_already_is_not_ordered_twice_and_the_round_waits_for_that(world: World) -> None:
    told = world.owner.record_secret("Gate", f"finn.crane@{DOMAIN}", "the code of the attic")
    under_way = world.owner.command(told.ref, "change-secret")
    where = {"kind": "secret", "q": "the code of the attic"}
    world.owner.add_review("Codes", where=where, named=[f"ines.okoro@{DOMAIN}"], recurs="FREQ=YEARLY")
    opened = world.owner.open_round("Codes")
    assert world.reviewer.decide(opened.ref, [1], "end-now", reason="They have left the attic").decided == 1
    assert world.owner.finish_round(opened.ref).rests is False
    world.ridge.drain()
    (item,) = world.owner.round_items(opened.ref)
    assert (item.order, item.trouble) == (under_way.ref, "")
    assert world.owner.round(opened.ref).rests, "it waits for a person now"
    world.owner.done(under_way.ref, "changed")
    world.ridge.drain()
    assert world.owner.round(opened.ref).state == "closed"


def test_of_more_than_anybody_can_answer_a_round_asks_about_the_riskiest_accounts_and_says_what_it_leaves_out(
    world: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    owner, where = world.owner, {"kind": "delegate"}
    whole = review(owner, "All of it", "", where=where)
    items = list(owner.round_items(whole.ref))
    assert whole.left_out == 0
    ranked = [(item.facts.account, item.entry.account.id, item.entry.risk) for item in items]
    worst = {account: max(risk for _, other, risk in ranked if other == account) for _, account, _ in ranked}
    assert ranked == sorted(ranked, key=lambda one: (-worst[one[1]], one[0], str(one[1]), -one[2]))

    most = len(items) // 2
    monkeypatch.setattr(scope, "MOST_ITEMS", most)
    left = len(items) - most
    assert (
        owner.check_review("Half", where=where, named=[f"ines.okoro@{DOMAIN}"], recurs="FREQ=YEARLY").left_out == left
    )
    half = review(owner, "Half", "", where=where)
    asked = list(owner.round_items(half.ref))
    assert (half.left_out, owner.review("Half").left_out) == (left, left)
    assert [item.entry.id for item in asked] == [item.entry.id for item in items[:most]]
    assert owner.round(half.ref).joined == 0, "what was left out from the beginning did not come since"
    told = f"{left} entries on the accounts with the least risk are not asked about: too many for one round."
    assert told in owner.round_report(half.ref, "html").decode()
    assert not owner.round(whole.ref).joined
    world.ridge.drain()
    facts = [event.content["facts"] for event in owner.events(what="round.opened")]
    assert [f.get("left_out") for f in facts if f["review"] in ("Half", "All of it")] == [left, None]
