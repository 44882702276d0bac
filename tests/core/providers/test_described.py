"""What lines become by a description: whatever is sent, it is an entry as described, or a fault that says where."""

from __future__ import annotations

from datetime import UTC, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.providers import described as core
from openlatch.core.providers.described import (
    Act,
    Described,
    Fault,
    Listing,
    Path,
    Rule,
    Value,
    When,
    acting,
    making,
    values,
)
from openlatch.core.providers.ports import Answer, Change, Gift
from openlatch.words import Kind

json_values = st.recursive(
    st.none() | st.booleans() | st.integers(-(10**20), 10**20) | st.floats(allow_nan=False) | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from("abkpl"), inner, max_size=4),
    max_leaves=12,
)
lines = st.lists(st.dictionaries(st.sampled_from(["id", "who", "role", "at"]), json_values, max_size=4), max_size=5)
parts = st.dictionaries(st.sampled_from(["team", "id", "login"]), st.text(min_size=1, max_size=12), min_size=1)


def value(*pieces: str, **more: Any) -> Value:
    return Value(tuple(Path(piece) if piece.startswith("$") else piece for piece in pieces), **more)


def small(acts: tuple[Act, ...] = ()) -> Described:
    listing = Listing("all", "line 1", "/all", Path("$[*]"))
    account = Rule("account", "line 2", "all", "all", {"key": (value("$.id"),)})
    party = Rule("party", "line 3", "all", "all", {"key": (value("$.who"),)})
    fields = {"account": value("$.id"), "party": value("$.who"), "level": value("$.role"), "last_used": value("$.at")}
    wanted = (When(value("$.role"), frozenset({"none"}), holds=False),)
    entry = Rule(
        "entry", "line 4", "all", "all", {k: (v,) for k, v in fields.items()}, {"id": value("$.id")}, when=wanted
    )
    return Described((listing,), (account, party, entry), acts, {"lead": ()})


@given(lines)
def test_whatever_is_sent_it_is_entries_or_a_fault_that_says_where(sent: list[dict[str, Any]]) -> None:
    made, faults = core.Made(), []
    try:
        made = core.made(small(), {"all": sent})
    except Fault as fault:
        faults.append(fault)
    if faults:
        assert faults[0].part.startswith("line ")
        assert faults[0].problem
        return
    assert len(made.entries) + made.unexplained.get("all", 0) == len(sent)
    assert {entry.account for entry in made.entries} <= set(made.accounts)
    assert {entry.party for entry in made.entries} <= set(made.parties)


@given(parts, st.text(max_size=10), st.text(max_size=10))
def test_what_a_request_needs_is_had_again_from_the_key_of_an_entry(
    key: dict[str, str], party: str, level: str
) -> None:
    url = "/x" + "".join(f"/{{{name}}}" for name in key)
    body = {"all": [f"{{{name}}}" for name in key], "said": "so be it {party}", "level": "{level}", "n": 4}
    act = Act("level", "line 5", "all", "PUT", url, body)
    rule = Rule("entry", "line 4", "all", "all", {}, {name: value(f"$.{name}") for name in key})
    whole = Described((), (rule,), (act,))
    line = dict(key)
    made_key = making._Reader(rule).key(line)
    if not level:
        assert core.changed(whole, made_key, party, Change(level=level)) is None
        return
    ((_, sent),) = core.changed(whole, made_key, party, Change(level=level)) or []
    assert sent.body == {"all": list(key.values()), "said": f"so be it {party}", "level": level, "n": 4}
    assert sent.url.count("/") == 1 + len(key), "no part of a key leads to another place"


@given(st.text(max_size=20), st.integers(100, 599))
def test_an_answer_means_what_is_described_and_nothing_else(why: str, status: int) -> None:
    meanings = {"done": frozenset({200}), "gone": frozenset({404}), "later": frozenset({202})}
    act = Act("end", "p", "all", "DELETE", "/x", **meanings)
    told = core.answered(act, status, {"why": why})
    assert (isinstance(told, Answer)) == (status in (200, 202, 404))
    assert told is None or (isinstance(told, Answer) and (told.already, told.later) == (status == 404, status == 202))


@pytest.mark.parametrize(
    ("form", "text", "instant"),
    [
        ("instant", "2026-07-01T10:00:00+02:00", datetime(2026, 7, 1, 8, tzinfo=UTC)),
        ("instant", "2026-07-01T10:00:00", datetime(2026, 7, 1, 9, tzinfo=UTC)),
        ("day", "2026-07-01", datetime(2026, 6, 30, 23, tzinfo=UTC)),
        ("last-day", "2026-07-01", datetime(2026, 7, 1, 23, tzinfo=UTC)),
        ("epoch", "1700000000", datetime(2023, 11, 14, 22, 13, 20, tzinfo=UTC)),
        ("epoch-ms", "1700000000000", datetime(2023, 11, 14, 22, 13, 20, tzinfo=UTC)),
    ],
)
def test_instants_and_days_are_read_in_their_zone(form: Any, text: str, instant: datetime) -> None:
    assert values.instant(value("$.at", form=form, zone="Europe/London"), text) == instant


names = st.text(min_size=1, max_size=6)
members = st.dictionaries(names, st.dictionaries(st.sampled_from(["a", "b"]), json_values, max_size=2), max_size=4)


@given(
    st.integers(0, 50), st.integers(0, 5000), st.text("abc", max_size=3), st.sampled_from(["page", "offset", "cursor"])
)
def test_a_page_is_asked_for_by_the_names_that_the_service_has(pages: int, lines: int, cursor: str, how: Any) -> None:
    ours = Listing("all", "p", f"/all{{?{how},size}}", Path("$[*]"), paging=how, size=7)
    called = {how: "from.here", "size": "perPage"}
    theirs = Listing("all", "p", "/all{?from.here,perPage}", Path("$[*]"), paging=how, size=7, called=called)
    asked = [core.request_of(one, None, pages=pages, lines=lines, cursor=cursor) for one in (ours, theirs)]
    assert asked[1] == asked[0].replace(f"{how}=", "from.here=").replace("size=", "perPage=")
    assert (how in asked[0]) is (how != "cursor" or bool(cursor)), "nothing is said of a cursor before there is one"


@given(members)
def test_the_members_of_an_object_are_lines_as_those_of_a_list_are(sent: dict[str, dict[str, Any]]) -> None:
    keyed = Listing("all", "line 1", "/all", Path("$.all.*"), name_as="id")
    plain = Listing("all", "line 1", "/all", Path("$.all[*]"))
    whole = [{**line, "id": name} for name, line in sent.items()]
    assert core.lines_in(keyed, {"all": sent}, None) == core.lines_in(plain, {"all": whole}, None) == whole
    for wrong in ({}, {"all": whole}, {"all": None}, []):
        with pytest.raises(Fault, match="no object at"):
            core.lines_in(keyed, wrong, None)
    with pytest.raises(Fault, match="no list at"):
        core.lines_in(plain, {"all": sent}, None)


@given(st.lists(names | st.integers(), max_size=5), st.dictionaries(names, names, max_size=4))
def test_texts_and_numbers_are_lines_that_say_them(texts: list[Any], roles: dict[str, str]) -> None:
    listing = Listing("all", "line 1", "/all", Path("$[*]"), item_as="login")
    assert core.lines_in(listing, texts, None) == [{"login": text} for text in texts]
    with pytest.raises(Fault, match="is no object"):
        core.lines_in(listing, [[1]], None)
    both = Listing("all", "line 1", "/all", Path("$.*"), name_as="login", item_as="role")
    outer = {"id": 3}
    told = [{"login": login, "role": role, "of": outer} for login, role in roles.items()]
    assert core.lines_in(both, roles, outer) == told


ZONES = st.sampled_from(["UTC", "Europe/London", "Pacific/Auckland", "America/New_York"])


@given(
    st.sampled_from(["instant", "epoch", "epoch-ms", "day", "last-day"]),
    st.integers(0, 4_000_000_000).map(lambda second: datetime.fromtimestamp(second, UTC)),
    ZONES,
)
def test_an_end_that_is_sent_is_read_back_as_it_was_and_never_as_a_later_one(
    form: Any, at: datetime, zone: str
) -> None:
    act = Act("date", "p", "all", "PUT", "/x", {"to": "{until}"}, until_as=form, zone=zone)
    rule = Rule("entry", "p", "all", "all", {})
    ((_, sent),) = core.changed(Described((), (rule,), (act,)), "all:id=1", "p", Change(ends_at=at)) or []
    read = values.instant(value("$.at", form=form, zone=zone), str(sent.body["to"]))
    whole = at.astimezone(ZoneInfo(zone)).time() == time()
    assert read == at if form not in ("day", "last-day") or whole else at - timedelta(days=1, hours=2) < read < at


@given(st.text(min_size=1, max_size=8), st.text(min_size=1, max_size=8), st.sampled_from(["", "lead", "guest"]))
def test_what_is_given_says_all_of_it_or_is_not_sent(account: str, party: str, level: str) -> None:
    rule = Rule("entry", "p", "all", "all", {})
    body = {"who": "{party}", "role": "{level}"}
    act = Act("give", "p", "all", "POST", "/x/{account}", body, level_as={"lead": 1})
    whole = Described((), (rule,), (act,))
    _, sent = core.given(whole, party, Gift(account, Kind.DELEGATE, level)) or (None, core.Sent("", ""))
    assert sent.body == {"who": party, "role": {"": None, "lead": 1}.get(level, level)}
    assert sent.url.count("/") == 2, "no account leads to another place"
    assert (
        core.given(whole, party, Gift(account, Kind.DELEGATE, level, ends_at=datetime(2027, 1, 1, tzinfo=UTC))) is None
    )
    mute = Described((), (rule,), (Act("give", "p", "all", "POST", "/x/{account}/{party}"),))
    assert (core.given(mute, party, Gift(account, Kind.DELEGATE, level)) is None) is bool(level)
    assert (core.gives(whole), core.given(whole, party, Gift(account, Kind.GRANT, level))) == ({Kind.DELEGATE}, None)


@pytest.mark.parametrize(
    ("text", "sent"), [("17", 17), ("-3", -3), ("x", "x"), ("١٧", "١٧"), ("", None), ("9" * 30, "9" * 30)]
)
def test_what_is_to_be_a_number_is_one_where_it_can_be(text: str, sent: object) -> None:
    assert acting._filled({"n": "{id:number}"}, {"id": text}) == {"n": sent}
    assert acting._filled("no {id:number}!", {"id": text}) == f"no {text}!"


def test_a_line_of_another_list_belongs_by_what_both_say_and_two_of_them_are_a_fault() -> None:
    join = core.Joined("roles", value("$.role"), value("$.id"), "more")
    listing = Listing("all", "line 1", "/all", Path("$[*]"), joins=(join,))
    roles: list[dict[str, Any]] = [{"id": 5, "title": "Lead"}, {"id": "6", "title": "Guest"}]
    together = core.joined(listing, [{"role": 5}, {"role": "6"}, {"role": 7}], {"roles": roles})
    assert [line.get("more", {}).get("title") for line in together] == ["Lead", "Guest", None]
    with pytest.raises(Fault, match="two lines with '5'"):
        core.joined(listing, [{"role": 5}], {"roles": [*roles, {"id": 5, "title": "Another"}]})


def test_two_kinds_of_entry_are_ended_only_where_both_can_be() -> None:
    rules = (Rule("entry", "p", "a", "x", {}, kind=Kind.GRANT), Rule("entry", "p", "b", "x", {}, kind=Kind.GRANT))
    act = Act("end", "p", "a", "DELETE", "/x")
    assert core.acts_on(Described((), rules, (act,)), "end") == frozenset()
    both = Described((), rules, (act, Act("end", "p", "b", "DELETE", "/x")))
    assert core.acts_on(both, "end") == {Kind.GRANT}
    assert core.ended(both, "c:id=1", "p") is None
