"""Described providers: three services that differ in everything are read and changed by their descriptions alone."""

from __future__ import annotations

import gzip
import json
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import httpx
import pytest

from openlatch.connectors import described as connector
from openlatch.connectors.described import DescribedConnector
from openlatch.core.providers.observation import ObservedEntry
from openlatch.core.providers.ports import Change, Found, Gift, Hindrance
from openlatch.errors import Invalid, ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, PartyKind, PartyStatus, Power, Side, State
from tests.connectors.houses import Club, House, Ledger, Rota, Senders

EXAMPLES = Path(__file__).parents[2] / "docs" / "described"
SECRETS = {
    "club": "club-secret",
    "rota": json.dumps({"client_id": "latch", "client_secret": "rota-secret"}),
    "ledger": "ledger-secret-key",
    "senders": "latch:mail-secret",
}


def connect(house: House, text: str | None = None, secret: str | None = None) -> DescribedConnector:
    name = type(house).__name__.lower()
    settings = {"url": "http://house.example", "description": text or (EXAMPLES / f"{name}.toml").read_text()}
    made = DescribedConnector(settings, secret or SECRETS[name], httpx.WSGITransport(house.app))
    made._caller.pause = lambda _seconds: None
    return made


def entries(house: House, **more: Any) -> dict[str, ObservedEntry]:
    return {entry.key: entry for page in connect(house, **more).pages() for entry in page.entries}


def test_nested_resources_with_page_numbers() -> None:
    club = Club()
    found = entries(club)
    assert set(found) == {
        "members:team=t%2F1&login=ada",
        "members:team=t%2F1&login=bo",
        "members:team=t%2F1&login=cy",
        "members:team=t%2F2&login=ada",
        "members:team=t%2F2&login=dee",
    }
    ada = found["members:team=t%2F2&login=ada"]
    assert (ada.account, ada.party, ada.level, ada.powers) == ("t/2", "ada", "guest", ("view",))
    assert ada.ends_at == datetime(2027, 1, 1, tzinfo=UTC), "through its last day"
    assert ada.last_used == datetime.fromtimestamp(1760000000, UTC)
    assert (ada.use_known, ada.end_unknown) == (True, False)
    assert found["members:team=t%2F2&login=dee"].state is State.PAUSED
    parties = {party.key: party for page in connect(club).pages() for party in page.parties}
    assert parties["cy"].status is PartyStatus.LEFT
    assert parties["ada"].addresses == ("ada@club.example", "@ada")
    accounts = [account.name for page in connect(club).pages() for account in page.accounts]
    assert accounts == ["Team 1", "Team 2", "Team 3"]


def test_a_flat_list_with_a_cursor_and_roles_beside_it() -> None:
    rota = Rota()
    found = entries(rota)
    assert set(found) == {
        "standing:id=g0",
        "standing:id=g1",
        "standing:id=g2",
        "standing:id=g3",
        "standing:id=g6",
        "dated:id=g5",
    }
    dated = found["dated:id=g5"]
    assert (dated.kind, dated.level, dated.permissions) == (Kind.GRANT, "Observer", ("look",))
    assert dated.ends_at == datetime(2027, 2, 1, tzinfo=UTC)
    assert dated.given_at == datetime(2024, 12, 31, 23, tzinfo=UTC)
    kinds = {party.key: party.kind for page in connect(rota).pages() for party in page.parties}
    assert kinds == {"p-1": PartyKind.PERSON, "g-7": PartyKind.TEAM, "b-3": PartyKind.APP}
    assert [method for method, _ in rota.asked].count("POST") == 2, "one token for each connection"


def test_an_old_one_with_numbers_for_keys() -> None:
    found = entries(Ledger())
    assert {entry.level for entry in found.values()} == {"chief clerk", "clerk", "reader", "right of unknown number"}
    assert found["rights:book=2&clerk=13"].powers is None, "what is not described is not harmless"
    assert found["rights:book=1&clerk=12"].last_used == datetime.fromtimestamp(1760000000, UTC)
    assert "rights:book=1&clerk=13" not in found


@pytest.mark.parametrize(
    ("house", "entry", "party", "answer"),
    [
        (Club(), "members:team=t%2F1&login=bo", "bo", "DELETE was answered with 204"),
        (Rota(), "standing:id=g3", "p-1", "POST was answered with 202"),
        (Ledger(), "rights:book=1&clerk=12", "12", "PUT was answered with 200"),
        (Senders(), "sends:mailbox=press%2Fnews%40mail.example&login=bo", "bo", "DELETE was answered with 204"),
    ],
    ids=["club", "rota", "ledger", "senders"],
)
def test_an_end_is_sent_as_described_seen_to_be_so_and_has_no_second_effect(
    house: House, entry: str, party: str, answer: str
) -> None:
    assert entry in entries(house)
    told = connect(house).end(entry, party, "key-1")
    assert told.said == answer
    assert entry not in entries(house)
    assert entry not in {one.key for one in connect(house).look(party).entries}


def test_what_is_gone_is_already_done_and_what_is_refused_says_why() -> None:
    club = Club()
    assert connect(club).end("members:team=t%2F1&login=nobody", "nobody", "key").already
    with pytest.raises(ProviderRefused, match="a team keeps one lead"):
        connect(club).end("members:team=t%2F1&login=ada", "ada", "key")
    with pytest.raises(ProviderRefused, match="the chief clerk stays"):
        connect(Ledger()).end("rights:book=1&clerk=11", "11", "key")


def test_levels_pauses_and_days_are_changed_as_described_and_nothing_else_is_promised() -> None:
    club, rota = Club(), Rota()
    able = connect(club).abilities()
    assert able.lists == able.ends == able.narrows == able.pauses == {Kind.DELEGATE}
    assert not able.dates
    connect(club).change("members:team=t%2F1&login=bo", "bo", Change(level="lead", paused=True), "key")
    bo = entries(club)["members:team=t%2F1&login=bo"]
    assert (bo.level, bo.state) == ("lead", State.PAUSED)
    with pytest.raises(ProviderRefused, match="no words for it"):
        connect(club).change("members:team=t%2F1&login=bo", "bo", Change(resources=("a",)), "key")
    assert connect(rota).abilities().dates == {Kind.GRANT}
    later = datetime(2028, 1, 1, tzinfo=UTC)
    connect(rota).change("dated:id=g5", "b-3", Change(ends_at=later), "key")
    assert entries(rota)["dated:id=g5"].ends_at == later


def test_access_is_given_as_described_and_nothing_that_the_request_could_not_say() -> None:
    club, ledger = Club(), Ledger()
    assert connect(club).abilities().gives == {Kind.DELEGATE}
    assert connect(club).find("ADA@club.example").key == "ada"
    assert [h.kind for h in connect(club).find("eve@club.example").hindrances] == ["not-registered"]
    ends = datetime(2027, 1, 1, tzinfo=UTC)
    connect(club).give("ada", Gift("t/3", Kind.DELEGATE, "guest", ends_at=ends), "key")
    assert club.members["t/3"][0]["until"] == "2026-12-31", "its last day"
    ada = entries(club)["members:team=t%2F3&login=ada"]
    assert (ada.level, ada.ends_at) == ("guest", ends)
    # The old one wants numbers, and levels by their number.
    connect(ledger).give("13", Gift("1", Kind.DELEGATE, "reader"), "key")
    assert entries(ledger)["rights:book=1&clerk=13"].level == "reader"
    for gift in (
        Gift("1", Kind.DELEGATE, "reader", ends_at=ends),
        Gift("1", Kind.GRANT, "reader"),
        Gift("1", Kind.DELEGATE, "reader", resources=("a",)),
        Gift("1", Kind.DELEGATE, "reader", permissions=("a",)),
    ):
        with pytest.raises(ProviderRefused, match="no words for it"):
            connect(ledger).give("13", gift, "key")
    assert connect(Rota()).abilities().gives == frozenset()
    assert connect(Rota()).find("nobody@hill.example").hindrances == (), "nothing is given there"


def test_a_party_is_put_into_a_team_and_out_of_it_as_described() -> None:
    rota = Rota()
    able = connect(rota).abilities()
    assert (able.adds_members, able.removes_members) == (True, True)
    assert not connect(Club()).abilities().adds_members

    def crew() -> list[tuple[str, str]]:
        return [(m.team, m.member) for page in connect(rota).pages() for m in page.memberships]

    assert crew() == [("g-7", "p-1")]
    connect(rota).set_member("g-7", "b-3", "key", belongs=True)
    assert crew() == [("g-7", "p-1"), ("g-7", "b-3")]
    for already in (False, True):
        assert connect(rota).set_member("g-7", "p-1", "key", belongs=False).already is already
    assert crew() == [("g-7", "b-3")]
    with pytest.raises(ProviderRefused, match="no words for it"):
        connect(Club()).set_member("t/1", "ada", "key", belongs=False)


def test_a_token_that_no_longer_counts_is_changed_in_the_middle_of_a_reading() -> None:
    rota = Rota()
    rota.faults["expires"] = True
    assert len(entries(rota)) == 6
    assert [method for method, _ in rota.asked].count("POST") == 2
    rota.faults["expires"] = True
    assert connect(rota).end("standing:id=g3", "p-1", "key").later, "and in that of an act"


def test_an_answer_without_an_end_is_left_in_the_middle() -> None:
    sent = 0

    def endless() -> Iterator[bytes]:
        nonlocal sent
        yield b'{"data": ['
        while True:
            sent += 1
            yield b" " * 1_000_000

    def answer(_request: httpx.Request) -> httpx.Response:
        return httpx.Response(200, content=endless())

    settings = {"url": "http://house.example", "description": (EXAMPLES / "club.toml").read_text()}
    with pytest.raises(ProviderUnreadable, match="more than 32 MB in one answer, and the rest was not read"):
        list(DescribedConnector(settings, "s", httpx.MockTransport(answer)).pages())
    assert sent < 40


def test_what_was_packed_on_the_way_is_read_as_it_was() -> None:
    plain = {"data": [{"id": "t/1", "title": "Team 1"}]}

    def answer(request: httpx.Request) -> httpx.Response:
        found = plain if request.url.path == "/v1/teams" and request.url.params["page"] == "1" else {"data": []}
        packed = gzip.compress(json.dumps(found).encode())
        return httpx.Response(200, content=packed, headers={"Content-Encoding": "gzip"})

    settings = {"url": "http://house.example", "description": (EXAMPLES / "club.toml").read_text()}
    pages = list(DescribedConnector(settings, "s", httpx.MockTransport(answer)).pages())
    assert [account.name for page in pages for account in page.accounts] == ["Team 1"]


def test_who_answers_for_somebody_is_read_as_described() -> None:
    text = (EXAMPLES / "club.toml").read_text()
    text = text.replace('name = "$.user.name"\n', 'name = "$.user.name"\nsponsor = "$.user.boss.mail"\n', 1)
    club = Club()
    club.members["t/1"][1]["user"]["boss"] = {"mail": "ada@club.example"}
    sponsors = {party.key: party.sponsor for page in connect(club, text).pages() for party in page.parties}
    assert sponsors == {"ada": "", "bo": "ada@club.example", "cy": "", "dee": ""}


def test_throttling_is_waited_for_and_a_wrong_secret_is_said() -> None:
    club = Club()
    club.faults["throttle"] = 2
    assert len(entries(club)) == 5
    club.faults["throttle"] = 99
    with pytest.raises(ProviderDown):
        entries(club)
    with pytest.raises(ProviderRefused, match="does not accept our credentials"):
        entries(Ledger(), secret="another-secret-key")


def refused(house: House, **more: Any) -> str:
    with pytest.raises(ProviderUnreadable) as caught:
        entries(house, **more)
    assert "what was known before is kept" in caught.value.next_step
    return caught.value.message


def test_pages_that_come_again_end_the_reading_at_once() -> None:
    club, rota = Club(), Rota()
    club.faults["same_page"] = True
    said = refused(club)
    assert "line 8 (the lists of “teams”)" in said
    assert "/v1/teams?page=2&size=2 answered what another page had answered" in said
    rota.faults["round"] = True
    assert "it would never end" in refused(rota)


@pytest.mark.parametrize(
    ("raw", "said"),
    [
        (b"<html>", "is no JSON"),
        (b"[" * 100_000, "nested too deeply"),
        (b'{"data": ["a text"]}', "item 1 is no object (but a text)"),
        (b'{"data": [{"id": 1.5}]}', "`with.team`|has to be a text or a whole number"),
        (b'{"data": [{"id": null}]}', "is null, and has to be a text or a whole number"),
        (b'{"data": [{"title": "x"}]}', "is not there, and has to be a text or a whole number"),
    ],
)
def test_what_cannot_be_read_says_at_which_line_of_the_description(raw: bytes, said: str) -> None:
    club = Club()
    club.faults["raw"] = raw
    message = refused(club)
    assert any(part in message for part in said.split("|"))
    assert "line " in message


def test_a_list_that_is_not_where_it_was_is_not_an_empty_one_and_proves_nothing() -> None:
    club = Club()
    assert connect(club).end("members:team=t%2F1&login=bo", "bo", "key").said
    club.faults["raw"] = b'{"error": "in maintenance"}'
    assert "there is no list at $.data" in refused(club)
    with pytest.raises(ProviderUnreadable, match="there is no list at"):
        connect(club).look("ada")
    club.faults["raw"] = b'{"data": []}'
    assert entries(club) == {}


@pytest.mark.parametrize("house", [Club, Ledger])
@pytest.mark.parametrize("most", [1, 2, 5])
def test_pages_that_are_shorter_than_asked_for_hide_nothing(house: type[House], most: int) -> None:
    whole = entries(house())
    short = house()
    short.faults["at_most"] = most
    assert entries(short) == whole


def test_a_next_page_elsewhere_is_not_asked_for() -> None:
    text = (EXAMPLES / "club.toml").read_text().replace('paging = "page"\nsize = 2\n', 'paging = "link"\n')
    text = text.replace("{?page,size}", "")
    asked: list[str] = []

    def answer(request: httpx.Request) -> httpx.Response:
        asked.append(request.url.host)
        return httpx.Response(200, json={"data": []}, headers={"Link": '<http://evil.example/x>; rel="next"'})

    settings = {"url": "http://house.example", "description": text}
    with pytest.raises(ProviderUnreadable, match=r"at another host, evil\.example"):
        list(DescribedConnector(settings, "s", httpx.MockTransport(answer)).pages())
    assert set(asked) == {"house.example"}


def test_the_number_of_requests_and_of_lines_is_bounded(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(connector, "MOST_LINES", 3)
    assert "more than 3 lines" in refused(Club())
    monkeypatch.setattr(connector, "MOST_LINES", 1000)
    monkeypatch.setattr(connector, "MOST_REQUESTS", 2)
    assert "more than 2 requests" in refused(Club())


def test_a_secret_for_oauth_that_is_none_is_said() -> None:
    with pytest.raises(Invalid, match="no JSON object with client_id, client_secret"):
        entries(Rota(), secret="just a token")


def test_who_may_send_in_the_name_of_a_mailbox_is_read_from_a_described_list() -> None:
    mail = Senders()
    found = entries(mail)
    assert {(e.account, e.party, e.level, e.powers) for e in found.values()} == {
        (box, login, level, ("publish",))
        for box in mail.boxes
        for login, level in (("ada", "send as the mailbox"), ("bo", "send on its behalf"))
    }
    key = "sends:mailbox=desk%40mail.example&login=bo"
    connect(mail).end(key, "bo", "1")
    assert set(found) - set(entries(mail)) == {key}
    connect(mail).give("bo", Gift("desk@mail.example", Kind.DELEGATE, "send on its behalf"), "2")
    assert entries(mail)[key].level == "send on its behalf"


SEARCH = """

[find]
url = "/people{?who}"
key = "$.login"
name = "$.name"
hindrances = "$.blocks"
hindrance = "$.code"
reason = "$.text"

[limits]
opt_in = true
never = ["own"]
"""


def searched(answer: Any, status: int = 200) -> Any:
    """What comes of a search that is answered so."""
    text = 'given_again_by = "either"\n' + (EXAMPLES / "club.toml").read_text() + SEARCH

    def say(request: httpx.Request) -> httpx.Response:
        assert (request.url.path, dict(request.url.params)) == ("/people", {"who": "ada & co"})
        return httpx.Response(status, json=answer)

    settings = {"url": "http://house.example", "description": text}
    return DescribedConnector(settings, "club-secret", httpx.MockTransport(say)).find("ada & co")


def test_somebody_is_found_as_described_with_what_keeps_them_out() -> None:
    blocks = [{"code": "not-opted-in", "text": "Not yet."}]
    assert searched({"login": "ada", "name": "Ada", "blocks": []}) == Found("ada", "Ada")
    assert searched({"login": 7, "blocks": None}) == Found("7", "")
    assert searched({"login": "ada", "name": "Ada", "blocks": blocks}) == Found(
        "ada", "Ada", (Hindrance("not-opted-in", "Not yet."),)
    )
    assert [h.kind for h in searched(None, 404).hindrances] == ["not-registered"]
    for wrong in ({"login": "ada", "blocks": "no"}, {"login": "ada", "blocks": [{"text": "x"}]}):
        with pytest.raises(ProviderUnreadable, match=r"line \d+ \(find\)"):
            searched(wrong)


def test_what_is_promised_beside_acts_is_as_described() -> None:
    able = connect(Club(), 'given_again_by = "either"\n' + (EXAMPLES / "club.toml").read_text() + SEARCH).abilities()
    assert (able.limits.opt_in, able.limits.never, able.redone_by) == (True, frozenset({Power.OWN}), Side.EITHER)
    assert able.gives_until == {Kind.DELEGATE}
    for wrong, says in (
        (SEARCH.replace("{?who}", ""), "has no {who}"),
        (SEARCH.replace("{?who}", "{?whom}"), "there is no 'whom'"),
        (SEARCH.replace('"$.blocks"', '"blocks"'), "find.hindrances"),
        (SEARCH.replace("never", "nevr"), "it is not known"),
    ):
        with pytest.raises(Invalid, match=says):
            connect(Club(), (EXAMPLES / "club.toml").read_text() + wrong)


SPARSE = """
description = 1
lists = [
    { name = "all", url = "/all", items = "$.all[*]" },
    { name = "log", url = "/log", items = "$.log[*]" },
]
accounts = [{ from = "all", key = "$.a" }]
parties = [{ from = "all", key = "$.p", verified = "$.sure" }]
entries = [
    { from = "all", name = "one", when = [{ value = "$.k", is = ["1"] }], key = { id = "$.id" }, account = "$.a", \
party = "$.p", reviewed_at = "$.seen[*]", accepted_at = "$.at" },
    { from = "all", name = "two", kind = "offer", when = [{ value = "$.k", not = ["1"] }], key = { id = "$.id" }, \
account = "$.a", party = "$.p" },
]
activity = [
    { from = "log", key = "$.n", at = "$.at", account = "$.a", party = "$.p", power = "$.w", entry = { id = "$.id" } },
]
"""


def test_what_was_done_is_by_the_access_that_is_named_if_there_is_just_one() -> None:
    at = "2026-05-01T00:00:00Z"
    lines = [
        {"a": "x", "p": "ada", "k": 1, "id": "e1", "seen": [at, at], "at": at, "sure": True},
        {"a": "x", "p": "bo", "k": 2, "id": "e2"},
        {"a": "x", "p": "bo", "k": 1, "id": "e3"},
        {"a": "x", "p": "bo", "k": 2, "id": "e3"},
    ]
    log = [{"n": str(n), "at": at, "a": "x", "p": "bo", "id": f"e{n}", "w": "edit"} for n in (1, 2, 3, 4)]
    settings = {"url": "http://house.example", "description": SPARSE}
    made = DescribedConnector(settings, "x", httpx.MockTransport(lambda _: httpx.Response(200, json={})))
    seen = made.trial({"/all": {"all": lines}, "/log": {"log": log}}).made
    assert {e.key: (e.state, e.reviewed_at, e.accepted_at is not None) for e in seen.entries if e.party == "ada"} == {
        "one:id=e1": (State.LIVE, (datetime(2026, 5, 1, tzinfo=UTC),) * 2, True)
    }
    assert next(e for e in seen.entries if e.key == "two:id=e2").state is State.OFFERED
    assert [one.entry for one in seen.activity] == ["one:id=e1", "two:id=e2", None, None]
    assert {one.power for one in seen.activity} == {Power.EDIT}
    assert {key: party.verified for key, party in seen.parties.items()} == {"ada": True, "bo": False}
