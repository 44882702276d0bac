"""What is kept beside a request: it holds nobody up, and is kept once a minute; what is staged is counted first."""

from __future__ import annotations

from dataclasses import replace
from typing import Any
from uuid import UUID

from sqlalchemy import event

from openlatch.client import Client
from openlatch.core.model import Party
from openlatch.operations.credentials import Bearer
from openlatch.operations.people import sign_ins
from openlatch.store.bulk import MANY
from openlatch.wire import messages as wire
from openlatch.words import PartyKind
from tests.harness.ridge import Ridge


def of(client: Client) -> tuple[Bearer, UUID]:
    """What a client proves who it is with, and the token's id."""
    bearer = Bearer.parse(str(client._http.headers["Authorization"]).removeprefix("Bearer "))
    assert bearer is not None
    return bearer, bearer.id


def token(client: Client) -> wire.Token:
    return next(each_token for each_token in client.tokens() if each_token.id == of(client)[1])


def test_a_long_request_does_not_hold_up_the_next_of_the_same_token(ridge: Ridge, client: Client) -> None:
    bearer, _ = of(client)
    ridge.clock.go_on(minutes=2)
    client.me()
    before = token(client).last_used_at
    assert before is not None
    ridge.clock.go_on(minutes=2)
    with ridge.call() as long:
        # As a request does that is still in progress: it knows who is asking, and does not end. The next one does.
        assert sign_ins.by_token(long, bearer).person is not None
        client.me()
        used = token(client).last_used_at
    assert used is not None
    assert used > before
    ridge.clock.go_on(seconds=20)
    client.me()
    assert token(client).last_used_at == used, "once a minute"


def test_a_token_that_is_none_is_noted_nowhere(ridge: Ridge, client: Client) -> None:
    bearer, _ = of(client)
    other = Bearer.new(bearer.workspace_id, bearer.id)
    client.me()
    before = token(client).last_used_at
    with ridge.call() as call:
        sign_ins.note_use(call, other, "", session=False)
    assert token(client).last_used_at == before


def test_many_rows_are_counted_before_they_are_joined_with_and_few_are_not(ridge: Ridge) -> None:
    said: list[str] = []

    def hear(*given: Any) -> None:
        said.append(given[2])

    event.listen(ridge.store._engine, "before_cursor_execute", hear)
    with ridge.call() as call:
        for count in (MANY, MANY + 1):
            parties = [Party(call.services.new_id(), PartyKind.PERSON, f"{n} of {count}") for n in range(count)]
            call.tx.parties.add(parties, [])
            said.clear()
            call.tx.parties.save_all(replace(each, version=each.version + 1) for each in parties)
            staged = [statement for statement in said if "staged" in statement]
            assert any(statement.startswith("analyze") for statement in staged) == (count > MANY)
    event.remove(ridge.store._engine, "before_cursor_execute", hear)
