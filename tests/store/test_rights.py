"""What someone could do who has the service's login to the database: nothing to the log, and no door to everything."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from uuid import uuid4

import psycopg
import pytest
from psycopg import sql
from sqlalchemy.engine import make_url

from openlatch.core.model import Circle, Provider, Workspace
from openlatch.errors import Misconfigured
from openlatch.operations.call import as_service
from openlatch.operations.people import people
from openlatch.operations.people.keys import rotate
from openlatch.store.base import Base
from openlatch.words import Role
from tests.factories import account, entry, party
from tests.harness.databases import Databases
from tests.harness.ridge import Ridge, service_on
from tests.harness.sealing import seal_all

WORDS = "four words in a row"


@pytest.fixture(scope="module")
def plain(blank: Ridge, databases: Databases) -> Iterator[str]:
    """A login that owns nothing, with the rights of the service; two workspaces have something in their logs."""
    login, password = f"plain_{uuid4().hex[:12]}", uuid4().hex
    with psycopg.connect(databases.admin, autocommit=True) as admin:
        admin.execute(sql.SQL("create role {} login password {}").format(sql.Identifier(login), sql.Literal(password)))
    assert blank.store.grant(login), "it is another one"
    for slug in ("kestrel-ridge", "hill-farm"):
        workspace = Workspace(uuid4(), slug, slug, "UTC", Circle(frozenset({"ridge.example"})))
        with blank.store.found(workspace, blank.services.clock()) as tx:
            people.add_first(as_service(tx, blank.services), "Maren", f"maren@{slug}.example", Role.OWNER, WORDS)
    where = blank.service.settings.database_url.rpartition("@")[2]
    yield f"postgresql://{login}:{password}@{where}"
    with psycopg.connect(databases.admin, autocommit=True) as admin:
        database = where.rpartition("/")[2]
        with psycopg.connect(databases.admin.rpartition("/")[0] + f"/{database}", autocommit=True) as inside:
            inside.execute(sql.SQL("drop owned by {}").format(sql.Identifier(login)))
        admin.execute(sql.SQL("drop role {}").format(sql.Identifier(login)))


@pytest.mark.parametrize(
    "statement",
    [
        "update events set content = '{}'",
        "update events set actor = 'Someone else'",
        "update events set at = now()",
        "delete from events",
        "truncate events",
        "alter table events disable trigger events_stand",
        "drop trigger events_stand on events",
        "create or replace function events_stand() returns trigger language plpgsql as $$ begin return new; end $$",
        "alter table events no force row level security",
        "drop policy own_workspace on events",
        "create policy everything on events using (true)",
        "update log_nodes set hash = ''",
        "delete from log_nodes",
        "delete from seals",
        "update seals set archived = size, archived_link = link",
        "delete from workspaces",
        "delete from keys",
        "update alembic_version set version_num = '0001'",
        "set session_replication_role = replica",
        "set role openlatch",
        "create table kept_elsewhere as select * from events",
        "alter role current_user bypassrls",
    ],
)
def test_the_services_login_cannot_rewrite_what_happened(plain: str, statement: str) -> None:
    with psycopg.connect(plain) as connection:
        connection.execute(
            "select set_config('openlatch.workspace', workspace_id::text, false) from openlatch_workspaces()"
        )
        assert connection.execute("select count(*) from events").fetchone() != (0,)
        with pytest.raises(psycopg.errors.InsufficientPrivilege):
            connection.execute(statement)


def test_there_is_no_door_to_all_workspaces(plain: str) -> None:
    with psycopg.connect(plain) as connection:
        connection.execute("select set_config('openlatch.housekeeping', 'on', false)")
        for table in Base.metadata.tables:
            rows = connection.execute(sql.SQL("select count(*) from {}").format(sql.Identifier(table))).fetchone()
            assert rows == (0,), f"{table} shows something of workspaces that were not entered"
        names = connection.execute("select slug from openlatch_workspaces()").fetchall()
        assert names == [("hill-farm",), ("kestrel-ridge",)], "who there is, and nothing of what they have"


def test_what_has_grown_much_is_known_to_the_planner_soon(plain: str) -> None:
    """Only a table's owner may have it looked at; the service may have the owner do that."""
    learn, known = "select openlatch_learn(5000)", "select reltuples from pg_class where oid = 'upcoming'::regclass"
    grow = (
        "insert into upcoming (workspace_id, subject, subject_id, at) "
        "select workspace_id, 'entry', gen_random_uuid(), now() + interval '1 day' "
        "from openlatch_workspaces(), generate_series(1, {}) where slug = 'hill-farm'"
    )
    with psycopg.connect(plain, autocommit=True) as connection:
        connection.execute(
            "select set_config('openlatch.workspace', workspace_id::text, false) from openlatch_workspaces() "
            "where slug = 'hill-farm'"
        )
        assert connection.execute(learn).fetchone() == (0,)
        for rows, tables, after in ((6000, 1, 6000), (3000, 0, 6000), (6000, 1, 15000)):
            connection.execute(grow.format(rows))
            connection.execute("select pg_stat_force_next_flush()")
            assert connection.execute(learn).fetchone() == (tables,)
            assert connection.execute(known).fetchone() == (after,)


def test_each_table_is_seen_by_one_policy_so_that_its_indexes_are_used(plain: str) -> None:
    """Of two policies either is enough to see a row, and no index finds what may be seen by one or the other."""
    with psycopg.connect(plain) as connection:
        several = "select tablename from pg_policies group by tablename having count(*) > 1"
        assert connection.execute(several).fetchall() == [("workspaces",)]


def test_a_service_goes_on_changing_entries_while_the_counts_are_added_that_it_was_not_given_yet(
    plain: str, blank: Ridge
) -> None:
    login = make_url(plain).username or ""
    service = service_on(plain, blank.service.settings.secret_keys[0])
    provider = Provider(uuid4(), "Ticket Desk", "feed", {})
    where, who = account(id=uuid4(), provider_id=provider.id), party(id=uuid4())
    held = entry(id=uuid4(), provider_id=provider.id, account_id=where.id, party_id=who.id)
    with psycopg.connect(blank.service.settings.database_url) as owner:
        owner.execute(sql.SQL("revoke all on tallies, held_levels from {}").format(sql.Identifier(login)))
    try:
        with service.store.transaction("hill-farm") as tx:
            tx.providers.add(provider, b"")
            tx.accounts.add([where])
            tx.parties.add([who], [])
            tx.entries.add([held])
            tx.entries.save_all([replace(held, level="cashier", version=2)])
    finally:
        assert blank.store.grant(login)
        service.store.close()
    with blank.store.transaction("hill-farm") as tx:
        assert tx.tallies.standing().entries == 1
        assert [used.level for used in tx.words.used(provider.id)] == ["cashier"]


def test_the_service_does_its_work_with_these_rights(plain: str, blank: Ridge) -> None:
    service = service_on(plain, blank.service.settings.secret_keys[0])
    store = service.store
    try:
        assert blank.store.owns_tables()
        assert not store.owns_tables()
        assert store.ready() == ""
        (farm, ridge) = store.workspaces()
        assert {farm.id, ridge.id} <= {*store.unsealed()}
        with store.transaction(ridge.id) as tx:
            call = as_service(tx, service.services)
            rotate(call)
            people.add_first(call, "Ines", "ines@ridge.example", Role.REVIEWER, WORDS)
            assert len(tx.people.all()) == 2
        seal_all(store, service.services)
        with store.transaction(ridge.id) as tx:
            assert tx.events.head().size >= 3
        assert not list(store.unsealed())
    finally:
        store.close()


def test_a_login_that_could_do_more_is_refused(blank: Ridge, databases: Databases) -> None:
    with pytest.raises(Misconfigured, match="is not there"):
        blank.store.grant("nobody_of_that_name")
    with pytest.raises(Misconfigured, match="may do more than it is given"):
        blank.store.grant("postgres")
    assert not blank.store.grant("openlatch"), "the owner's own has all rights anyway"
