"""The MariaDB connector on a real server: what it reads is so, and what it ends is really refused."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator
from pathlib import Path

import certifi
import pymysql
import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.connectors.mariadb import GLOBAL, MariaDbConnector, matched
from openlatch.core.providers.observation import Observation, ObservedEntry, complaints
from openlatch.core.providers.ports import Change, Gift
from openlatch.errors import Invalid, ProviderDown, ProviderRefused
from openlatch.words import Kind, PartyKind, Power
from tests.connectors.mariadb import PASSWORD, MariaDb

ORLA = "or`la:d'%25"
PARTY = "or%60la%3Ad%27%2525:127.0.0.1"
NAME = "'" + ORLA.replace("'", "''") + "'"
WHO = f"{NAME}@'127.0.0.1'"


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[MariaDb]:
    server = MariaDb(tmp_path_factory.mktemp("mariadb"))
    server.does(
        f"create user latch@'127.0.0.1' identified by '{PASSWORD}'",
        "grant all privileges on *.* to latch@'127.0.0.1' with grant option",
        f"create user narrow@'127.0.0.1' identified by '{PASSWORD}'",
        "grant select on mysql.* to narrow@'127.0.0.1'",
        "grant process on *.* to narrow@'127.0.0.1'",
    )
    yield server
    server.stop()


@pytest.fixture
def connector(server: MariaDb) -> MariaDbConnector:
    return MariaDbConnector(settings(server), PASSWORD)


@pytest.fixture(autouse=True)
def orla(server: MariaDb) -> Iterator[None]:
    """A login with an awkward name, its namesake elsewhere, roles within roles, and privileges of every width."""
    server.does(
        "create database shop",
        "create table shop.orders (id int, price int)",
        "create table shop.guests (id int)",
        "create table shop.rooms (id int)",
        "create database `wi``ki_%`",
        "create table `wi``ki_%`.pages (id int)",
        "create procedure shop.tidy() select 1",
        "create role readers",
        "create role keepers",
        "grant select on shop.* to readers",
        "grant insert on shop.* to keepers",
        "grant readers to keepers",
        "grant readers to latch@'127.0.0.1' with admin option",
        "grant keepers to latch@'127.0.0.1' with admin option",
        f"create user {WHO} identified by '{PASSWORD}'",
        f"create user {WHO.replace('127.0.0.1', '10.%')} identified by '{PASSWORD}'",
        f"grant keepers to {WHO}",
        f"set default role keepers for {WHO}",
        f"grant select, update on shop.orders to {WHO}",
        f"grant select (id) on shop.guests to {WHO}",
        f"grant execute on procedure shop.tidy to {WHO}",
        f"grant insert, delete on `wi``ki\\_\\%`.* to {WHO} with grant option",
    )
    yield
    server.does(
        f"drop user {WHO}, {WHO.replace('127.0.0.1', '10.%')}",
        "drop role readers, keepers",
        "drop database shop",
        "drop database `wi``ki_%`",
    )


def settings(server: MariaDb, **more: str) -> dict[str, str]:
    return {"host": "127.0.0.1", "port": str(server.port), "user": "latch"} | more


def held(connector: MariaDbConnector, party: str = PARTY) -> dict[str, ObservedEntry]:
    seen = connector.look(party)
    assert complaints(seen) == ()
    return {entry.key.partition(f":{party}")[0]: entry for entry in seen.entries}


def whole(connector: MariaDbConnector) -> Observation:
    (page,) = connector.pages()
    return Observation(connector.look("").outcome, page.accounts, page.parties, page.entries)


def test_a_login_is_read_with_its_roles_and_what_it_may_do_where(connector: MariaDbConnector) -> None:
    entries = held(connector)
    assert set(entries) == {"login", "role:keepers", "grant:shop", "grant:wi%60ki%5C_%5C%25"}
    assert {e.hangs_on for e in entries.values()} == {None, f"login:{PARTY}"}
    assert (entries["login"].level, entries["login"].powers) == ("login", ())
    # The role reads only because it has itself one that does.
    assert entries["role:keepers"].powers == (Power.VIEW, Power.EDIT, Power.EXPORT)
    assert set(entries["grant:shop"].permissions) == {
        "SELECT ON `shop`.`orders`",
        "UPDATE ON `shop`.`orders`",
        "SELECT (`id`) ON `shop`.`guests`",
        "EXECUTE ON PROCEDURE `shop`.`tidy`",
    }
    wiki = entries["grant:wi%60ki%5C_%5C%25"]
    assert (wiki.resources, wiki.powers) == (("wi`ki\\_\\%",), (Power.EDIT, Power.ADMIT))
    assert set(held(connector, PARTY.replace("127.0.0.1", "10.%25"))) == {"login"}, "its namesake is another login"
    assert complaints(whole(connector)) == ()


def test_what_a_login_may_do_everywhere_is_what_the_server_itself_says(
    server: MariaDb, connector: MariaDbConnector
) -> None:
    """Every bit by its name, as information_schema has them for the same logins."""
    for word in GLOBAL:
        server.does(f"revoke all privileges, grant option from {WHO}", f"grant {word} on *.* to {WHO}")
        said = server.does(
            "select PRIVILEGE_TYPE as word, IS_GRANTABLE as more from information_schema.user_privileges "
            f"where GRANTEE = concat(char(39), {NAME}, char(39), '@', char(39), "
            "'127.0.0.1', char(39))"
        )
        words = {row["word"] for row in said} - {"USAGE"} | ({"GRANT OPTION"} if said[0]["more"] == "YES" else set())
        assert held(connector)["login"].permissions == (f"{word} ON *.*",)
        assert words == {word}


def test_a_login_that_is_ended_is_refused_and_its_sessions_are_closed(
    server: MariaDb, connector: MariaDbConnector
) -> None:
    theirs = server.connection(ORLA)
    (session,) = (e for e in held(connector).values() if e.kind is Kind.SESSION)
    assert (session.network, session.hangs_on) == ("127.0.0.1", f"login:{PARTY}")
    assert not connector.end(f"login:{PARTY}", PARTY, "1").already
    assert connector.end(f"login:{PARTY}", PARTY, "1").already
    assert connector.look(PARTY).entries == ()
    with pytest.raises(pymysql.err.MySQLError):
        theirs.ping(reconnect=False)
    assert server.may(ORLA, "select 1") is None
    assert set(held(connector, PARTY.replace("127.0.0.1", "10.%25"))) == {"login"}
    connector.give(PARTY, Gift("server", Kind.DELEGATE, "login", again=f"login:{PARTY}"), "2")
    assert server.may(ORLA, "select * from shop.orders") is True


def test_a_session_is_closed_and_the_other_one_goes_on(server: MariaDb, connector: MariaDbConnector) -> None:
    closed, kept = server.connection(ORLA), server.connection(ORLA)
    key = f"session:{closed.thread_id()}:{PARTY}"
    assert not connector.end(key, PARTY, "1").already
    assert connector.end(key, PARTY, "1").already
    kept.ping(reconnect=False)
    with pytest.raises(pymysql.err.MySQLError):
        closed.ping(reconnect=False)
    kept.close()


@pytest.mark.parametrize(
    ("key", "statements"),
    [
        ("role:keepers", ["select * from shop.rooms", "insert into shop.rooms values (1)"]),
        ("grant:shop", ["update shop.orders set price = 1", "call shop.tidy()"]),
        ("grant:wi%60ki%5C_%5C%25", ["insert into `wi``ki_%`.pages values (1)", "delete from `wi``ki_%`.pages"]),
    ],
)
def test_what_is_ended_is_refused_by_the_server_and_restored_it_is_as_it_was(
    server: MariaDb, connector: MariaDbConnector, key: str, statements: list[str]
) -> None:
    before = held(connector)
    assert [server.may(ORLA, text) for text in statements[:1]] == [True]
    assert not connector.end(f"{key}:{PARTY}", PARTY, "1").already
    assert connector.end(f"{key}:{PARTY}", PARTY, "1").already
    assert held(connector) == {name: e for name, e in before.items() if name != key}
    assert [server.may(ORLA, text) for text in statements] == [False] * len(statements)
    had = before[key]
    gift = Gift(had.account, had.kind, had.level, had.permissions, had.resources, again=had.key)
    connector.give(PARTY, gift, "2")
    assert held(connector).keys() == before.keys()
    assert set(held(connector)[key].permissions) == set(had.permissions)


def test_what_everyone_and_whoever_gives_no_name_may_do_is_open_and_can_be_ended(
    server: MariaDb, connector: MariaDbConnector
) -> None:
    server.does(
        "grant select on shop.guests to public",
        "create user ''@'127.0.0.1'",
        "grant select on shop.orders to ''@'127.0.0.1'",
    )
    try:
        seen = whole(connector)
        anyone = {p.key: p.name for p in seen.parties if p.kind is PartyKind.ANYONE}
        assert anyone == {"PUBLIC:": "everyone who may sign in", ":127.0.0.1": "anyone at 127.0.0.1"}
        opened = {e.key: e.level for e in seen.entries if e.kind is Kind.OPEN}
        assert opened == {
            "grant:shop:PUBLIC:": "privileges in a database",
            "login::127.0.0.1": "login without a password",
            "grant:shop::127.0.0.1": "privileges in a database",
        }
        assert server.may("narrow", "select * from shop.guests") is True
        connector.end("grant:shop:PUBLIC:", "PUBLIC:", "1")
        assert server.may("narrow", "select * from shop.guests") is False
        connector.end("login::127.0.0.1", ":127.0.0.1", "1")
        with pytest.raises(pymysql.err.OperationalError):
            server.connection("whoever", "")
    finally:
        server.does("drop user ''@'127.0.0.1'")


def test_a_role_is_given_to_a_login_that_is_there(server: MariaDb, connector: MariaDbConnector) -> None:
    assert connector.abilities().levels["keepers"] == (Power.VIEW, Power.EDIT, Power.EXPORT)
    gift = Gift("server", Kind.DELEGATE, "readers")
    connector.give(PARTY, gift, "1")
    connector.give(PARTY, gift, "1")
    assert "role:readers" in held(connector)
    for party, level in (("nobody:%25", "readers"), (PARTY, "no such role")):
        with pytest.raises(ProviderRefused, match="has no"):
            connector.give(party, Gift("server", Kind.DELEGATE, level), "2")
    for text in ("DROP DATABASE shop", "SELECT ON `shop`.`orders` TO narrow; DROP DATABASE shop"):
        wrong = Gift("server", Kind.DELEGATE, "privileges in a database", (text,), again=f"grant:shop:{PARTY}")
        with pytest.raises(ProviderRefused, match="no words for it"):
            connector.give(PARTY, wrong, "3")
    assert server.may(ORLA, "select * from shop.orders") is True


def test_it_does_not_lock_itself_out_and_changes_nothing_that_it_may_not(
    server: MariaDb, connector: MariaDbConnector
) -> None:
    with pytest.raises(ProviderRefused, match="own way in"):
        connector.end("login:latch:127.0.0.1", "latch:127.0.0.1", "1")
    with pytest.raises(ProviderRefused):
        connector.change(f"login:{PARTY}", PARTY, Change(lifts=("end",)), "1")
    narrow = MariaDbConnector(settings(server, user="narrow"), PASSWORD)
    assert held(narrow).keys() == held(connector).keys()
    for key in ("login", "role:keepers", "grant:shop"):
        with pytest.raises(ProviderRefused, match="does not let"):
            narrow.end(f"{key}:{PARTY}", PARTY, "1")
    server.does("revoke admin option for keepers from latch@'127.0.0.1'")
    with pytest.raises(ProviderRefused, match="do this"):
        connector.end(f"role:keepers:{PARTY}", PARTY, "2")
    assert server.may(ORLA, "select * from shop.orders") is True
    assert {p.key for p in whole(connector).parties if p.service} == {"latch:127.0.0.1"}


def test_whoever_has_the_name_of_our_login_elsewhere_is_somebody_else(
    server: MariaDb, connector: MariaDbConnector
) -> None:
    server.does("create user latch@'10.%' identified by 'x'")
    try:
        assert {p.key for p in whole(connector).parties if p.service} == {"latch:127.0.0.1"}
        connector.end("login:latch:10.%25", "latch:10.%25", "1")
        assert connector.look("latch:10.%25").entries == ()
    finally:
        server.does("drop user latch@'10.%'")


def test_somebody_is_found_by_the_name_of_their_login_unless_two_have_it(connector: MariaDbConnector) -> None:
    assert connector.find("narrow").key == "narrow:127.0.0.1"
    assert connector.find(f"{ORLA}@127.0.0.1").key == PARTY
    (hindrance,) = connector.find(ORLA).hindrances
    assert "2 logins of that name" in hindrance.text
    assert [h.kind for h in connector.find("nobody").hindrances] == ["not-registered"]


def test_what_keeps_it_out_is_told_apart(server: MariaDb) -> None:
    def refused(pattern: str, kind: type[Exception], secret: str = PASSWORD, **more: str) -> None:
        with pytest.raises(kind, match=pattern):
            list(MariaDbConnector(settings(server, **more), secret).pages())

    refused("does not let “latch” in", ProviderRefused, secret="wrong")
    refused("does not answer", ProviderDown, port="1")
    refused("no certificate", Invalid, authority="x")
    refused("'base'", Invalid, base="x")


def test_where_a_certificate_is_asked_for_nothing_is_sent_in_clear(server: MariaDb) -> None:
    connector = MariaDbConnector(settings(server, authority=Path(certifi.where()).read_text()), PASSWORD)
    with pytest.raises(ProviderDown, match="SSL is required"):
        list(connector.pages())


@given(st.ip_addresses(v=4), st.lists(st.sampled_from(["%", "10.%", "10.0.0.0/255.0.0.0", "1_.%", "localhost", ""])))
def test_the_login_that_counts_for_a_client_fits_it_and_is_the_most_exact(
    client: ipaddress.IPv4Address, others: list[str]
) -> None:
    text = str(client)
    assert matched(text, [*others, text]) == text, "whoever is named by address goes first"
    found = matched(text, others)
    assert (found is None) is not any(
        host in ("%", "") or (host.startswith("10") and text.startswith("10.")) or (host == "1_.%" and _tens(text))
        for host in others
    )


def _tens(text: str) -> bool:
    return len(text.split(".", maxsplit=1)[0]) == 2 and text.startswith("1")
