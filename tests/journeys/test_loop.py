"""The whole loop through the client: read, flag, take back, prove; and nothing done twice or half."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import psycopg
import pytest

from openlatch.client import Client
from openlatch.demo import catalogue
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire
from tests.conftest import sign_in
from tests.harness.acts import Desk, events, read, settle

Spare = Callable[[], wire.Entry]
REAL = [("Front Office Mail", "brightmere"), ("Dome Gateway", "works@brightmere")]


def test_a_database_login_is_found_flagged_ended_and_really_refused(stack: Stack, client: Client) -> None:
    (entry,) = (e for e in client.entries(q="Star Chart", provider="Plate Catalogue") if e.key.startswith("login:"))
    assert {flag.rule for flag in entry.flags} == {"outsider-without-end", "outsider-without-basis"}
    with psycopg.connect(stack.catalogue_url("star_chart")) as theirs:
        theirs.execute("select count(*) from plates")
    (member,) = (e for e in client.entries(q="Star Chart", kind="delegate") if e.level == "plate_readers")

    plan = client.plan(entry.ref)
    assert {"goes-with-it", "sessions-closed"} <= {c.kind for c in plan.consequences}
    order = settle(client, client.end(entry.ref, reason="Never used", digest=plan.digest).ref)

    assert (order.state, all(step.at for step in order.steps)) == ("proved", True)
    assert [step.call for step in order.steps] == ["end", "end", "read", "receipt"], "and the session that is open"
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


def test_two_people_ending_the_same_entry_at_once_give_one_order(
    stack: Stack, client: Client, spare: Spare, desk: Desk
) -> None:
    entry = spare()
    # Held, so that the order is still in progress however late the last of the eight comes.
    with sign_in(stack, "tobias.quill") as other, ThreadPoolExecutor(8) as pool, desk.fault(hold=True):
        given = list(pool.map(lambda n: (client, other)[n % 2].end(entry.ref), range(8)))
    assert len({order.ref for order in given}) == 1
    assert [order.already for order in given].count(False) == 1
    assert settle(client, given[0].ref).state == "proved"
    assert desk.effects(entry) == 1


def test_a_mailbox_at_a_real_server_is_taken_back_and_given_again(client: Client) -> None:
    mailbox = next(client.entries(provider="Front Office Mail", kind="delegate", q="dov"))
    assert settle(client, client.end(mailbox.ref).ref).state == "proved"
    assert settle(client, client.command(mailbox.ref, "give-back").ref).state == "proved"
    assert [(e.level, e.state) for e in client.entries(q="dov", account=mailbox.account.name)] == [
        (mailbox.level, "live")
    ]


@pytest.mark.parametrize(("provider", "who"), REAL)
def test_an_end_is_carried_out_and_proved_at_a_real_server(client: Client, provider: str, who: str) -> None:
    entry = next(e for e in client.entries(provider=provider, q=who) if e.party.kind != "team")
    order = settle(client, client.end(entry.ref).ref)
    assert (order.state, client.entry(entry.ref).end_reason) == ("proved", "revoked")
    assert order.receipt is not None
    assert entry.key in order.receipt.showed
    reading = read(client, provider)
    assert (reading.state, reading.counts["gone"]) == ("complete", 0)
