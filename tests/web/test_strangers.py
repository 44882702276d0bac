"""Whoever has not signed in learns nothing of which workspaces there are, neither at first nor once it is too often."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from uuid import UUID

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from openlatch.demo.seed import SLUG
from openlatch.operations.people.sign_ins import MOST_ASKED, MOST_ATTEMPTS, WINDOW
from tests.harness.ridge import Ridge

ASKED: Mapping[str, tuple[str, Mapping[str, Any], int]] = {
    "a sign-in": ("/session", {"address": "nobody@nowhere.example", "password": "not the right one"}, MOST_ATTEMPTS),
    "a token": ("/tokens", {"address": "none@nowhere.example", "password": "not the right one"}, MOST_ATTEMPTS),
    "another password": ("/session/forgotten", {"address": "nobody@nowhere.example"}, MOST_ASKED),
    "a passkey": ("/session/passkey/asked", {}, MOST_ASKED),
    "a single sign-on": ("/session/sign-on/asked", {"sign_on": str(UUID(int=7))}, MOST_ASKED),
    "access": (
        "/asking",
        {
            "address": "nobody@nowhere.example",
            "name": "Nobody",
            "account": "Gate",
            "needs": ["view"],
            "reason": "To see",
        },
        MOST_ASKED,
    ),
}


TWICE = "Two of one name"


@pytest.fixture(scope="module")
def twins(ridge: Ridge) -> Ridge:
    """With two accounts of one name, which is not for strangers to know."""
    with ridge.client() as owner:
        for board in ("East board", "West board"):
            owner.add_provider(board, "by-hand", {})
            owner.keep(board, account=TWICE, party="Joss Brook", powers=["view"])
    return ridge


def said(ridge: Ridge, workspace: str, what: str) -> list[tuple[int, str, str]]:
    """What a stranger is answered who asks once more than is let through: status, shape, and how long to wait."""
    path, body, most = ASKED[what]
    browser = ridge.http()
    answers = [browser.post(path, json={"workspace": workspace, **body}) for _ in range(most + 1)]
    return [(a.status_code, _shape(a.json() if a.content else None), a.headers.get("Retry-After", "")) for a in answers]


def _shape(document: Any) -> str:
    """What an answer says, but for what is made anew for each."""
    if isinstance(document, dict) and "detail" not in document:
        return repr(sorted(document))
    return repr(document).replace(SLUG, "…").replace("no-such-place", "…")


@pytest.mark.parametrize("what", sorted(ASKED))
def test_a_workspace_that_is_not_here_answers_as_one_that_is(ridge: Ridge, what: str) -> None:
    ridge.clock.go_on(seconds=WINDOW.total_seconds() + 1)
    here = said(ridge, SLUG, what)
    ridge.clock.go_on(seconds=1)
    nowhere = said(ridge, "no-such-place", what)
    assert here == nowhere
    assert here[-1][0] == 429, "once more than is let through"
    assert {status for status, _, _ in here[:-1]} != {429}
    ridge.clock.go_on(seconds=WINDOW.total_seconds() + 1)
    assert said(ridge, "no-such-place", what)[0] == nowhere[0], "and after a while it is let through again"


@settings(max_examples=40)
@given(
    address=st.sampled_from(["nobody@nowhere.example", "nobody", "no body@nowhere.example", "", "a@b"]),
    account=st.sampled_from(["Gate", TWICE, "Nowhere at all", "   ", "x" * 400]),
    until=st.sampled_from([None, "2019-01-01", "2030-01-01", "someday"]),
    needs=st.sampled_from([[], ["view"], ["fly"]]),
    level=st.sampled_from(["", "guide"]),
)
def test_whatever_is_asked_for_is_answered_alike(twins: Ridge, **asked: Any) -> None:
    twins.clock.go_on(minutes=16)
    body = {"name": "Nobody", "reason": "To see", **asked}
    answers = [twins.http().post("/asking", json={"workspace": place, **body}) for place in (SLUG, "no-such-place")]
    here, nowhere = [(a.status_code, _shape(a.json())) for a in answers]
    assert here == nowhere
