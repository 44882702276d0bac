"""The first workspace of a service is founded once, by whoever has the code that the service printed."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from dataclasses import replace

import pytest

from openlatch.errors import Conflict, Invalid, OpenLatchError, TooManyRequests
from openlatch.operations.people.founding import Founding, found, found_first, new_code
from openlatch.operations.people.sign_ins import MOST_ASKED
from tests.conftest import Databases
from tests.harness import demo
from tests.harness.ridge import Ridge

CODE = "h7k2w-9trmb-4xwdc"
WISH = Founding(
    workspace="hill-farm",
    name="Hill Farm",
    zone="Europe/London",
    circle=("Hillfarm.example", " "),
    owner="Edda Brook",
    address="edda@hillfarm.example",
    password="lantern orchard seven plates",
)
BODY = {
    **{"workspace": "hill-farm", "name": "Hill Farm", "zone": "Europe/London", "circle": ["hillfarm.example"]},
    **{"owner": "Edda Brook", "address": "edda@hillfarm.example", "password": WISH.password},
}


@pytest.fixture
def empty(databases: Databases) -> Iterator[Ridge]:
    with demo.blank(databases, founding=CODE) as made:
        yield made


def test_whoever_has_the_code_founds_the_first_workspace_and_nobody_a_second(empty: Ridge) -> None:
    for wrong in ("h7k2w-9trmb-4xwdd", "", "h7k2w"):
        with pytest.raises(Invalid, match="not the code"):
            found_first(empty.store, empty.services, WISH, wrong, "192.0.2.1")
    with pytest.raises(Invalid, match="could be guessed"):
        found_first(empty.store, empty.services, replace(WISH, password="password1234"), CODE, "192.0.2.1")
    assert empty.store.workspaces() == ()
    taken = found_first(empty.store, empty.services, WISH, " H7K2W 9trmb4xwdc ", "192.0.2.1")
    assert (taken.workspace.slug, taken.person.role, taken.workspace.circle.domains) == (
        "hill-farm",
        "owner",
        frozenset({"hillfarm.example"}),
    )
    for wish in (WISH, replace(WISH, workspace="other-farm")):
        with pytest.raises(Conflict, match="founded here already"):
            found_first(empty.store, empty.services, wish, CODE, "192.0.2.1")
    # Whoever runs the service may found more, from its command line, under other short names.
    with pytest.raises(Conflict, match="“hill-farm” already"):
        found(empty.store, empty.services, WISH)
    found(empty.store, empty.services, replace(WISH, workspace="other-farm"))
    with empty.call("hill-farm") as call:
        acts = [event.content["act"] for event in call.tx.events.browse(oldest_first=True, limit=9, cursor=None).items]
    assert acts[:2] == ["person.added", "workspace.founded"]


def test_a_service_that_printed_no_code_is_founded_by_no_code(empty: Ridge) -> None:
    silent = replace(empty.services, founding="")
    for code in ("", "-", CODE):
        with pytest.raises(Invalid):
            found_first(empty.store, silent, WISH, code, "192.0.2.1")


def test_of_two_at_the_same_moment_one_founds_it(empty: Ridge) -> None:
    begin, said = threading.Barrier(2), []

    def go(workspace: str) -> None:
        begin.wait()
        try:
            wish = replace(WISH, workspace=workspace)
            said.append(found_first(empty.store, empty.services, wish, CODE, "192.0.2.1").workspace.slug)
        except OpenLatchError as error:
            said.append(type(error))

    both = [threading.Thread(target=go, args=(name,)) for name in ("one-farm", "two-farm")]
    for each in both:
        each.start()
    for each in both:
        each.join()
    assert Conflict in said
    assert len(empty.store.workspaces()) == 1
    assert {workspace.slug for workspace in empty.store.workspaces()} <= set(said)


def test_a_code_is_not_tried_as_often_as_one_likes(empty: Ridge) -> None:
    for _ in range(MOST_ASKED):
        with pytest.raises(Invalid):
            found_first(empty.store, empty.services, WISH, "wrong", "192.0.2.1")
    with pytest.raises(TooManyRequests):
        found_first(empty.store, empty.services, WISH, CODE, "192.0.2.1")


def test_over_the_web_it_is_told_beforehand_and_whoever_founds_it_is_signed_in(empty: Ridge) -> None:
    web = empty.http()
    assert web.get("/session/hint").json() == {"workspace": None, "name": None, "founded": False}
    refused = web.post("/session/founding", json={**BODY, "code": "wrong"})
    assert (refused.status_code, refused.json()["errors"][0]["at"]) == (422, "code")
    mistaken = web.post("/session/founding", json={**BODY, "code": CODE, "zone": "Europe/Lundon", "circle": ["farm"]})
    assert {one["at"] for one in mistaken.json()["errors"]} == {"zone", "circle"}
    made = web.post("/session/founding", json={**BODY, "code": CODE})
    assert (made.status_code, made.json()["person"]["role"]) == (201, "owner")
    assert web.get("/me").json()["workspace"]["slug"] == "hill-farm"
    assert web.get("/session/hint").json()["founded"]
    assert empty.client(BODY["address"], workspace="hill-farm", password=WISH.password).summary().entries == 0


def test_no_code_is_like_another() -> None:
    codes = {new_code() for _ in range(20)}
    assert len(codes) == 20
    assert all(len(code) == 17 and not set(code) & set("01ilo") for code in codes)
