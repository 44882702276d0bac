"""Two of everything: a name identifies nothing by itself, and where it fits several, none of them is taken."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import pytest

from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.errors import Invalid, NotFound
from openlatch.operations.people import people
from openlatch.words import Role
from tests.harness.acts import Spares
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.operations.effects.world import World


@pytest.fixture(scope="module")
def world(furnished: Ridge, things: Furniture) -> Iterator[World]:
    made = World(furnished, things, Spares())
    owner = made.owner
    # A second account of a name that there is, at another provider; a second person of one; a second secret of one.
    owner.keep("Hill Road Signage", account="Bookings", party="Orla Finch", addresses=["orla@elsewhere.example"])
    owner.add_review("Everything twice", where={}, named=[f"ines.okoro@{DOMAIN}"], recurs="FREQ=YEARLY")
    yield made
    made.close()


def test_an_account_whose_name_fits_two_is_not_taken_but_asked_for_by_its_short_form(world: World) -> None:
    both = [account for account in world.owner.accounts() if account.name == "Bookings"]
    assert {account.provider.name for account in both} == {"Ticket Desk", "Hill Road Signage"}
    for ask in (
        lambda: world.owner.account("bookings"),
        lambda: list(world.owner.entries(account="Bookings")),
        lambda: world.offer(f"orla.finch@{DOMAIN}", until=world.day(9).isoformat(), parts=[{"account": "Bookings"}]),
        lambda: world.owner.record_secret("Bookings", "Finn Crane", "the door code"),
    ):
        with pytest.raises(Invalid, match="fits 2 accounts") as refused:
            ask()
        assert all(account.ref in refused.value.next_step for account in both)
        assert "Ticket Desk" in refused.value.next_step
    for each_account in both:
        assert world.owner.account(each_account.ref).id == each_account.id
        assert {entry.account.id for entry in world.owner.entries(account=each_account.ref)} <= {each_account.id}


def test_a_name_that_looks_like_the_short_form_of_another_account_does_not_take_its_place(world: World) -> None:
    (gate,) = [account for account in world.owner.accounts() if account.name == "Gate"]
    world.owner.keep("Hill Road Signage", account=gate.ref, party="Edda Brook")
    assert world.owner.account(gate.ref).name == "Gate"


def test_a_party_is_known_by_address_or_short_form_and_by_a_name_only_if_nobody_else_has_it(world: World) -> None:
    both = [party for party in world.owner.parties("Orla Finch") if party.name == "Orla Finch"]
    assert len(both) == 2
    with pytest.raises(Invalid, match="2 parties are called “Orla Finch”") as several:
        world.owner.party("Orla Finch")
    assert all(party.ref in several.value.next_step for party in both)
    with pytest.raises(NotFound):
        world.owner.party("Orla")
    assert {world.owner.party(address).id for party in both for address in party.addresses} == {
        party.id for party in both
    }
    with pytest.raises(Invalid, match="There are 2 called"):
        world.owner.record_secret("Gate", "Orla Finch", "the gate code")
    (archive,) = [account for account in world.owner.accounts() if account.name == "Night-Sky Plates"]
    to = [{"party": "Orla Finch"}]
    change = {
        "do": "share",
        "account": archive.ref,
        "statements": [{"effect": "allow", "to": to, "powers": ["view"]}],
    }
    proposal = world.owner.propose({"proposal": 1, "title": "To one of two", "changes": [change]})
    assert "“Orla Finch” fits 2 parties" in str(world.owner.worked_out(proposal.ref))


def test_who_answers_is_asked_for_by_address_where_two_have_the_name(world: World) -> None:
    with world.ridge.call() as call:
        people.add_first(call, "Ines Okoro", f"ines.other@{DOMAIN}", Role.REVIEWER, PASSWORD)
    opened = world.owner.open_round("Everything twice")
    with pytest.raises(Invalid, match="the name of 2 people") as refused:
        world.owner.assign_items(opened.ref, [1], ["Ines Okoro"])
    assert f"ines.other@{DOMAIN}" in refused.value.next_step


def test_a_second_secret_that_somebody_is_told_is_one_of_its_own(world: World) -> None:
    first = world.owner.record_secret("Gate", f"finn.crane@{DOMAIN}", "the gate code")
    second = world.owner.record_secret("Gate", f"finn.crane@{DOMAIN}", "the safe code")
    again = world.owner.record_secret("Gate", f"finn.crane@{DOMAIN}", "The gate code")
    assert first.id == again.id
    assert first.id != second.id
    assert {world.owner.entry(first.ref).level, world.owner.entry(second.ref).level} == {
        "The gate code",
        "the safe code",
    }


def test_an_account_whose_name_two_have_at_one_provider_is_kept_by_its_key(world: World) -> None:
    # One that no other test here names.
    here = next(account for account in world.owner.accounts() if account.provider.name == "Live Sky")
    with world.ridge.call() as call:
        there = call.tx.accounts.find(here.ref)
        other = replace(there, id=call.services.new_id(), key=f"{there.key}-two")
        call.tx.accounts.add([other])
    with pytest.raises(Invalid, match="several accounts called “") as refused:
        world.owner.keep(here.provider.name, account=here.name, party="Edda Brook", kind="secret", level="a spare key")
    assert there.key in refused.value.message
    assert other.key in refused.value.message
    for account in (there, other):
        kept = world.owner.keep(
            here.provider.name, account=account.key, party="Edda Brook", kind="secret", level="a spare key"
        )
        told = world.owner.record_secret(account.ref, f"finn.crane@{DOMAIN}", "the attic code")
        assert (kept.account.id, told.account.id) == (account.id, account.id)


@pytest.mark.parametrize(
    ("query", "says"), [("kin=app", "Did you mean “kind”"), ("kind=ap", "app"), ("rule=nope", "openlatch policy rules")]
)
def test_a_view_that_the_inventory_could_not_be_asked_is_not_saved(world: World, query: str, says: str) -> None:
    with pytest.raises(Invalid) as refused:
        world.owner.save_view("Wrong", query)
    assert says in f"{refused.value.message} {refused.value.next_step}"
    assert "Wrong" not in {view.name for view in world.owner.views()}


def test_a_rule_that_there_is_none_of_finds_nothing_silently_nowhere(world: World) -> None:
    for ask in (
        lambda: list(world.owner.entries(rule="unused-past-limits")),
        lambda: list(world.owner.flags(rule="unused-past-limits")),
        lambda: world.owner.plan_batch({"rule": "unused-past-limits"}),
    ):
        with pytest.raises(Invalid, match="no rule “unused-past-limits”") as refused:
            ask()
        assert "unused-past-limit" in refused.value.next_step
