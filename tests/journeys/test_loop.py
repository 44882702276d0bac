"""The whole loop through the client: read, flag, take back, prove; and nothing done twice or half."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import psycopg
import pytest

from openlatch.cli.log import verified
from openlatch.client import Client
from openlatch.demo import catalogue
from openlatch.demo.cast import DOMAIN
from openlatch.errors import Changed, Conflict
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire
from tests.conftest import sign_in
from tests.journeys.conftest import Desk, events, read, settle

Spare = Callable[[], wire.Entry]


def test_a_database_login_is_found_flagged_ended_and_really_refused(stack: Stack, client: Client) -> None:
    (entry,) = (e for e in client.entries(q="Star Chart", provider="Plate Catalogue") if e.key.startswith("login:"))
    assert {flag.rule for flag in entry.flags} == {"outsider-without-end", "outsider-without-basis"}
    with psycopg.connect(stack.catalogue_url("star_chart")) as theirs:
        theirs.execute("select count(*) from plates")
    (member,) = (e for e in client.entries(q="Star Chart", kind="delegate") if e.level == "plate_readers")

    plan = client.plan(entry.ref)
    assert {"goes-with-it", "sessions-closed"} <= {c.kind for c in plan.consequences}
    order = settle(client, client.end(entry.ref, reason="Never used", digest=plan.digest).ref)

    assert (order.state, [bool(step.at) for step in order.steps]) == ("proved", [True, True, True])
    assert order.receipt is not None
    assert "no longer listed" in order.receipt.showed
    with pytest.raises(psycopg.OperationalError, match="not permitted to log in"):
        psycopg.connect(stack.catalogue_url("star_chart"))
    after, gone_too = client.entry(entry.ref), client.entry(member.ref)
    assert (after.state, after.end_reason, after.flags) == ("ended", "revoked", [])
    assert gone_too.state == "ended"
    assert [e for e in events(client, entry) if e != "entry.changed"] == [
        "entry.found",
        *["flag.raised"] * 2,
        "entry.ending",
        "entry.ended",
        *["flag.cleared"] * 2,
    ]
    with psycopg.connect(stack.catalogue_url(catalogue.CONTRACTOR)) as others:
        others.execute("select count(*) from plates")


def test_the_log_can_be_checked_by_whoever_has_a_copy(client: Client) -> None:
    size, last = verified(client)
    assert size == client.log_head().size or size > 0
    assert verified(client, last)[0] >= size


def test_two_people_ending_the_same_entry_at_once_give_one_order(
    stack: Stack, client: Client, spare: Spare, desk: Desk
) -> None:
    entry = spare()
    # Held, so that the order is still under way however late the last of the eight comes.
    with sign_in(stack, "tobias.quill") as other, ThreadPoolExecutor(8) as pool, desk.fault(hold=True):
        given = list(pool.map(lambda n: (client, other)[n % 2].end(entry.ref), range(8)))
    assert len({order.ref for order in given}) == 1
    assert [order.already for order in given].count(False) == 1
    assert settle(client, given[0].ref).state == "proved"
    assert desk.effects(entry) == 1


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


def test_a_member_sees_only_their_own_and_may_end_nothing(stack: Stack, client: Client) -> None:
    foreign = next(e for e in client.entries() if e.party.name != "Orla Finch")
    with sign_in(stack, "orla.finch") as member:
        own = list(member.entries())
        assert own
        assert {e.party.name for e in own} == {"Orla Finch"}
        assert member.summary().entries == len(own)
        for act in (lambda: member.entry(foreign.ref), lambda: member.end(own[0].ref), lambda: list(member.accounts())):
            with pytest.raises(Exception, match=r"no entry|may not"):
                act()
    assert client.entry(own[0].ref).state == "live"


def test_the_same_rights_directly_and_through_teams_are_shown_with_what_it_takes_to_end_them(client: Client) -> None:
    orla = f"orla.finch@{DOMAIN}"
    found = [c for c in client.reach(orla).chains if c.entry.provider.name == "Ticket Desk"]
    chains = {tuple(via.party.name for via in c.via): c for c in found}
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
