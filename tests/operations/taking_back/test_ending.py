"""Ending what is there: with a plan, proved, and never by whoever may not."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from openlatch.cli.record.log import verified
from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.errors import Changed, Conflict
from openlatch.wire import messages as wire
from tests.harness.acts import Desk, read, settle
from tests.harness.ridge import Ridge

Spare = Callable[[], wire.Entry]


def test_the_log_can_be_checked_by_whoever_has_a_copy(client: Client) -> None:
    found = verified(client)
    assert found.held
    assert verified(client, link=found.link).held >= found.held


def test_ending_what_is_gone_at_the_provider_is_proved_and_no_error(client: Client, spare: Spare, desk: Desk) -> None:
    entry = spare()
    desk.end_behind_our_back(entry)
    order = settle(client, client.end(entry.ref).ref)
    assert order.state == "proved"
    assert "already-ended" in order.steps[0].said


def test_what_vanished_at_the_provider_ends_as_gone_with_the_reading_as_evidence(
    client: Client, spare: Spare, desk: Desk
) -> None:
    entry = spare()
    desk.end_behind_our_back(entry)
    reading = read(client)
    after = client.entry(entry.ref)
    assert (reading.state, after.state, after.end_reason) == ("complete", "ended", "gone")
    last = next(e for e in client.events(entry.id) if e.content["act"] == "entry.ended")
    assert last.content["facts"]["evidence"] == str(reading.id)
    with pytest.raises(Conflict, match="already ended"):
        client.end(entry.ref)


def test_an_order_on_a_plan_that_changed_is_refused_and_changes_nothing(client: Client, spare: Spare) -> None:
    entry = spare()
    with pytest.raises(Changed, match="Nothing was ordered"):
        client.end(entry.ref, digest="0" * 64)
    assert client.entry(entry.ref).state == "live"


def test_a_member_sees_only_their_own_and_may_end_nothing(ridge: Ridge, client: Client) -> None:
    foreign = next(e for e in client.entries() if e.party.name != "Orla Finch")
    with ridge.client("orla.finch") as member:
        own = list(member.entries())
        assert own
        assert {e.party.name for e in own} == {"Orla Finch"}
        assert member.summary().entries == len(own)
        for act in (lambda: member.entry(foreign.ref), lambda: member.end(own[0].ref), lambda: list(member.accounts())):
            with pytest.raises(Exception, match=r"no entry|does not allow"):
                act()
    assert client.entry(own[0].ref).state == "live"


def test_the_same_rights_directly_and_through_teams_are_shown_with_what_it_takes_to_end_them(client: Client) -> None:
    orla = f"orla.finch@{DOMAIN}"
    the_chains = [c for c in client.reach(orla).chains if c.entry.provider.name == "Ticket Desk"]
    chains = {tuple(via.party.name for via in c.via): c for c in the_chains}
    assert set(chains) == {(), ("Guides",), ("Saturday crew",), ("Guides", "Volunteers")} or set(chains) == {
        (),
        ("Guides",),
        ("Saturday crew",),
        ("Saturday crew", "Volunteers"),
    }
    # What she holds herself she also has as one of the Saturday crew, so ending that alone would change nothing.
    assert (chains[()].idle, chains["Saturday crew",].idle) == (True, True)
    cut = client.smallest_cut(orla, "Bookings", "edit")
    assert {piece.kind for piece in cut.pieces} == {"entry", "membership"}
    assert (len(cut.pieces), cut.hurts) == (2, [])
    assert client.smallest_cut(orla, "Bookings", "own").pieces == []
