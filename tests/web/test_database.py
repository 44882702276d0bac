"""What is answered while something is wrong with the database: what it is, and never that Open Latch failed."""

from __future__ import annotations

from collections.abc import Callable

import psycopg
import pytest
from sqlalchemy.exc import OperationalError

from openlatch.operations.reviews import plans
from tests.harness.ridge import Ridge

WRONG = {
    psycopg.errors.DiskFull: "The disk of the database is full.",
    psycopg.errors.OutOfMemory: "The database has no memory left.",
    psycopg.errors.TooManyConnections: "The database takes no more connections.",
    psycopg.errors.AdminShutdown: "The database does not answer.",
    psycopg.OperationalError: "The database does not answer.",
}


def at_once(wrong: OperationalError) -> None:
    raise wrong


def behind_another(wrong: OperationalError) -> None:
    try:
        raise wrong
    except OperationalError as error:
        raise RuntimeError("what was being written is not there") from error


def while_tidying(wrong: OperationalError) -> None:
    try:
        raise wrong
    finally:
        raise LookupError("what was being written is not there")


@pytest.mark.parametrize("failing", [at_once, behind_another, while_tidying])
@pytest.mark.parametrize("kind", WRONG, ids=lambda kind: kind.__name__)
def test_it_is_said_what_the_database_is_short_of(
    furnished: Ridge,
    monkeypatch: pytest.MonkeyPatch,
    kind: type[psycopg.OperationalError],
    failing: Callable[[OperationalError], None],
) -> None:
    with furnished.client() as maren, furnished.http(maren) as http:
        monkeypatch.setattr(plans, "browse", lambda _: failing(OperationalError("select", {}, kind("so it is"))))
        answer = http.get("/reviews")
    assert answer.status_code == 503
    assert answer.json()["detail"] == f"{WRONG[kind]} Nothing was changed."
    assert ("make room" in answer.json()["next"]) == (WRONG[kind] != "The database does not answer.")
