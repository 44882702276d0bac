"""The API as a stranger meets it: what is refused and how, and its own description of itself."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterator
from contextlib import suppress
from datetime import timedelta
from pathlib import Path
from typing import Any
from uuid import UUID, uuid4

import httpx
import psycopg
import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis.errors import FlakyStrategyDefinition
from hypothesis.stateful import run_state_machine_as_test
from openapi_spec_validator import validate
from prometheus_client.parser import text_string_to_metric_families
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from openlatch.client import Client
from openlatch.core.model import Workspace
from openlatch.core.running.measures import MEASURES
from openlatch.core.running.state import NOBODY_WORKS
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.seed import SLUG
from openlatch.operations.call import as_service
from openlatch.operations.people import people
from openlatch.operations.providers import readings
from openlatch.web.app import description
from openlatch.wire import messages as wire
from openlatch.wire.base import NO_WORKER
from openlatch.words import Role
from tests.harness.acts import problem
from tests.harness.ridge import Ridge

FUZZ = int(os.environ.get("OPENLATCH_FUZZ", "1"))
"""So many requests are made up for each operation; `make nightly` tries more."""
CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]
Spare = Callable[[], wire.Entry]


@pytest.fixture
def http(ridge: Ridge) -> Iterator[httpx.Client]:
    with ridge.http() as bare:
        yield bare


def bearer(client: Client) -> dict[str, str]:
    # Whoever is called within the process unpacks nothing.
    return {"Authorization": str(client._http.headers["Authorization"]), "Accept-Encoding": "identity"}


@pytest.mark.parametrize(
    "header",
    [
        {},
        {"Authorization": "Bearer nonsense"},
        {"Authorization": "Basic YTpi"},
        {"Authorization": f"Bearer latch.{UUID(int=7).hex}.{UUID(int=8).hex}.secret"},
        {"Cookie": f"openlatch_session=latch.{UUID(int=7).hex}.{UUID(int=8).hex}.secret"},
    ],
)
def test_whoever_shows_nothing_that_is_known_is_not_signed_in(http: httpx.Client, header: dict[str, str]) -> None:
    for path in ("/entries", "/me", "/log"):
        answer = http.get(path, headers=header)
        assert (answer.status_code, problem(answer)["code"]) == (401, "not-signed-in")
        assert "Bearer" in answer.headers["WWW-Authenticate"]


def test_a_token_ends_when_it_is_revoked_or_its_time_is_over(ridge: Ridge, http: httpx.Client) -> None:
    with ridge.client() as ours:
        other, made = Client.sign_in(
            ridge.url,
            transport=ridge.transport,
            workspace=SLUG,
            address=f"ruth.calder@{DOMAIN}",
            password=PASSWORD,
            days=1,
        )
        with other:
            assert made.expires_at - made.created_at == timedelta(days=1)
            assert made.secret not in [str(t) for t in other.tokens()]
            ours.revoke_token(made.id)
            assert "was revoked" in problem(http.get("/me", headers=bearer(other)))["detail"]


def test_nothing_of_another_workspace_is_there(ridge: Ridge, http: httpx.Client, client: Client) -> None:
    store, services = ridge.store, ridge.services
    slug = f"elsewhere-{uuid4().hex[:8]}"
    with store.found(Workspace(services.new_id(), slug, "Elsewhere"), services.clock()) as tx:
        people.add_first(as_service(tx, services), "Someone", "someone@elsewhere.example", Role.OWNER, PASSWORD)
    theirs = ridge.client("someone@elsewhere.example", workspace=slug)
    with theirs:
        assert (list(theirs.entries()), theirs.providers(), list(theirs.parties())) == ([], [], [])
        entry = next(client.entries())
        ids = {
            "entries": entry.id,
            "parties": entry.party.id,
            "accounts": entry.account.id,
            "providers": entry.provider.id,
        }
        for noun, each_id in ids.items():
            assert problem(http.get(f"/{noun}/{each_id}", headers=bearer(theirs)))["status"] == 404
        assert problem(http.post("/orders", json={"entry": str(entry.id)}, headers=bearer(theirs)))["status"] == 404
        # One's own token with another workspace's name in it opens nothing.
        _, _, token, secret = bearer(theirs)["Authorization"].split(".")
        mixed = f"Bearer latch.{client.me().workspace.id.hex}.{token}.{secret}"
        assert problem(http.get("/me", headers={"Authorization": mixed}))["status"] == 401


@pytest.mark.parametrize(
    ("method", "path", "content", "status", "at"),
    [
        ("GET", "/entries?limit=0", None, 422, "limit"),
        ("GET", "/entries?limit=ten", None, 422, "limit"),
        ("GET", "/entries?colour=red", None, 422, "colour"),
        ("GET", "/entries?state=alive", None, 422, "state"),
        ("GET", "/entries?kind=delegate,ghost", None, 422, "kind"),
        ("GET", "/entries?q=a&q=b", None, 422, "q"),
        ("GET", "/entries?cursor=bm9uc2Vuc2U", None, 422, "cursor"),
        ("GET", "/entries?q=%00", None, 422, "q"),
        ("GET", "/me?x=1", None, 422, "x"),
        ("POST", "/orders", b"{", 400, None),
        ("POST", "/orders", b"[" * 100_000, 400, None),
        ("POST", "/orders", b"{}", 422, "entry"),
        ("POST", "/orders", b'{"entry": 7}', 422, "entry"),
        ("POST", "/orders", b'{"entry": "x", "reason": "a\\u0000b"}', 422, "reason"),
        ("POST", "/orders", b'{"entry": "x", "wish": 1}', 422, "wish"),
        ("GET", "/entries/no such entry", None, 404, None),
        ("GET", "/orders/7Q4K-BRM2", None, 404, None),
        ("GET", f"/readings/{UUID(int=9)}", None, 404, None),
        ("GET", "/flags/x", None, 404, None),
        ("GET", "/nothing", None, 404, None),
        ("DELETE", "/entries", None, 405, None),
    ],
)
def test_bad_input_gets_a_clear_problem_that_names_the_place(
    http: httpx.Client, client: Client, method: str, path: str, content: bytes | None, status: int, at: str | None
) -> None:
    headers = bearer(client) | ({"Content-Type": "application/json"} if content else {})
    answer = http.request(method, path, content=content, headers=headers)
    document = problem(answer)
    assert answer.status_code == status, document
    assert at is None or at in {error["at"] for error in document["errors"]}
    assert "was sent" not in document["detail"], "these are the words of whoever sends"


def test_a_request_without_json_is_refused(http: httpx.Client, client: Client) -> None:
    answer = http.post("/orders", data={"entry": "x"}, headers=bearer(client))
    assert "no JSON" in problem(answer)["detail"]


def test_an_order_sent_twice_with_one_key_is_one_order(http: httpx.Client, client: Client, spare: Spare) -> None:
    entry, other = spare(), spare()
    headers = bearer(client) | {"Idempotency-Key": str(uuid4())}
    first = http.post("/orders", json={"entry": entry.ref}, headers=headers)
    again = http.post("/orders", json={"entry": entry.ref}, headers=headers)
    assert (first.status_code, first.content) == (201, again.content)
    different = problem(http.post("/orders", json={"entry": other.ref}, headers=headers))
    assert (different["status"], client.entry(other.ref).state) == (409, "live")


def signed_in(http: httpx.Client) -> dict[str, Any]:
    body = {"workspace": SLUG, "address": f"maren.ashdown@{DOMAIN}", "password": PASSWORD}
    answer = http.post("/session", json=body)
    cookie = answer.headers["Set-Cookie"]
    assert all(word in cookie for word in ("HttpOnly", "SameSite=Strict", "Path=/"))
    me: dict[str, Any] = answer.json()
    return me


def test_a_page_of_another_site_cannot_change_anything_with_our_cookie(http: httpx.Client) -> None:
    me = signed_in(http)
    assert http.get("/me").json()["person"]["id"] == me["person"]["id"]
    for headers in ({}, {"X-Latch-CSRF": "0" * 64}):
        answer = problem(http.post("/providers/Ticket Desk/readings", headers=headers))
        assert (answer["status"], "X-Latch-CSRF" in answer["detail"]) == (403, True)
    assert http.post("/providers/Ticket Desk/readings", headers={"X-Latch-CSRF": me["csrf"]}).status_code in (200, 202)
    assert http.delete("/session", headers={"X-Latch-CSRF": me["csrf"]}).status_code == 204
    http.cookies.clear()
    assert http.get("/me").status_code == 401


def test_signing_out_ends_the_session_itself_not_only_the_cookie(http: httpx.Client) -> None:
    me = signed_in(http)
    kept = http.cookies["openlatch_session"]
    http.delete("/session", headers={"X-Latch-CSRF": me["csrf"]})
    assert http.get("/me", headers={"Cookie": f"openlatch_session={kept}"}).status_code == 401


def test_wrong_passwords_are_counted_and_tell_nothing_about_who_is_known(http: httpx.Client) -> None:
    def attempt(address: str, workspace: str = SLUG) -> dict[str, Any]:
        body = {"workspace": workspace, "address": address, "password": "comet-hunter"}
        return problem(http.post("/session", json=body))

    address = f"{uuid4().hex}@{DOMAIN}"
    refusals = [attempt(address) for _ in range(11)]
    assert [r["status"] for r in refusals] == [401] * 10 + [429]
    known, elsewhere = attempt(f"hanne.prior@{DOMAIN}"), attempt(address, "no-such-workspace")
    assert known["detail"] == refusals[0]["detail"] == elsewhere["detail"]
    assert "comet-hunter" not in str(refusals)


def test_health_readiness_and_metrics_are_there_for_whoever_runs_it(ridge: Ridge) -> None:
    web = httpx.Client(base_url=ridge.url, transport=ridge.transport)
    assert web.get("/healthz").text == "ok\n"
    assert web.get("/readyz").text == "ready\n"
    assert NO_WORKER not in web.get("/api/v1/openapi.json").headers
    metrics = web.get("/metrics").text
    assert 'openlatch_requests_total{route="GET /readyz",status="200"}' in metrics


def test_what_is_measured_is_counted_over_all_workspaces_and_each_measure_says_what_it_means(ridge: Ridge) -> None:
    web = httpx.Client(base_url=ridge.url, transport=httpx.WSGITransport(app=ridge.service.web()))
    found = {family.name: family for family in text_string_to_metric_families(web.get("/metrics").text)}
    for measure in MEASURES:
        assert found[measure.name].documentation == measure.says
        assert found[measure.name].samples or measure.label, measure.name
    drawn = set(re.findall(r"openlatch_\w+", (Path(__file__).parents[2] / "docs/reference/dashboard.json").read_text()))
    answered = {sample.name for family in found.values() for sample in family.samples} | {"openlatch_orders"}
    assert drawn <= answered
    (unsealed,) = (sample.value for sample in found["openlatch_events_waiting"].samples)
    waiting = 0
    for workspace in ridge.store.workspaces():
        with ridge.store.transaction(workspace.id) as tx:
            waiting += tx.events.head().unsealed
    assert unsealed == waiting > 0
    states = {sample.labels["state"]: sample.value for sample in found["openlatch_orders"].samples}
    assert not states.keys() & {"proved", "cancelled"}


def test_a_job_is_known_by_the_request_that_it_comes_of(ridge: Ridge) -> None:
    """By the id that a proxy gave it, or by one that is made; what is no id is not taken over."""
    with ridge.client() as ours:
        api = ridge.http(ours)
        for given, kept in (("proxy-7.a:1", "proxy-7.a:1"), ("x" * 65, ""), ("two words", ""), ("", "")):
            ridge.drain()
            answer = api.post("/providers/Plate%20Archive/readings", headers={"X-Request-Id": given})
            assert answer.status_code == 202
            told = answer.headers["X-Request-Id"]
            assert told == kept or (not kept and re.fullmatch("[0-9a-f]{16}", told))
            with psycopg.connect(ridge.service.settings.database_url) as queue:
                query = "select args->>'request' from procrastinate_jobs where task_name = %s order by id desc limit 1"
                assert queue.execute(query, [readings.TASK]).fetchone() == (told,)


def test_what_fails_since_the_schema_is_another_ones_is_no_error_of_ours(ridge: Ridge, monkeypatch: Any) -> None:
    app = ridge.service.web()
    web = httpx.Client(base_url=ridge.url, transport=httpx.WSGITransport(app=app))
    body = {"workspace": SLUG, "address": f"hanne.prior@{DOMAIN}", "password": PASSWORD}
    monkeypatch.setattr(ridge.service.store, "transaction", lambda _: 1 / 0)
    assert web.post("/api/v1/session", json=body).status_code == 500
    monkeypatch.setattr(ridge.service.store, "ready", lambda: "the database has the schema of a newer version")
    said = problem(web.post("/api/v1/session", json=body))
    assert said["status"] == 503
    assert "the schema of a newer version. Nothing was changed." in said["detail"]


def test_that_nobody_works_is_said_with_every_answer_and_to_whoever_waits(ridge: Ridge, monkeypatch: Any) -> None:
    monkeypatch.setattr(ridge.service.store, "workers", lambda: 0)
    app = ridge.service.web()
    web = httpx.Client(base_url=ridge.url, transport=httpx.WSGITransport(app=app))
    assert web.get("/readyz").text == f"ready. {NOBODY_WORKS}\n"
    assert web.get("/api/v1/openapi.json").headers[NO_WORKER] == NOBODY_WORKS
    assert NO_WORKER not in web.get("/healthz").headers


@schemathesis.serializer("application/secevent+jwt")
def a_token(_: Any, value: Any) -> bytes:
    """Whatever is made up in the place of a token."""
    return str(value).encode()


def test_the_description_is_valid_openapi_and_says_all_there_is(ridge: Ridge) -> None:
    served = ridge.http().get("/openapi.json").json()
    validate(served)
    assert served == description()


def test_whatever_is_sent_the_service_keeps_to_its_own_description(ridge: Ridge, client: Client) -> None:
    # No key of ours is in there to keep, and no provider is added: what is sent is made up from the description.
    schema = schemathesis.openapi.from_wsgi("/api/v1/openapi.json", ridge.app(), headers=bearer(client)).exclude(
        operation_id=["add_provider", "change_password", "make_token", "revoke_token", "sign_in", "sign_out"]
    )
    called = 0
    for get_all_operation in schema.get_all_operations():
        operation = get_all_operation.ok()

        @settings(max_examples=FUZZ, deadline=None, derandomize=FUZZ < 8, phases=[Phase.explicit, Phase.generate])
        @given(case=operation.as_strategy())
        def call(case: Any) -> None:
            case.call_and_validate(checks=CHECKS, headers=bearer(client))

        call()
        called += 1
    assert called > 15


def test_an_address_of_the_api_that_is_none_is_not_found_whatever_the_method(http: httpx.Client) -> None:
    for method, path in (("POST", "/batches/7Q4K-BRM2/items/first/done"), ("DELETE", "/nothing"), ("GET", "/nothing")):
        answer = http.request(method, path)
        assert (answer.status_code, problem(answer)["code"]) == (404, "not-found")
        assert path in problem(answer)["detail"]
    for method, path, allowed in (
        ("DELETE", "/entries", {"GET", "HEAD"}),
        ("PUT", "/session/founding", {"POST"}),
        ("PATCH", "/views", {"GET", "HEAD", "PUT"}),
    ):
        answer = http.request(method, path)
        assert answer.status_code == 405, "this one is there, for something else"
        assert set(answer.headers["Allow"].split(", ")) == allowed
        assert method in problem(answer)["detail"]


GOOD = {
    "POST /requests": {"account": "Gate", "needs": ["view"], "reason": "To open on Sundays"},
    "POST /webhooks": {"url": "https://hooks.example/latch"},
    "POST /proposals": {
        "proposal": 1,
        "title": "A lock",
        "changes": [{"do": "lock", "account": "Night-Sky Plates", "locked": True}],
    },
    "POST /people": {"name": "Keeva Lorne", "address": f"keeva.lorne@{DOMAIN}", "role": "auditor"},
}


def _linked(document: dict[str, Any], but: set[str]) -> set[str]:
    """The operations that make something that others are said to go on with, but for some, and these others."""
    linked: set[str] = set()
    for methods in document["paths"].values():
        for operation in (operation for operation in methods.values() if operation["operationId"] not in but):
            for answer in operation["responses"].values():
                for link in answer.get("links", {}).values():
                    linked |= {operation["operationId"], link["operationId"]}
    return linked


def test_what_was_made_is_gone_on_with_as_described(apart: Ridge) -> None:
    with apart.client() as owner:
        wanted = bearer(owner)
    # Only what makes something, and what is said to go on with that: all else is sent by the test above.
    schema = schemathesis.openapi.from_wsgi("/api/v1/openapi.json", apart.app(), headers=wanted).include(
        operation_id=sorted(_linked(description(), but={"add_provider", "make_token", "add_sign_on"}))
    )
    gone_on_with: set[str] = set()

    class Journey(schema.as_state_machine()):  # type: ignore[misc]
        def get_call_kwargs(self, case: Any) -> dict[str, Any]:
            return {"headers": wanted}

        def before_call(self, case: Any) -> None:
            # What is made up is hardly ever good enough for something to come of it, with which one could go on.
            case.body = GOOD.get(case.operation.label, case.body)

        def validate_response(self, response: Any, case: Any, **more: Any) -> None:
            if "{" in case.operation.label and response.status_code < 400:
                gone_on_with.add(case.operation.label)
            case.validate_response(response, checks=CHECKS)

    # Which of all that could be next is tried is left to chance: again by another, where nothing has come of it.
    for again in range(6):
        # What is there already is another thing each time, which the search may take for a flaw of its own.
        with suppress(FlakyStrategyDefinition):
            run_state_machine_as_test(
                Journey,
                settings=settings(
                    max_examples=FUZZ * 25,
                    stateful_step_count=6,
                    deadline=None,
                    derandomize=FUZZ < 8 and not again,
                    database=None,
                    phases=[Phase.generate],
                    suppress_health_check=list(HealthCheck),
                ),
            )
        if gone_on_with:
            break
    assert gone_on_with, "something that was made was found again"
