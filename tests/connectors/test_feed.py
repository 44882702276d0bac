"""The feed: the published schemas are the models', the stand-in keeps to them, and nonsense is refused."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import httpx
import jsonschema
import pytest
from pydantic import BaseModel

from openlatch.connectors.feed import FeedConnector
from openlatch.errors import Invalid, ProviderRefused, ProviderUnreadable
from openlatch.local.stack import Stack
from openlatch.simulator import FeedStandIn
from openlatch.wire.providers import feed

SCHEMAS = Path(__file__).parents[2] / "docs" / "feed"
PUBLISHED: dict[str, type[BaseModel]] = {
    "description": feed.Description,
    "page": feed.FeedPage,
    "ending": feed.Ending,
    "outcome": feed.EndingOutcome,
    "change": feed.Amendment,
    "change-outcome": feed.AmendmentOutcome,
    "team-change": feed.TeamChange,
    "team-change-outcome": feed.TeamChangeOutcome,
}


def published(name: str) -> dict[str, Any]:
    schema: dict[str, Any] = json.loads((SCHEMAS / f"{name}.schema.json").read_text())
    return schema


@pytest.mark.parametrize("name", PUBLISHED)
def test_a_published_schema_is_the_models_own(name: str) -> None:
    schema = published(name)
    own = PUBLISHED[name].model_json_schema()
    assert {k: v for k, v in schema.items() if k not in ("$schema", "$id")} == own


def test_the_stand_in_keeps_to_the_published_protocol(stack: Stack) -> None:
    with httpx.Client(base_url=stack.stand_in_url("desk"), headers=dict(stack.stand_in_headers("desk"))) as desk:
        jsonschema.validate(desk.get("/").json(), published("description"))
        first = desk.get("/inventory").json()
        jsonschema.validate(first, published("page"))
        jsonschema.validate(desk.get("/inventory", params={"cursor": first["next"]}).json(), published("page"))
        body = {"entry": "no-such", "party": "nobody"}
        jsonschema.validate(body, published("ending"))
        answer = desk.post("/endings", json=body, headers={"Idempotency-Key": "schema"})
        jsonschema.validate(answer.json(), published("outcome"))
        assert answer.json()["outcome"] == "already-ended"
        body |= {"level": "guide"}
        jsonschema.validate(body, published("change"))
        answer = desk.post("/changes", json=body, headers={"Idempotency-Key": "schema too"})
        jsonschema.validate(answer.json(), published("change-outcome"))
        assert (answer.status_code, answer.json()["outcome"]) == (409, "refused")


def served(handler: Any) -> FeedConnector:
    """A connector whose provider is this function."""
    return FeedConnector({"url": "http://desk.example"}, "token", httpx.MockTransport(handler))


def test_a_member_is_removed_and_added_as_the_stand_in_has_it(tmp_path: Path) -> None:
    party = {"status": "current", "addresses": []}
    seed = {
        "description": {
            "feed": feed.VERSION,
            "name": "Desk",
            "abilities": {"adds_members": True, "removes_members": True},
        },
        "accounts": [],
        "parties": [
            {"key": "crew", "kind": "team", "name": "Crew", **party},
            {"key": "ada", "kind": "person", "name": "Ada", **party},
            {"key": "ada-too", "kind": "person", "name": "Ada", **party},
        ],
        "entries": [],
        "memberships": [{"team": "crew", "member": "ada"}, {"team": "crew", "member": "ada-too"}],
    }
    load = tmp_path / "desk.json"
    load.write_text(json.dumps(seed))
    stand_in = FeedStandIn(tmp_path / "desk.sqlite", load, "token")
    connector = FeedConnector({"url": "http://desk.example"}, "token", httpx.WSGITransport(stand_in))

    def teams(member: str) -> list[str]:
        return [membership.team for membership in connector.look(member).memberships]

    able = connector.abilities()
    assert (able.adds_members, able.removes_members) == (True, True)
    assert not connector.set_member("crew", "ada", "1", belongs=False).already
    assert (teams("ada"), teams("ada-too")) == ([], ["crew"]), "two of one name are two"
    assert connector.set_member("crew", "ada", "2", belongs=False).already
    assert not connector.set_member("crew", "ada", "3", belongs=True).already
    assert not connector.set_member("crew", "ada", "3", belongs=True).already, "one key, one effect, one answer"
    assert teams("ada") == ["crew"]
    stand_in.set_fault("refuse", {"crew ada": "not yours"})
    with pytest.raises(ProviderRefused, match="not yours"):
        connector.set_member("crew", "ada", "4", belongs=False)
    assert teams("ada") == ["crew"]


ENTRY = {"key": "1", "account": "a", "party": "p", "kind": "delegate", "level": "x", "powers": ["view"]}


@pytest.mark.parametrize(
    ("body", "place"),
    [
        (b"<html>", "the document itself"),
        (b"\xff\xfe", "the document itself"),
        (json.dumps({"entries": [ENTRY, ENTRY | {"powers": ["fly"]}]}).encode(), "entries.1.powers.0"),
        (json.dumps({"entries": [ENTRY | {"given_at": "2026-05-10"}]}).encode(), "entries.0.given_at"),
        (json.dumps({"entries": [ENTRY | {"key": "\x00"}]}).encode(), "entries.0.key"),
        (json.dumps({"total": -1}).encode(), "total"),
    ],
)
def test_a_page_that_is_not_the_protocol_is_refused_with_the_place(body: bytes, place: str) -> None:
    with pytest.raises(ProviderUnreadable) as refused:
        list(served(lambda _request: httpx.Response(200, content=body)).pages())
    assert refused.value.fields["at"] == place


def test_cursors_that_go_round_in_a_circle_are_noticed() -> None:
    def circle(request: httpx.Request) -> httpx.Response:
        return httpx.Response(200, json={"next": "b" if request.url.params.get("cursor") == "a" else "a"})

    with pytest.raises(ProviderUnreadable, match="twice"):
        list(served(circle).pages())


@pytest.mark.parametrize(
    ("status", "error"), [(401, ProviderRefused), (404, ProviderUnreadable), (302, ProviderUnreadable)]
)
def test_other_answers_are_told_apart(status: int, error: type[Exception]) -> None:
    with pytest.raises(error):
        list(served(lambda _request: httpx.Response(status)).pages())


@pytest.mark.parametrize(
    "settings", [{}, {"url": "ftp://desk.example"}, {"url": "desk"}, {"url": "http://x", "pin": "1"}]
)
def test_settings_that_cannot_work_are_refused_at_once(settings: dict[str, str]) -> None:
    with pytest.raises(Invalid):
        FeedConnector(settings, "")
