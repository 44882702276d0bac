"""An import is taken in part by part: a worker that dies leaves the next to go on, and a failure says how far it is."""

from __future__ import annotations

import pytest

from openlatch.client import Client
from openlatch.errors import Conflict
from openlatch.jobs import tasks
from openlatch.operations.inventory import by_hand, imports
from tests.harness.ridge import Ridge

LIST = "Account,Who\n" + "\n".join(f"Board {n},Helper {n}" for n in range(7))


@pytest.fixture
def board(ridge: Ridge, client: Client, request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> str:
    monkeypatch.setattr(imports, "PART", 3)
    return client.add_provider(f"Board of {request.node.name}"[:60], "by-hand", {}).name


def test_a_worker_that_dies_leaves_the_next_one_to_go_on(ridge: Ridge, client: Client, board: str) -> None:
    made = client.start_import(board, LIST.encode(), name="helpers.csv").made
    assert made is not None
    with ridge.call() as call:
        assert imports.go_on(call, made.id), "the first part is in, and there the worker dies"
    seen = client.list_import(made.ref)
    assert (seen.state, seen.done, seen.total, len(list(client.entries(provider=board)))) == ("running", 3, 7, 3)
    for _ in range(2):  # a job may be run again after it was over
        tasks.TASKS[imports.TASK](ridge.store, ridge.services, workspace_id=_workspace(ridge), import_id=str(made.id))
    over = client.list_import(made.ref)
    assert (over.state, over.done, over.counts["new"]) == ("done", 7, 7)
    assert len(list(client.entries(provider=board))) == 7


def test_what_cannot_go_on_says_why_and_how_far_it_is(
    ridge: Ridge, client: Client, board: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = client.start_import(board, LIST.encode()).made
    assert made is not None
    take, calls = by_hand.take, []

    def once(*args: object, **more: object) -> object:
        calls.append(args)
        if len(calls) > 1:
            raise Conflict("Two accounts have that name now.", next_step="Write the key.")
        return take(*args, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(by_hand, "take", once)
    tasks.TASKS[imports.TASK](ridge.store, ridge.services, workspace_id=_workspace(ridge), import_id=str(made.id))
    over = client.list_import(made.ref)
    assert (over.state, over.done) == ("failed", 3)
    assert over.trouble == (
        "Two accounts have that name now. 3 of 7 lines were taken in and stay; the list can be imported again."
    )


def _workspace(ridge: Ridge) -> str:
    with ridge.call() as call:
        return str(call.tx.workspace.id)
