"""The SCIM connector, against our stand-in and against a server that nobody here wrote."""

from __future__ import annotations

import itertools
import json
import random
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scim2_models import Group, GroupMember, ScimProvider, User
from scim2_server.memory import InMemoryStorage
from scim2_server.service import ScimService
from scim2_server.testserver.application import BEARER_TOKEN_SCHEME, BearerTokenApplication
from scim2_server.utils import load_default_provider

from openlatch.connectors.scim import ScimConnector
from openlatch.core.providers.observation import Observation, ObservedMembership, complaints, resolved
from openlatch.core.providers.ports import Page
from openlatch.errors import Invalid, ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.simulator import ScimStandIn
from openlatch.words import PartyKind, PartyStatus, ReadingOutcome
from tests.harness.faults import Meddling, shorter

SETTINGS = {"url": "http://roll.example", "account": "People directory"}
USER = "urn:ietf:params:scim:schemas:core:2.0:User"


def user(identifier: str, **more: Any) -> dict[str, Any]:
    return {"id": identifier, "userName": f"{identifier}@kestrelridge.example", "active": True, **more}


SEED = {
    "Users": [
        user("orla", displayName="Orla Finch", UserType="volunteer", ROLES=[{"Value": "roll reader"}]),
        user("dov", name={"givenName": "Dov", "familyName": "Finch"}, entitlements=[{"value": "print room"}]),
        user("lise", active=False),
        *(user(f"helper-{n}") for n in range(7)),
    ],
    "Groups": [
        {"id": "all", "displayName": "All volunteers", "members": [{"value": "crew", "type": "Group"}]},
        {"id": "crew", "displayName": "Saturday crew", "members": [{"value": "orla", "type": "User"}]},
        {"id": "dark", "displayName": "Dark-sky group"},
    ],
}


@pytest.fixture
def stand_in(tmp_path: Path) -> ScimStandIn:
    load = tmp_path / "roll.json"
    load.write_text(json.dumps(SEED))
    return ScimStandIn(tmp_path / "roll.sqlite", load, "token")


@pytest.fixture
def connector(stand_in: ScimStandIn) -> ScimConnector:
    return ScimConnector(SETTINGS, "token", httpx.WSGITransport(stand_in))


def together(pages: Iterator[Page]) -> Page:
    the_pages = list(pages)
    return Page(
        *(
            tuple(value for page in the_pages for value in getattr(page, noun))
            for noun in ("accounts", "parties", "entries")
        ),
        tuple(m for page in the_pages for m in page.memberships),
    )


def test_users_and_nested_groups_are_read_whatever_case_their_names_are_written_in(
    connector: ScimConnector, stand_in: ScimStandIn
) -> None:
    stand_in.set_fault("short_pages", 3)
    seen = together(connector.pages())
    entries = {e.key: e for e in seen.entries}
    assert set(entries) == {"user:orla", "user:dov", "group:all", "group:crew", "group:dark"} | {
        f"user:helper-{n}" for n in range(7)
    }
    assert (entries["user:orla"].level, entries["user:orla"].permissions) == ("volunteer", ("roll reader",))
    assert entries["user:dov"].permissions == ("print room",)
    assert all(e.powers is None for e in seen.entries), "what a word allows is for the holder to say"
    parties = {p.key: p for p in seen.parties}
    assert (parties["user:dov"].name, parties["group:crew"].kind) == ("Dov Finch", PartyKind.TEAM)
    assert parties["user:lise"].status == "left"
    assert set(seen.memberships) == {
        ObservedMembership("group:all", "group:crew"),
        ObservedMembership("group:crew", "user:orla"),
    }


@pytest.mark.parametrize("fault", [{}, {"no_patch": True}, {"meddle": 2}, {"no_filter": True}])
def test_a_user_is_made_inactive_once_however_the_server_wants_it(
    connector: ScimConnector, stand_in: ScimStandIn, fault: dict[str, Any]
) -> None:
    for name, value in fault.items():
        stand_in.set_fault(name, value)
    before = next(u for u in stand_in.items("Users") if u["id"] == "orla")
    assert not connector.end("user:orla", "user:orla", "1").already
    assert connector.end("user:orla", "user:orla", "2").already
    after = next(u for u in stand_in.items("Users") if u["id"] == "orla")
    assert {name: v for name, v in after.items() if name != "meta"} == {
        name: v for name, v in before.items() if name != "meta"
    } | {"active": False}
    seen = connector.look("user:orla")
    assert (seen.entries, [m.team for m in seen.memberships]) == ((), ["group:crew"])
    assert [row[0] for row in stand_in._db.execute("select entry from effects")] == ["orla"]


def test_a_user_who_keeps_being_changed_is_left_for_later(connector: ScimConnector, stand_in: ScimStandIn) -> None:
    stand_in.set_fault("meddle", 99)
    with pytest.raises(ProviderDown, match="each time"):
        connector.end("user:orla", "user:orla", "1")
    assert next(u for u in stand_in.items("Users") if u["id"] == "orla")["active"]


@pytest.mark.parametrize(
    ("fault", "error"),
    [
        ({"down": True}, ProviderDown),
        ({"throttle": 9}, ProviderDown),
        ({"total_off": 1}, ProviderUnreadable),
        ({"garbage": True}, ProviderUnreadable),
    ],
)
def test_a_directory_in_trouble_is_never_taken_for_a_smaller_one(
    connector: ScimConnector, stand_in: ScimStandIn, fault: dict[str, Any], error: type[Exception]
) -> None:
    for name, value in fault.items():
        stand_in.set_fault(name, value)
    with pytest.raises(error):
        together(connector.pages())


def test_a_directory_that_wants_to_be_asked_more_slowly_is_read_all_the_same(
    connector: ScimConnector, stand_in: ScimStandIn
) -> None:
    whole = together(connector.pages())
    stand_in.set_fault("throttle", 2)
    assert together(connector.pages()) == whole


def test_what_the_directory_refuses_says_so(connector: ScimConnector, stand_in: ScimStandIn) -> None:
    stand_in.set_fault("refuse", {"orla": "not yours"})
    with pytest.raises(ProviderRefused):
        connector.end("user:orla", "user:orla", "1")
    with pytest.raises(ProviderRefused, match="no way"):
        connector.end("group:crew", "group:crew", "1")
    with pytest.raises(ProviderRefused):
        together(ScimConnector(SETTINGS, "wrong", httpx.WSGITransport(stand_in)).pages())
    with pytest.raises(Invalid, match="'pin'"):
        ScimConnector(SETTINGS | {"pin": "1"}, "token")


def another_server() -> tuple[Callable[..., Any], dict[str, str]]:
    """A server from elsewhere, with two people and two groups; returns it, and their ids by name."""
    provider: ScimProvider = load_default_provider()
    provider.config.authentication_schemes = [BEARER_TOKEN_SCHEME]
    storage = InMemoryStorage()
    app = BearerTokenApplication(storage, provider, ScimService(provider, secret="s" * 32), ["token"])
    http = httpx.Client(
        transport=httpx.WSGITransport(app), base_url="http://roll.example", headers={"Authorization": "Bearer token"}
    )

    def post(where: str, resource: Any) -> str:
        answer = http.post(where, json=resource.model_dump())
        assert answer.status_code == 201, answer.text
        return str(answer.json()["id"])

    orla = post("/Users", User(user_name="orla.finch@kestrelridge.example", display_name="Orla Finch", active=True))
    dov = post("/Users", User(user_name="dov.finch", display_name="Dov Finch", active=True, user_type="staff"))
    crew = post("/Groups", Group(display_name="Saturday crew", members=[GroupMember(value=orla, type="User")]))
    everyone = post("/Groups", Group(display_name="All", members=[GroupMember(value=crew, type="Group")]))
    return app, {"orla": orla, "dov": dov, "crew": crew, "everyone": everyone}


def test_a_server_that_nobody_here_wrote_is_read_and_obeys() -> None:
    app, ids = another_server()
    connector = ScimConnector(SETTINGS, "token", httpx.WSGITransport(app))
    seen = together(connector.pages())
    assert {e.key for e in seen.entries} == {
        *(f"user:{ids[n]}" for n in ("orla", "dov")),
        *(f"group:{ids[n]}" for n in ("crew", "everyone")),
    }
    assert set(seen.memberships) == {
        ObservedMembership(f"group:{ids['crew']}", f"user:{ids['orla']}"),
        ObservedMembership(f"group:{ids['everyone']}", f"group:{ids['crew']}"),
    }
    orla = f"user:{ids['orla']}"
    assert not connector.end(orla, orla, "1").already
    assert connector.end(orla, orla, "1").already
    assert connector.look(orla).entries == ()
    assert {m.team for m in connector.look(orla).memberships} == {f"group:{ids['crew']}"}
    assert len(connector.look(f"user:{ids['dov']}").entries) == 1
    assert connector.end("user:no-such", "user:no-such", "1").already


def in_groups(connector: ScimConnector, party: str) -> set[str]:
    return {m.team for m in connector.look(party).memberships}


def test_members_of_a_server_that_nobody_here_wrote_are_removed_and_added_one_by_one() -> None:
    app, ids = another_server()
    connector = ScimConnector(SETTINGS, "token", httpx.WSGITransport(app))
    crew, everyone = f"group:{ids['crew']}", f"group:{ids['everyone']}"
    orla, dov = f"user:{ids['orla']}", f"user:{ids['dov']}"
    assert not connector.set_member(crew, dov, "1", belongs=True).already
    assert connector.set_member(crew, dov, "1", belongs=True).already
    assert (in_groups(connector, orla), in_groups(connector, dov)) == ({crew}, {crew})
    assert not connector.set_member(crew, orla, "2", belongs=False).already
    assert connector.set_member(crew, orla, "2", belongs=False).already
    assert (in_groups(connector, orla), in_groups(connector, dov)) == (set(), {crew}), "nobody else goes with them"
    assert not connector.set_member(everyone, crew, "3", belongs=False).already
    assert in_groups(connector, crew) == set(), "a group is a member like any other"
    assert connector.set_member("group:no-such", dov, "4", belongs=False).already
    with pytest.raises(ProviderRefused, match="no group"):
        connector.set_member("group:no-such", dov, "5", belongs=True)


@given(
    st.lists(st.tuples(st.sampled_from([1, 2, 4]), st.booleans()), min_size=1, max_size=6),
    st.sampled_from([3, 5, 7]),
    st.integers(0, 999).map(random.Random),
)
@settings(max_examples=8)
def test_whatever_a_server_does_now_and_then_a_group_has_just_the_members_that_were_asked_for(
    acts: list[tuple[int, bool]], often: int, chance: random.Random
) -> None:
    app, there = directory(6)
    kinds = ("throttled", "throttled-until", "unavailable", "closed")
    # In no step with what is asked: else each attempt would fail at the same place, as with no server it does.
    between = Meddling(app, (chance.choice(kinds) if chance.random() < 1 / often else "" for _ in itertools.count()))
    connector, plain = (ScimConnector(SETTINGS, "token", one) for one in (between, httpx.WSGITransport(app)))
    connector._caller.pause = between.pause
    inner = f"group:{there['inner'][0]}"
    expected = {membership.member for membership in together(plain.pages()).memberships if membership.team == inner}
    for number, (place, belongs) in enumerate(acts):
        who = f"user:{there['people'][place]}"
        for _ in range(20):  # as an order does, which is taken up again
            try:
                connector.set_member(inner, who, str(number), belongs=belongs)
                break
            except ProviderDown:
                continue
        else:
            pytest.fail("it never gets through")
        expected = expected | {who} if belongs else expected - {who}
    assert {
        membership.member for membership in together(plain.pages()).memberships if membership.team == inner
    } == expected


@pytest.mark.parametrize("fault", [{}, {"no_patch": True}, {"meddle": 2}, {"ignore": 1}])
def test_a_member_is_removed_alone_however_the_server_wants_it(
    connector: ScimConnector, stand_in: ScimStandIn, fault: dict[str, Any]
) -> None:
    connector.set_member("group:crew", "user:dov", "0", belongs=True)
    for name, value in fault.items():
        stand_in.set_fault(name, value)
    before = next(g for g in stand_in.items("Groups") if g["id"] == "crew")
    assert not connector.set_member("group:crew", "user:orla", "1", belongs=False).already
    after = next(g for g in stand_in.items("Groups") if g["id"] == "crew")
    assert [m["value"] for m in after["members"]] == ["dov"]
    assert (after["displayName"], in_groups(connector, "user:orla")) == (before["displayName"], set())


def test_a_server_that_only_says_yes_is_not_believed(connector: ScimConnector, stand_in: ScimStandIn) -> None:
    stand_in.set_fault("ignore", 99)
    with pytest.raises(ProviderDown, match="does not keep what it says yes to"):
        connector.set_member("group:crew", "user:orla", "1", belongs=False)


def test_a_search_that_finds_nothing_is_no_proof_while_the_user_says_otherwise() -> None:
    app, ids = another_server()

    def forgetful(path: str, answer: Any) -> Any:
        if path.endswith("/Groups") and "Resources" in answer:
            return {**answer, "totalResults": 0, "Resources": []}
        if path.endswith(ids["orla"]):
            return answer | {"groups": [{"value": ids["crew"]}]}
        return answer

    connector = ScimConnector(SETTINGS, "token", Meddling(app, rewrite=forgetful))
    assert in_groups(connector, f"user:{ids['orla']}") == {f"group:{ids['crew']}"}


def test_a_group_whose_members_are_shown_only_when_asked_for_is_not_taken_for_an_empty_one() -> None:
    app, ids = another_server()

    def shy(path: str, answer: Any) -> Any:
        hidden = path.endswith(ids["crew"]) and not asked
        return {name: value for name, value in answer.items() if name != "members"} if hidden else answer

    asked: list[str] = []

    def ask(url: httpx.URL) -> httpx.URL:
        asked[:] = [url.params["attributes"]] if "attributes" in url.params else []
        return url

    connector = ScimConnector(SETTINGS, "token", Meddling(app, rewrite=shy, ask=ask))
    answer = connector.set_member(f"group:{ids['crew']}", f"user:{ids['orla']}", "1", belongs=False)
    assert not answer.already
    plain = ScimConnector(SETTINGS, "token", httpx.WSGITransport(app))
    assert in_groups(plain, f"user:{ids['orla']}") == set()


def directory(people: int) -> tuple[Callable[..., Any], dict[str, list[str]]]:
    """A server from elsewhere with many people and two groups, of which some members exist no more."""
    provider: ScimProvider = load_default_provider()
    provider.config.authentication_schemes = [BEARER_TOKEN_SCHEME]
    app = BearerTokenApplication(InMemoryStorage(), provider, ScimService(provider, secret="s" * 32), ["token"])
    http = httpx.Client(
        transport=httpx.WSGITransport(app), base_url="http://roll.example", headers={"Authorization": "Bearer token"}
    )
    made = [
        str(
            http.post(
                "/Users", json=User(user_name=f"n{n}@a.example", active=None if n % 5 == 0 else True).model_dump()
            ).json()["id"]
        )
        for n in range(people)
    ]
    inner = http.post("/Groups", json=Group(display_name="Inner", members=[GroupMember(value=made[1])]).model_dump())
    members = [GroupMember(value=text) for text in (*made[:4], str(inner.json()["id"]))]
    http.post("/Groups", json=Group(display_name="Outer", members=members).model_dump())
    assert http.delete(f"/Users/{made[3]}").status_code == 204
    return app, {"people": [text for text in made if text != made[3]], "gone": [made[3]], "inner": [inner.json()["id"]]}


def by_value_only(path: str, answer: Any) -> Any:
    """Members named by their id alone, and no word of who is active where that was not said."""
    for resource in answer.get("Resources", [answer]):
        for member in resource.get("members", []):
            for name in ("type", "$ref", "display"):
                member.pop(name, None)
        if resource.get("active") is None:
            resource.pop("active", None)
    return answer


@given(st.integers(1, 12), st.randoms(use_true_random=False))
@settings(max_examples=8)
def test_a_directory_that_nobody_here_wrote_is_read_whole_whatever_it_does_now_and_then(
    often: int, chance: random.Random
) -> None:
    app, there = directory(13)
    kinds = ("throttled", "throttled-until", "unavailable", "closed")

    def faults() -> Iterator[str]:
        for n in itertools.count(1):
            yield chance.choice(kinds) if n % (often + 1) == 0 else ""

    between = Meddling(app, faults(), rewrite=by_value_only, ask=shorter(chance))
    connector = ScimConnector(SETTINGS, "token", between)
    connector._caller.pause = between.pause
    seen = resolved(together_as_observation(connector.pages()))
    assert between.early == 0, "no call before Retry-After has passed"
    assert complaints(seen) == ()
    assert {p.key for p in seen.parties if p.kind is PartyKind.PERSON} == {
        f"user:{text}" for text in (*there["people"], *there["gone"])
    }
    team = {p.name: p.key for p in seen.parties if p.kind is PartyKind.TEAM}
    (inner,) = there["inner"]
    assert ObservedMembership(team["Outer"], f"group:{inner}") in seen.memberships, (
        "named by its id, a group is a group"
    )
    (remark,) = seen.remarks
    assert there["gone"][0] in remark
    assert "Outer" in remark
    told = {p.key: p.status for p in seen.parties}
    assert told[f"user:{there['people'][0]}"] is PartyStatus.UNKNOWN, "not told is neither active nor inactive"
    assert told[f"user:{there['people'][1]}"] is PartyStatus.CURRENT


@given(st.integers(0, 30), st.randoms(use_true_random=False))
@settings(max_examples=10)
def test_a_reading_of_a_directory_goes_on_from_any_page_that_can_be_gone_on_with(
    place: int, chance: random.Random
) -> None:
    app, _ = directory(13)
    between = Meddling(app, ask=shorter(chance))
    whole = list(ScimConnector(SETTINGS, "token", between).pages())
    before = [page for page in whole if page.cursor][: place + 1]
    rest = list(ScimConnector(SETTINGS, "token", between).pages(before[-1].cursor, before))
    assert together(iter([*before, *rest])) == together(iter(whole))
    assert rest[0].accounts == (), "what was seen is not read again"


@pytest.mark.parametrize(("fault", "says"), [("html", "not JSON"), ("redirected", "answered 302")])
def test_what_is_no_directory_is_not_read_as_one(fault: str, says: str) -> None:
    app, _ = directory(5)
    with pytest.raises(ProviderUnreadable, match=says):
        list(ScimConnector(SETTINGS, "token", Meddling(app, ["", fault])).pages())


def test_a_connection_that_closes_after_the_act_is_asked_again_and_acts_once() -> None:
    app, there = directory(5)
    orla = f"user:{there['people'][1]}"
    with pytest.raises(ProviderDown):
        ScimConnector(SETTINGS, "token", Meddling(app, ["", "closed"])).end(orla, orla, "1")
    assert ScimConnector(SETTINGS, "token", httpx.WSGITransport(app)).end(orla, orla, "1").already


def test_somebody_shown_twice_with_different_data_blinds_nobody() -> None:
    app, there = directory(5)

    def twice(path: str, answer: Any) -> Any:
        if path.endswith("/Users") and answer.get("Resources"):
            other = answer["Resources"][0] | {"userName": "another@a.example"}
            return answer | {"Resources": [*answer["Resources"], other]}
        return answer

    seen = together_as_observation(ScimConnector(SETTINGS, "token", Meddling(app, rewrite=twice)).pages())
    assert {p.key for p in seen.parties if p.kind is PartyKind.PERSON} == {f"user:{text}" for text in there["people"]}


def together_as_observation(pages: Iterator[Page]) -> Observation:
    page = together(pages)
    return Observation(ReadingOutcome.COMPLETE, page.accounts, page.parties, page.entries, page.memberships)


@pytest.mark.parametrize("pages", [1, 100])
@pytest.mark.parametrize(
    "said", [{"value": "zoe"}, {"Value": "zoe", "$ref": "../Users/zoe"}, "zoe"], ids=["object", "letters", "plain"]
)
def test_whoever_somebody_reports_to_answers_for_them_on_whatever_page_they_are(
    tmp_path: Path, said: object, pages: int
) -> None:
    enterprise = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
    load = tmp_path / "roll.json"
    users = [
        user("ada", **{enterprise: {"manager": said}}),
        user("bea", **{enterprise: {"manager": {"value": "nobody"}}}),
        user("cai"),
        user("zoe", emails=[{"value": "zoe@brightmere.example", "primary": True}]),
    ]
    load.write_text(json.dumps({"Users": users, "Groups": []}))
    stand_in = ScimStandIn(tmp_path / "roll.sqlite", load, "token")
    stand_in.set_fault("short_pages", pages)
    connector = ScimConnector(SETTINGS, "token", httpx.WSGITransport(stand_in))
    sponsors = {p.key: p.sponsor for p in together(connector.pages()).parties}
    assert sponsors == {"user:ada": "zoe@brightmere.example", "user:bea": "", "user:cai": "", "user:zoe": ""}
    assert connector.look("user:ada").parties[0].sponsor == "zoe@brightmere.example"
