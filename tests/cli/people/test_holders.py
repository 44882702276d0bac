"""Someone who acts for several holders, on the command line."""

from __future__ import annotations

from uuid import uuid4

import pytest

from openlatch.client import Client
from openlatch.core.model import Circle, Workspace
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.seed import SLUG
from openlatch.operations.call import Actor, as_service
from openlatch.operations.letting_in import requests
from openlatch.operations.people import people
from openlatch.wire.letting_in.requests import RequestWish
from openlatch.words import Power, Role, Scope
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal

MAREN = f"maren.ashdown@{DOMAIN}"


@pytest.fixture
def society(ridge: Ridge) -> str:
    """Another holder, for whom Maren acts as well; someone has asked for something there."""
    slug = f"plate-society-{uuid4().hex[:8]}"
    workspace = Workspace(uuid4(), slug, "Ridge Plate Society", "Europe/London", Circle(frozenset({DOMAIN})))
    with ridge.store.found(workspace, ridge.services.clock()) as tx:
        call = as_service(tx, ridge.services)
        people.add_first(call, "Maren Ashdown", MAREN, Role.MANAGER, PASSWORD)
        pell = people.add_first(call, "Pell Varga", f"pell.varga@{DOMAIN}", Role.MEMBER, PASSWORD)
        as_pell = type(call)(tx, call.services, Actor(pell.name, pell, Scope.CHANGE, call.now), call.now)
        requests.ask(as_pell, RequestWish(account="Plate swaps", needs=[Power.VIEW], reason="To swap plates"))
    return slug


def test_on_the_command_line_one_acts_in_one_name_at_a_time(run: Terminal, ridge: Ridge, society: str) -> None:
    run("sign-in", ridge.url, "--workspace", society, "--address", MAREN, "--password", PASSWORD)
    assert "Ridge Plate Society" in run("me", "show")
    both = run("profile", "list")
    assert both.index("Ridge Plate Society") < both.index("Kestrel Ridge Observatory")
    run("profile", "use", SLUG)
    both = run("profile", "list")
    assert both.index("Kestrel Ridge") < both.index("Ridge Plate Society")
    assert "Ridge Plate Society" in run("--profile", society, "me", "show")
    assert "Kestrel Ridge Observatory" in run("me", "show")
    assert "There is no profile" in run("profile", "use", "nowhere", exits=3)
    assert "There is no profile" in run("--profile", "nowhere", "me", "show", exits=3)
    run("sign-out")
    assert "Ridge Plate Society" in run("me", "show")
    run("sign-in", ridge.url, "--workspace", SLUG, "--address", MAREN, "--password", PASSWORD)
    theirs, mine = Client.sign_in(
        ridge.url, workspace=society, address=MAREN, password=PASSWORD, transport=ridge.transport
    )
    with theirs:
        for token in theirs.tokens():
            if token.id != mine.id:
                theirs.revoke_token(token.id)
    without = run("profile", "list", exits=3)
    assert "Kestrel Ridge Observatory" in without
    assert f"--workspace {society}" in without


def test_a_session_of_one_holder_reaches_nothing_of_another(ridge: Ridge, client: Client, society: str) -> None:
    theirs, _ = Client.sign_in(
        ridge.url, workspace=society, address=MAREN, password=PASSWORD, transport=ridge.transport
    )
    with theirs:
        assert [request.account for request in theirs.requests()] == ["Plate swaps"]
        assert theirs.waiting().requests == 1
        assert "Plate swaps" not in [request.account for request in client.requests()]
