"""Every route for every role, with real things in its address: whom the table lets in, and nobody else."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import httpx
import pytest

from openlatch.client import Client
from openlatch.core.model import Workspace
from openlatch.core.people.roles import OPERATIONS
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.operations.call import as_service
from openlatch.operations.people import people
from openlatch.web.api import Route
from openlatch.wire.base import Page
from openlatch.words import Role, Scope
from tests.harness.acts import problem
from tests.harness.furniture import PLATES, Furniture
from tests.harness.ridge import Ridge
from tests.harness.routes import ROUTES, operations_of, roles_of
from tests.harness.samples import least

SOMEBODY = {
    Role.OWNER: "maren.ashdown",
    Role.MANAGER: "tobias.quill",
    Role.REVIEWER: "ines.okoro",
    Role.AUDITOR: "ruth.calder",
    Role.MEMBER: "orla.finch",
}
SIGNED_IN = [route for route in ROUTES if not route.public]
GATED = [route for route in SIGNED_IN if operations_of(route)]
UNGATED = {("DELETE", "/session")}
"""One's own sign-out asks for no right but the session itself."""
NAMING = [route for route in GATED if "<" in route.rule]
"""Those that name something of a workspace."""
named = pytest.mark.parametrize("route", GATED, ids=lambda route: f"{route.method} {route.rule}")


OTHER: dict[str, dict[str, Any]] = {"/policy/edit": {"changes": [{"do": "limit", "name": "unused", "value": "60d"}]}}
"""What a route takes under a name that means something else everywhere else."""


@dataclass
class Doors:
    """Everyone's sign-in, and what is sent to each route."""

    ridge: Ridge
    things: Furniture
    web: dict[str, httpx.Client]

    def knock(self, who: str, route: Route) -> httpx.Response:
        """Send the least that a route takes, as someone."""
        names = self.things.as_mapping() | {"one": self.things.round}
        names |= {
            "token_id": self.things.token,
            "reading_id": self.things.reading,
            "view_id": self.things.view,
            "session_id": self.things.token,
            "factor_id": self.things.token,
            "event_id": self.things.token,
        }
        path = re.sub(r"<(?:\w+:)?(\w+)>", lambda found: names.get(found[1], "0"), route.rule)
        more: dict[str, Any] = {}
        if route.body is not None:
            more["json"] = least(route.body, self._known() | OTHER.get(route.rule, {}))
        if route.query is not None and route.query.model_json_schema().get("required"):
            more["params"] = least(route.query, {"power": "edit", "account": "Bookings"})
        if route.takes:
            more |= {"content": b"Account,Who\nDisplay,Orla\n", "headers": {"Content-Type": route.takes[0]}}
        return self.web[who].request(route.method, path, **more)

    def _known(self) -> dict[str, Any]:
        known = {name: value for name, value in self.things.as_mapping().items() if name not in ("order", "round")}
        part = {"account": PLATES, "level": "plate reader"}
        return known | {
            "parts": [part],
            "to": f"bram.finch@{DOMAIN}",
            "places": [1],
            "text": "x",
            "digest": "0" * 64,
            "url": "https://bell.example/x",
            "password": PASSWORD,
            "changes": [{"do": "lock", "account": PLATES, "locked": True}],
            "level": "x",
            "until": "2030-05-10",
            "address": f"new@{DOMAIN}",
            "owner": f"tobias.quill@{DOMAIN}",
        }

    def happened(self) -> int:
        """How many events the log has, sealed or not."""
        with self.ridge.call() as call:
            head = call.tx.events.head()
            return head.size + head.unsealed


@pytest.fixture(scope="module")
def doors(furnished: Ridge, things: Furniture) -> Iterator[Doors]:
    signed_in: dict[str, Client] = {str(role): furnished.client(who) for role, who in SOMEBODY.items()}
    signed_in["reader"] = furnished.client(scope="read")
    slug, address = "plate-society", "edda@platesociety.example"
    with furnished.store.found(Workspace(furnished.services.new_id(), slug, "Plates"), furnished.clock()) as tx:
        people.add_first(as_service(tx, furnished.services), "Edda Brook", address, Role.OWNER, PASSWORD)
    signed_in["neighbour"] = furnished.client(address, workspace=slug)
    web = {who: furnished.http(client) for who, client in signed_in.items()} | {"nobody": furnished.http()}
    yield Doors(furnished, things, web)
    for value in (*web.values(), *signed_in.values()):
        value.close()


def test_every_route_reaches_an_operation_that_the_table_knows() -> None:
    assert {(route.method, route.rule) for route in SIGNED_IN if not operations_of(route)} == UNGATED


def test_every_operation_is_reached_by_a_route() -> None:
    assert set().union(*(operations_of(route) for route in ROUTES)) == set(OPERATIONS)


@pytest.mark.parametrize("role", list(Role))
def test_everybody_is_told_what_they_may_do(furnished: Ridge, role: Role) -> None:
    with furnished.client(SOMEBODY[role]) as someone:
        assert set(someone.me().may) == {name for name, permission in OPERATIONS.items() if role in permission.roles}
    with furnished.client(SOMEBODY[role], scope="read") as reader:
        reads = {
            name
            for name, each_permission in OPERATIONS.items()
            if role in each_permission.roles and each_permission.scope is Scope.READ
        }
        assert set(reader.me().may) == reads


@named
def test_whom_the_table_does_not_let_in_is_refused_by_name_and_changes_nothing(doors: Doors, route: Route) -> None:
    before = doors.happened()
    for role in set(Role) - roles_of(route):
        document = problem(doors.knock(str(role), route))
        assert (document["status"], document["code"], document["facts"].get("role")) == (
            403,
            "not-allowed",
            str(role),
        ), document
        assert document["facts"]["operation"] in operations_of(route)
    assert problem(doors.knock("nobody", route))["status"] == 401
    if all(OPERATIONS[name].scope is Scope.CHANGE for name in operations_of(route)):
        document = problem(doors.knock("reader", route))
        assert (document["status"], "may only read" in document["detail"]) == (403, True), document
    assert doors.happened() == before


@pytest.mark.parametrize("route", NAMING, ids=lambda route: f"{route.method} {route.rule}")
def test_nothing_of_a_workspace_is_there_for_the_owner_of_another(doors: Doors, route: Route) -> None:
    answer = doors.knock("neighbour", route)
    assert answer.status_code in (404, 409, 422), answer.text
    assert "Kestrel" not in answer.text


@named
def test_whom_the_table_lets_in_is_not_stopped_by_it_and_nothing_breaks(doors: Doors, route: Route) -> None:
    for role in sorted(roles_of(route), reverse=True):
        answer = doors.knock(str(role), route)
        assert answer.status_code < 500, answer.text
        if answer.is_error:
            document = problem(answer)
            by_table = "role" in document["facts"]
            assert not by_table or role not in OPERATIONS[document["facts"]["operation"]].roles, document
            assert document["status"] != 401 or route.rule == "/session/switch", (
                "there is no second session to switch to"
            )


WHOLE = {
    "/me/offers": "of one person",
    "/me/requests": "of one person",
    "/me/sessions": "of one person",
    "/people": "asked one by one",
    "/policy/catalogue": "comes with the product",
    "/policy/history": "written one by one",
    "/providers": "set up one by one",
    "/providers/<provider>/levels": "of one provider",
    "/providers/<provider>/versions": "changed one by one",
    "/reviews": "written one by one",
    "/rules": "come with the product",
    "/tokens": "made one by one",
    "/views": "kept one by one",
}
"""The lists that are answered whole, and why none of them grows with what is read from providers."""


def test_no_list_that_grows_with_the_inventory_is_answered_whole() -> None:
    lists = [route for route in ROUTES if route.method == "GET" and route.returns and issubclass(route.returns, Page)]
    bounded = {route.rule for route in lists if route.query is not None and "limit" in route.query.model_fields}
    assert {route.rule for route in lists} - bounded == set(WHOLE)
