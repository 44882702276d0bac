"""Batches on the command line: the numbers that a list shows are the numbers that commands take."""

from __future__ import annotations

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.wire import messages as wire
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal


def leaving(ridge: Ridge, client: Client) -> wire.Batch:
    """Someone who goes, with several things that only people can do."""
    for entry in client.entries(kind="delegate", state="live", sort="party"):
        if entry.party.kind != "person":
            continue
        plan = client.plan_leaver(entry.party.ref)
        if sum(item.action == "ask" for item in plan.items) > 1:
            made = client.leave(plan.party.ref, count=len(plan.items), who="Tobias Quill")
            ridge.drain()
            return client.batch(made.ref)
    raise LookupError("nobody with two things for people to do")


def came_to(batch: wire.Batch) -> dict[int, str]:
    return {item.place: item.outcome for item in batch.items}


def test_what_is_done_or_left_open_is_the_thing_of_that_number_and_no_other(
    ridge: Ridge, client: Client, run: Terminal
) -> None:
    batch = leaving(ridge, client)
    before = came_to(batch)
    done, left = [item.place for item in batch.items if item.outcome == "to do"][-2:]
    lines = {line.split()[0]: line for line in run("batch", "show", batch.ref).splitlines() if line.split()[:1]}
    assert "to do" in lines[str(done)]
    run("batch", "done", batch.ref, str(done))
    after = came_to(client.batch(batch.ref))
    assert {place for place in before if before[place] != after[place]} == {done}
    run("batch", "leave-open", batch.ref, str(left), "--reason", "Until May", "--owner", f"tobias.quill@{DOMAIN}")
    then = came_to(client.batch(batch.ref))
    assert {place for place in before if after[place] != then[place]} == {left}
    assert then[left] == "left open"
    assert "is left" in run("batch", "done", batch.ref, "0", exits=1)
    assert "is cancelled" in run("batch", "cancel", batch.ref, "--yes")
