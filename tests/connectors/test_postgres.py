"""The PostgreSQL connector on a real server: what it reads is so, and what it ends is really refused."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any
from uuid import uuid4

import psycopg
import pytest

from openlatch.connectors.postgres import PostgresConnector
from openlatch.core.providers.ports import Change, Gift
from openlatch.demo import catalogue
from openlatch.errors import Invalid, ProviderDown, ProviderRefused
from openlatch.local.stack import Stack
from openlatch.words import Kind, Power

PASSWORD = "only-for-this-test"


@pytest.fixture
def keeper(stack: Stack) -> Iterator[psycopg.Connection[Any]]:
    with psycopg.connect(stack.catalogue_admin_url(), autocommit=True) as connection:
        yield connection


@pytest.fixture
def role(keeper: psycopg.Connection[Any]) -> Iterator[str]:
    """A login with an awkward name, in a group inside a group, with a privilege of its own.

    Its person is nobody of the demo, which may be read meanwhile, and it is gone afterwards.
    """
    name = f"ha'nne:va le {uuid4().hex[:6]}"
    quoted = f'"{name}"'
    keeper.execute(f"create role {quoted} login password '{PASSWORD}'")
    keeper.execute(f"grant plate_editors to {quoted}")
    keeper.execute(f"grant insert on gate_log to {quoted}")
    keeper.execute(f"comment on role {quoted} is 'Hanne Vale <hanne.vale@brightmere.example>'")
    yield name
    keeper.execute(f"drop owned by {quoted}")
    keeper.execute(f"drop role {quoted}")


def settings(stack: Stack) -> dict[str, str]:
    info = psycopg.conninfo.conninfo_to_dict(stack.catalogue_url(catalogue.LATCH))
    return {
        "host": str(info["host"]),
        "port": str(info["port"]),
        "database": str(info["dbname"]),
        "user": str(info["user"]),
    }


@pytest.fixture
def connector(stack: Stack) -> PostgresConnector:
    secret = psycopg.conninfo.conninfo_to_dict(stack.catalogue_url(catalogue.LATCH))["password"]
    return PostgresConnector(settings(stack), str(secret))


def signed_in(stack: Stack, role: str) -> psycopg.Connection[Any]:
    return psycopg.connect(stack.catalogue_admin_url(), user=role, password=PASSWORD, autocommit=True)


def test_a_role_is_shown_with_its_person_its_own_powers_and_what_its_groups_lend(
    connector: PostgresConnector, role: str
) -> None:
    seen = connector.look(role)
    assert [(p.name, p.addresses) for p in seen.parties] == [("Hanne Vale", ("hanne.vale@brightmere.example",))]
    by_level = {e.level: e for e in seen.entries}
    assert set(by_level) == {"login", "plate_editors"}
    assert by_level["login"].powers == (Power.EDIT,)
    # The group reads only because it is itself in a group that does.
    assert by_level["plate_editors"].powers == (Power.VIEW, Power.EDIT, Power.EXPORT)
    assert by_level["plate_editors"].hangs_on == by_level["login"].key


def test_its_own_login_is_a_service_account_and_nobody_elses_is(connector: PostgresConnector, role: str) -> None:
    (page,) = connector.pages()
    assert {p.key for p in page.parties if p.service} == {catalogue.LATCH}
    assert role in {p.key for p in page.parties}


def test_a_membership_that_is_ended_lends_nothing_any_more(
    stack: Stack, connector: PostgresConnector, role: str
) -> None:
    with signed_in(stack, role) as theirs:
        theirs.execute("select count(*) from plates")
    entry = next(e for e in connector.look(role).entries if e.level == "plate_editors")
    assert not connector.end(entry.key, role, "1").already
    assert connector.end(entry.key, role, "1").already
    assert entry.key not in {e.key for e in connector.look(role).entries}
    with signed_in(stack, role) as theirs, pytest.raises(psycopg.errors.InsufficientPrivilege):
        theirs.execute("select count(*) from plates")


def test_a_login_that_is_ended_is_refused_and_its_sessions_are_closed(
    stack: Stack, connector: PostgresConnector, role: str
) -> None:
    theirs = signed_in(stack, role)
    kinds = [e.kind for e in connector.look(role).entries]
    assert kinds.count(Kind.SESSION) == 1
    login = next(e for e in connector.look(role).entries if e.level == "login")
    connector.end(login.key, role, "1")
    assert connector.look(role).entries == ()
    with pytest.raises(psycopg.OperationalError):
        theirs.execute("select 1")
    with pytest.raises(psycopg.OperationalError, match="not permitted to log in"):
        signed_in(stack, role)
    theirs.close()


def test_closing_a_session_leaves_the_login_and_the_other_session(
    stack: Stack, connector: PostgresConnector, role: str
) -> None:
    with signed_in(stack, role) as kept:
        closed = signed_in(stack, role)
        sessions = [e for e in connector.look(role).entries if e.kind is Kind.SESSION]
        target = next(e for e in sessions if e.key.startswith(f"session:{closed.info.backend_pid}:"))
        connector.end(target.key, role, "1")
        assert [e.key for e in connector.look(role).entries if e.kind is Kind.SESSION] == [
            e.key for e in sessions if e is not target
        ]
        kept.execute("select 1")
        closed.close()


def test_a_login_is_given_an_end_that_the_server_keeps(stack: Stack, connector: PostgresConnector, role: str) -> None:
    login = next(e for e in connector.look(role).entries if e.level == "login")
    until = datetime(2031, 5, 10, 12, tzinfo=UTC)
    connector.change(login.key, role, Change(ends_at=until), "1")
    seen = {e.level: e for e in connector.look(role).entries}
    assert (seen["login"].ends_at, seen["login"].kind) == (until, Kind.GRANT)
    signed_in(stack, role).close()
    connector.change(login.key, role, Change(ends_at=datetime(2020, 1, 1, tzinfo=UTC)), "2")
    with pytest.raises(psycopg.OperationalError):
        signed_in(stack, role)
    with pytest.raises(ProviderRefused):
        connector.change(seen["plate_editors"].key, role, Change(ends_at=until), "3")


def test_a_login_that_was_closed_is_opened_again(stack: Stack, connector: PostgresConnector, role: str) -> None:
    before = {e.key: e for e in connector.look(role).entries}
    for key in before:
        connector.end(key, role, key)
    for had in before.values():
        connector.give(role, Gift(had.account, had.kind, had.level, again=had.key), had.key)
    assert {e.key: (e.level, e.kind, e.ends_at) for e in connector.look(role).entries} == {
        key: (e.level, e.kind, e.ends_at) for key, e in before.items()
    }
    signed_in(stack, role).close()


def test_a_database_end_date_makes_a_grant_and_infinity_means_no_end(
    connector: PostgresConnector, keeper: psycopg.Connection[Any], role: str
) -> None:
    keeper.execute(f"alter role \"{role}\" valid until '2031-01-02 00:00:00+00'")
    (dated,) = (e for e in connector.look(role).entries if e.level == "login")
    assert (dated.kind, dated.ends_at.year if dated.ends_at else None) == (Kind.GRANT, 2031)
    keeper.execute(f"alter role \"{role}\" valid until 'infinity'")
    (open_ended,) = (e for e in connector.look(role).entries if e.level == "login")
    assert (open_ended.kind, open_ended.ends_at) == (Kind.DELEGATE, None)


def test_it_does_not_lock_itself_out(connector: PostgresConnector) -> None:
    with pytest.raises(ProviderRefused, match="own way in"):
        connector.end(f"login:{catalogue.LATCH}", catalogue.LATCH, "1")


def test_what_keeps_it_out_is_told_apart(stack: Stack) -> None:
    with pytest.raises(ProviderRefused, match="authentication failed"):
        list(PostgresConnector(settings(stack), "wrong").pages())
    with pytest.raises(ProviderDown, match="does not answer"):
        list(PostgresConnector(settings(stack) | {"port": "1"}, "").pages())
    with pytest.raises(Invalid, match="'port'"):
        PostgresConnector({k: v for k, v in settings(stack).items() if k != "port"}, "")
    with pytest.raises(Invalid, match="not a port number"):
        PostgresConnector(settings(stack) | {"port": "99999"}, "")


def test_what_an_end_leaves_of_a_login_is_said_and_where_only_passwords_are_taken_it_is_enforced(
    stack: Stack, connector: PostgresConnector, keeper: psycopg.Connection[Any], role: str
) -> None:
    can = connector.abilities()
    assert (can.enforces, "any other way to sign in" in can.past_end) == (frozenset(), True)
    ways = {row[0] for row in keeper.execute("select distinct auth_method from pg_hba_file_rules")}
    keeper.execute(f"grant execute on function pg_hba_file_rules() to {catalogue.LATCH}")
    keeper.execute(f"grant select on pg_hba_file_rules to {catalogue.LATCH}")
    try:
        can = connector.abilities()
        assert (can.enforces != frozenset()) is (ways <= {"scram-sha-256", "md5", "password", "reject"}), ways
        assert (can.past_end == "") is (can.enforces != frozenset())
    finally:
        keeper.execute(f"revoke select on pg_hba_file_rules from {catalogue.LATCH}")
        keeper.execute(f"revoke execute on function pg_hba_file_rules() from {catalogue.LATCH}")
    keeper.execute(f"alter role \"{role}\" valid until '2020-01-01'")
    with pytest.raises(psycopg.OperationalError, match="authentication failed"):
        signed_in(stack, role)


def test_what_everyone_may_do_is_open_and_once_it_is_ended_the_server_refuses_it(
    stack: Stack, connector: PostgresConnector, keeper: psycopg.Connection[Any], role: str
) -> None:
    keeper.execute(f"grant create on database {catalogue.DATABASE} to {catalogue.LATCH}")
    keeper.execute(f'revoke plate_editors from "{role}"')
    with psycopg.connect(stack.catalogue_url(catalogue.LATCH), autocommit=True) as latch:
        latch.execute('create schema "Fair; drop"')
        latch.execute('create table "Fair; drop"."odd ""name""" (a int, "b c" int)')
        latch.execute(
            'create function "Fair; drop".rest(integer, text[]) returns int '
            "language sql security definer as $$ select 1 $$"
        )
        latch.execute('create function "Fair; drop".plain() returns int language sql as $$ select 1 $$')
        latch.execute('grant usage on schema "Fair; drop" to public')
        latch.execute('grant select ("b c"), insert on "Fair; drop"."odd ""name""" to public')
        latch.execute('alter default privileges in schema "Fair; drop" grant select on tables to public')
        try:
            read = 'select "b c" from "Fair; drop"."odd ""name"""'
            with signed_in(stack, role) as theirs:
                theirs.execute(read)
            (before,) = connector.look("public").entries
            assert (before.kind, before.powers) == (Kind.OPEN, (Power.VIEW, Power.EDIT, Power.EXPORT))
            assert set(before.permissions) == {
                'INSERT ON TABLE "Fair; drop"."odd ""name"""',
                'SELECT ("b c") ON TABLE "Fair; drop"."odd ""name"""',
                'EXECUTE ON ROUTINE "Fair; drop".rest(integer,text[])',
                f'ALTER DEFAULT PRIVILEGES FOR ROLE {catalogue.LATCH} IN SCHEMA "Fair; drop" SELECT ON TABLES',
            }, "a function with the rights of whoever calls it lets nobody do more"
            assert not connector.end("public", "public", "1").already
            assert connector.end("public", "public", "1").already
            assert connector.look("public").entries == ()
            with signed_in(stack, role) as theirs, pytest.raises(psycopg.errors.InsufficientPrivilege):
                theirs.execute(read)
            latch.execute('create table "Fair; drop".later (a int)')
            with signed_in(stack, role) as theirs, pytest.raises(psycopg.errors.InsufficientPrivilege):
                theirs.execute('select * from "Fair; drop".later')
            again = Gift(before.account, before.kind, before.level, before.permissions, again="public")
            connector.give("public", again, "2")
            assert set(connector.look("public").entries[0].permissions) == set(before.permissions)
            for text in ("SELECT ON TABLE a.b TO nobody; drop table plates", "SELECT ON TABLE a", "drop table plates"):
                with pytest.raises(ProviderRefused, match="no words for it"):
                    connector.give("public", Gift("", Kind.OPEN, "PUBLIC", (text,), again="public"), "3")
            connector.end("public", "public", "4")
            keeper.execute("grant select on gate_log to public")
            with pytest.raises(ProviderRefused, match="Nothing was changed"):
                connector.end("public", "public", "5")
            assert connector.look("public").entries[0].permissions == ("SELECT ON TABLE public.gate_log",)
        finally:
            keeper.execute("revoke select on gate_log from public")
            latch.execute('drop schema "Fair; drop" cascade')
            keeper.execute(f"revoke create on database {catalogue.DATABASE} from {catalogue.LATCH}")


def test_privileges_of_every_sort_are_read_and_counted(
    connector: PostgresConnector, keeper: psycopg.Connection[Any], role: str
) -> None:
    keeper.execute("create schema fair")
    try:
        for number in range(3):
            keeper.execute(f"create table fair.t{number} (a int)")
        for what in (
            "usage, create on schema fair",
            "select on fair.t1, fair.t2",
            "update (a) on fair.t0",
            "create on database plate_catalogue",
        ):
            keeper.execute(f'grant {what} to "{role}"')
        keeper.execute(f'alter default privileges in schema fair grant delete on tables to "{role}"')
        keeper.execute(f'grant select on fair.t0 to "{role}" with grant option')
        (login,) = (e for e in connector.look(role).entries if e.level == "login")
        assert set(login.permissions) == {
            "INSERT on 1 table",
            "SELECT on 3 tables",
            "UPDATE on 1 column",
            "CREATE on 1 schema",
            "CREATE on 1 database",
            "DELETE on 1 table to come",
        }
        assert login.powers == (Power.VIEW, Power.EDIT, Power.EXPORT, Power.ADMIT)
        keeper.execute(f'alter table fair.t1 owner to "{role}"')
        (login,) = (e for e in connector.look(role).entries if e.level == "login")
        assert "owner of 1 table" in login.permissions
    finally:
        keeper.execute(f'revoke create on database plate_catalogue from "{role}"')
        keeper.execute("drop schema fair cascade")


def test_a_membership_of_a_login_with_an_end_is_given_again_if_that_is_over_by_then(
    connector: PostgresConnector, keeper: psycopg.Connection[Any], role: str
) -> None:
    keeper.execute(f"alter role \"{role}\" valid until '2031-01-02 00:00:00+00'")
    had = next(e for e in connector.look(role).entries if e.level == "plate_editors")
    assert (had.kind, had.ends_at) == (Kind.GRANT, datetime(2031, 1, 2, tzinfo=UTC))
    connector.end(had.key, role, "1")
    sooner = Gift(had.account, had.kind, had.level, ends_at=datetime(2030, 1, 1, tzinfo=UTC), again=had.key)
    with pytest.raises(ProviderRefused):
        connector.give(role, sooner, "2")
    connector.give(role, Gift(had.account, had.kind, had.level, ends_at=had.ends_at, again=had.key), "3")
    assert had.key in {e.key for e in connector.look(role).entries}
