"""The tour: every step of the loop on the demo's data, each saying what it did and what it saw."""

from __future__ import annotations

import time
from collections.abc import Callable

import psycopg

from openlatch.client import Client
from openlatch.demo import catalogue
from openlatch.errors import OpenLatchError
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire

__all__ = ["play"]

Say = Callable[[str], None]
Verify = Callable[[Client], tuple[int, str]]


def play(stack: Stack, client: Client, say: Say, verify: Verify) -> None:
    """Play the loop; raises OpenLatchError at the first step that does not see what it has to see."""
    say("\n1  Read: who has access?")
    for provider in (provider for provider in client.providers() if not provider.by_hand):
        last = list(client.follow_reading(client.read(str(provider.id)).id))[-1]
        _expect(last.state == "complete", f"{provider.name} was read only {last.state}: {last.trouble}")
        say(f"   {provider.name}: {last.seen} entries, {last.state}")
    summary = client.summary()
    say(f"   {summary.entries} entries of {summary.parties} parties on {summary.accounts} accounts")

    say("\n2  Flag: what is stale or risky?")
    for flag in client.flags(severity="high"):
        say(f"   {flag.severity:<8} {flag.about.name}: {flag.reason}")
    entry = _contractor(client)
    _expect(bool(entry.flags), f"{entry.party.name} on {entry.account.name} is not flagged")

    say(f"\n3  Before: {entry.party.name} can sign in to the real database with the login {entry.key.split(':')[1]}")
    with psycopg.connect(stack.catalogue_url(catalogue.CONTRACTOR)) as theirs:
        row = theirs.execute("select count(*) from plates").fetchone()
    say(f"   signed in, and counted {row[0] if row else 0} plates")

    say("\n4  Take back: what would happen?")
    plan = client.plan(entry.ref)
    for consequence in plan.consequences:
        say(f"   {consequence.severity:<8} {consequence.text}")
    order = client.end(entry.ref, reason="The work at the gate ended in spring", digest=plan.digest)
    say(f"   ordered: {order.ref}")
    for step in client.follow(order.ref):
        say(f"   {step.state}{': ' + step.why if step.why else ''}")
    order = client.order(order.ref)
    _expect(order.state == "proved", f"order {order.ref} is {order.state}: {order.why}")

    say("\n5  Prove: is it really refused?")
    if order.receipt is not None:
        say(f"   receipt: {order.receipt.showed}")
    say(f"   the database says: {_refusal(stack)}")
    after = client.entry(entry.ref)
    _expect(after.state == "ended" and not after.flags, f"the entry is {after.state} with {len(after.flags)} flags")
    say(f"   the entry has ended ({after.end_reason}), and its flags are gone")

    say("\n6  Keep: does the log hold?")
    size, link = verify(client)
    say(f"   {size} events, each fits the one before; last link {link[:16]}…")
    say("\nThe loop is closed: read, flagged, taken back, and proved.")


def _contractor(client: Client) -> wire.Entry:
    entries = [e for e in client.entries(q="Brightmere", provider="Plate Catalogue") if e.key.startswith("login:")]
    _expect(len(entries) == 1, "the contractor's login is not in the inventory")
    return entries[0]


def _refusal(stack: Stack) -> str:
    """What the real server says to the login whose access was taken back; it must be a refusal."""
    for _ in range(20):
        try:
            psycopg.connect(stack.catalogue_url(catalogue.CONTRACTOR)).close()
        except psycopg.OperationalError as error:
            message = str(error).strip().splitlines()[-1]
            if "not permitted to log in" in message:
                return message.rpartition("FATAL:")[2].strip()
            time.sleep(0.2)
            continue
        break
    raise OpenLatchError("The access was taken back, and the database still lets it in.", next_step="This is a defect.")


def _expect(holds: bool, otherwise: str) -> None:
    if not holds:
        raise OpenLatchError(f"The tour stops: {otherwise}.", next_step="This is a defect; please report it.")
