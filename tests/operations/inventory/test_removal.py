"""A provider is removed: what has to be over before, what becomes of what was read there, and what stays as it was."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

import pytest

from openlatch.client import Client
from openlatch.core.providers.observation import Observation
from openlatch.demo.cast import DOMAIN
from openlatch.errors import Changed, Conflict, NotFound
from openlatch.operations.call import as_service
from openlatch.operations.providers import readings
from openlatch.wire import messages as wire
from openlatch.words import ReadingOutcome
from tests.harness.acts import events, read
from tests.harness.ridge import Ridge

DESK, TWIN = "Ticket Desk", "Ticket Desk, read twice"


def entries(client: Client, provider: str) -> list[wire.Entry]:
    return list(client.entries(provider=provider, sort="party"))


@pytest.fixture
def twins(apart: Ridge) -> Client:
    """The owner, with two providers that read the same: accounts of the same names, parties of the same addresses."""
    owner = apart.client()
    with apart.call() as call:
        provider = call.tx.providers.find(DESK)
        secret = call.open(call.tx.providers.secret(provider.id))
    owner.add_provider(TWIN, "feed", dict(provider.settings), secret)
    read(owner, TWIN)
    return owner


def settled(client: Client, provider: str) -> None:
    """Have nothing go on at a provider any more."""
    over: dict[str, Callable[[str], object]] = {
        "order": client.cancel,
        "batch": client.cancel_batch,
        "offer": client.withdraw_offer,
        "request": lambda ref: client.turn_down(ref, "Not now"),
        "round": lambda ref: client.cancel_round(ref, "Not now"),
    }
    for hindrance in client.provider_removal(provider).hindrances:
        for ref in hindrance.refs:
            over[hindrance.matter](ref)


def test_what_was_read_at_one_of_two_like_providers_is_let_go_and_nothing_else(apart: Ridge, twins: Client) -> None:
    settled(twins, DESK)
    before, kept = entries(twins, DESK), entries(twins, TWIN)
    removal = twins.provider_removal(DESK)
    assert removal.entries == len(before) == len(kept)
    assert removal.accounts == len({entry.account.ref for entry in before})
    elsewhere = {e.party.id for e in twins.entries() if e.provider.name != DESK}
    assert removal.nowhere_else == len({e.party.id for e in before} - elsewhere)
    assert not removal.hindrances
    with pytest.raises(Changed, match=r"and not 3\. Nothing was changed"):
        twins.remove_provider(DESK, entries=3)
    assert twins.remove_provider(DESK, entries=removal.entries).says == removal.says
    apart.drain()
    assert DESK not in {provider.name for provider in twins.providers()}
    with pytest.raises(NotFound):
        twins.read(DESK)
    assert [e.id for e in entries(twins, TWIN)] == [e.id for e in kept]
    assert {account.provider.name for account in twins.accounts(q="Bookings")} == {TWIN}
    gone = [twins.entry(entry.ref) for entry in before]
    assert {(e.state, e.end_reason, bool(e.acts)) for e in gone} == {("ended", "provider-removed", False)}
    assert {flag.subject for e in gone for flag in e.flags} <= {"party"}, "they may be flagged for what they have still"
    assert not {flag.about.ref for flag in twins.flags()} & {ref for e in before for ref in (e.ref, e.account.ref)}
    assert "entry.let-go" in events(twins, before[0])
    for action in ("end", "give-back"):
        with pytest.raises(Conflict, match="was removed here"):
            twins.plan(before[0].ref, action)
    leaver = next(e for e in gone if e.party.kind == "person")
    said = [told.text for told in twins.plan_leaver(leaver.party.ref).consequences if told.kind == "not-watched"]
    assert said
    assert f"at {DESK}, which was removed here: nobody knows whether they have it still" in said[0]
    with apart.call() as call:
        names = {provider_id: name for provider_id, name in call.tx.providers.names().items() if name == DESK}
        (removed,) = names
        assert call.open(call.tx.providers.secret(removed)) == ""
        assert call.tx.providers.get(removed).next_reading is None


def test_its_name_can_be_given_again_and_what_is_read_then_is_new(apart: Ridge, twins: Client) -> None:
    settled(twins, TWIN)
    before = {entry.id for entry in entries(twins, TWIN)}
    settings = twins.provider(TWIN).settings
    with apart.call() as call:
        secret = call.open(call.tx.providers.secret(call.tx.providers.find(TWIN).id))
    twins.remove_provider(TWIN)
    apart.drain()
    again = twins.add_provider(TWIN, "feed", dict(settings), secret)
    read(twins, TWIN)
    assert twins.provider(TWIN).id == again.id
    after = entries(twins, TWIN)
    assert len(after) == len(before)
    assert not before & {entry.id for entry in after}
    twins.remove_provider(TWIN)
    apart.drain()
    assert entries(twins, DESK), "two that were removed are called the same by now"


def _order(ridge: Ridge, client: Client, there: list[wire.Entry]) -> str:
    return client.end(next(e.ref for e in there if e.kind == "delegate")).ref


def _batch(ridge: Ridge, client: Client, there: list[wire.Entry]) -> str:
    party = next(e.party.ref for e in there if e.kind == "delegate")
    later = (ridge.clock.now + timedelta(days=3)).date()
    return client.leave(party, last_day=later, who="Tobias Quill", count=len(client.plan_leaver(party).items)).ref


def _offer(ridge: Ridge, client: Client, there: list[wire.Entry]) -> str:
    part = wire.OfferPartWish(account=there[0].account.ref, level="guide")
    wish = wire.OfferWish(to=f"new.guide@{DOMAIN}", name="New Guide", parts=[part], endless=True, basis="A new guide")
    return client.offer(wish, client.check_offer(wish).digest).ref


def _request(ridge: Ridge, client: Client, there: list[wire.Entry]) -> str:
    with ridge.client("orla.finch") as member:
        return member.ask(there[0].account.ref, ["view"], reason="To help at the desk").ref


def _round(ridge: Ridge, client: Client, there: list[wire.Entry]) -> str:
    where = {"provider": there[0].provider.name}
    review = client.add_review("What is left", where=where, named=[f"ines.okoro@{DOMAIN}"], recurs="FREQ=YEARLY")
    assert review.name in client.provider_removal(there[0].provider.name).reviews
    return client.open_round(review.ref).ref


def _import(ridge: Ridge, client: Client, there: list[wire.Entry]) -> str:
    made = client.start_import(
        there[0].provider.name, b"Account,Who,Kind\nBookings,Isla Brook,secret\n", name="a.csv"
    ).made
    assert made is not None
    return made.ref


@pytest.mark.parametrize("begin", [_order, _batch, _offer, _request, _round, _import])
def test_nothing_is_removed_while_something_goes_on_there(
    apart: Ridge, twins: Client, begin: Callable[[Ridge, Client, list[wire.Entry]], str]
) -> None:
    settled(twins, DESK)
    ref = begin(apart, twins, entries(twins, DESK))
    (hindrance,) = twins.provider_removal(DESK).hindrances
    assert (hindrance.matter, hindrance.refs) == (begin.__name__.strip("_"), [ref])
    there = [hindrance.matter for hindrance in twins.provider_removal(TWIN).hindrances]
    assert there == (["batch"] if hindrance.matter == "batch" else []), "a leaver goes everywhere, all else is here"
    before = entries(twins, DESK)
    with pytest.raises(Conflict, match=f"{ref}.*Nothing was changed"):
        twins.remove_provider(DESK)
    assert entries(twins, DESK) == before
    if hindrance.matter in ("import", "order"):
        apart.drain()
    settled(twins, DESK)
    apart.drain()
    standing = len(entries(twins, DESK))
    assert twins.remove_provider(DESK, entries=standing).entries == standing


def test_a_reading_that_is_being_made_meanwhile_brings_nothing_back(apart: Ridge, twins: Client) -> None:
    settled(twins, TWIN)
    reading = twins.read(TWIN)
    with apart.call() as call:
        work = readings.begin(as_service(call.tx, call.services), reading.id)
    assert work is not None
    twins.remove_provider(TWIN)
    with apart.call() as call:
        complete = Observation(ReadingOutcome.COMPLETE)
        readings.conclude(as_service(call.tx, call.services), work.reading, complete, None)
    apart.drain()
    after = twins.reading(reading.id)
    assert (after.state, after.trouble) == ("failed", "Its provider was removed.")
    assert TWIN not in {provider.name for provider in twins.providers()}
    assert not [e for e in twins.entries(q="Bookings") if e.provider.name == TWIN]
