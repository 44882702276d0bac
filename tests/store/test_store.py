"""The database keeps what the code promises: workspaces apart, jobs with their change, and the log as it was."""

from __future__ import annotations

import gc
import weakref
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing, contextmanager
from dataclasses import replace
from datetime import UTC, datetime, time
from itertools import repeat
from threading import Barrier
from typing import Any
from uuid import UUID, uuid4

import psycopg
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import create_engine
from sqlalchemy.engine import make_url

from openlatch.core.hours import Hours, Window
from openlatch.core.inventory.reconcile import Identifier
from openlatch.core.model import Dependency, Provider, Workspace
from openlatch.core.record.heads import Checked, checked
from openlatch.core.record.ledger import Event, Sealed, link
from openlatch.errors import Changed, Misconfigured
from openlatch.store import Store
from openlatch.store.base import Base
from openlatch.store.bulk import FEW, as_array
from openlatch.store.inventory.entries import SORTS, EntryFilter, Mark
from openlatch.store.inventory.parties import PartyFilter
from openlatch.words import PartyOrder, Power, State
from tests.factories import account, ago, entry, ids, party
from tests.harness.databases import Databases
from tests.harness.demo import schema
from tests.harness.ridge import Ridge, service_on

NOW = datetime(2026, 5, 10, tzinfo=UTC)
NEW_ID = ids()


@pytest.fixture
def store(blank: Ridge) -> Store:
    return blank.service.store


@pytest.fixture
def workspace(store: Store) -> UUID:
    """A workspace of its own."""
    made = Workspace(uuid4(), f"w-{uuid4().hex[:12]}", "Another holder")
    with store.found(made, NOW):
        return made.id


@contextmanager
def raw(blank: Ridge, workspace: UUID | None = None) -> Iterator[psycopg.Connection[Any]]:
    """A connection that goes past all of our code, as the service's own login."""
    with psycopg.connect(blank.service.settings.database_url) as connection:
        if workspace is not None:
            connection.execute("select set_config('openlatch.workspace', %s, true)", [str(workspace)])
        yield connection


@pytest.mark.filterwarnings("ignore:Did not recognize type 'xid8'")  # which the tables leave to the database
def test_the_tables_are_what_the_migrations_make(blank: Ridge) -> None:
    engine = create_engine(make_url(blank.service.settings.database_url).set(drivername="postgresql+psycopg"))
    with engine.connect() as connection:
        context = MigrationContext.configure(connection)
        differences = compare_metadata(context, Base.metadata)
    engine.dispose()
    # Indexes and constraints are the migrations' own, and so is the column that only the sealer's SQL names.
    ours = [d for d in differences if "procrastinate_" not in str(d) and "written_by" not in str(d)]
    assert not [d for d in ours if isinstance(d, list) or d[0].endswith(("_table", "_column", "_type", "_nullable"))]


def test_every_table_keeps_workspaces_apart_even_from_its_owner(blank: Ridge) -> None:
    with raw(blank) as connection:
        rows = connection.execute(
            "select relname, relrowsecurity and relforcerowsecurity from pg_class "
            "where relkind = 'r' and relnamespace = 'public'::regnamespace"
        ).fetchall()
    kept = {name: safe for name, safe in rows if not name.startswith(("procrastinate_", "alembic_"))}
    assert set(kept) == {table.name for table in Base.metadata.sorted_tables}
    # What strangers ask for is counted in no workspace, and nothing can be read from it but when something was.
    assert {name for name, safe in kept.items() if not safe} == {"strangers"}
    assert set(Base.metadata.tables["strangers"].columns.keys()) == {"id", "digest", "at"}


def test_a_workspace_sees_and_writes_nothing_of_another(blank: Ridge, store: Store, workspace: UUID) -> None:
    with store.transaction(workspace) as tx:
        tx.parties.add([party()], [])
    with raw(blank) as nobody:
        assert nobody.execute("select count(*) from parties").fetchone() == (0,)
    with raw(blank, workspace) as owner:
        assert owner.execute("select count(*), count(distinct workspace_id) from parties").fetchone() == (1, 1)
        assert owner.execute("select count(*) from entries").fetchone() == (0,)
    neighbour = Workspace(uuid4(), f"w-{uuid4().hex[:12]}", "A neighbour")
    with store.found(neighbour, NOW):
        pass
    with raw(blank, neighbour.id) as other:
        assert other.execute("delete from parties where workspace_id = %s", [workspace]).rowcount == 0
        with pytest.raises(psycopg.errors.InsufficientPrivilege):
            other.execute(
                "insert into parties values (%s, %s, 'X', 'person', 'x', '{}', 'unknown', false, 1)",
                [workspace, uuid4()],
            )


def test_two_readings_that_find_the_same_party_at_once_make_one_of_it(store: Store, workspace: UUID) -> None:
    names = [Identifier("address", f"{n}@kestrelridge.example") for n in range(40)]
    together = Barrier(2)

    def add(order: list[Identifier]) -> bool:
        the_party = party()
        try:
            with store.transaction(workspace) as tx:
                together.wait(10)
                tx.parties.add([the_party], [(name, the_party.id) for name in order])
        except Changed:
            return False
        return True

    with ThreadPoolExecutor(2) as pool:
        done = list(pool.map(add, [names, names[::-1]]))
    assert sorted(done) == [False, True]
    with store.transaction(workspace) as tx:
        assert len(set(tx.parties.known(names).values())) == 1
        assert len(tx.parties.browse(PartyFilter(), PartyOrder.NAME, limit=9, cursor=None, now=NOW).items) == 1


def test_a_job_is_queued_with_its_change_or_not_at_all(blank: Ridge, store: Store, workspace: UUID) -> None:
    def queued() -> int:
        with raw(blank) as connection:
            row = connection.execute(
                "select count(*) from procrastinate_jobs where args->>'workspace_id' = %s", [str(workspace)]
            ).fetchone()
        return row[0] if row else 0

    def fail_after_queueing() -> None:
        with store.transaction(workspace) as tx:
            tx.enqueue("nothing.to-do", at=datetime(2100, 1, 1, tzinfo=UTC))
            raise RuntimeError

    with pytest.raises(RuntimeError):
        fail_after_queueing()
    assert queued() == 0
    with store.transaction(workspace) as tx:
        first, second = (
            tx.enqueue("nothing.to-do", once=str(workspace), at=datetime(2100, 1, 1, tzinfo=UTC)) for _ in "ab"
        )
    assert (first, second, queued()) == (True, False, 1)


def event(number: int) -> Event:
    return Event(NEW_ID(), NOW, "Maren Ashdown", "entry.found", "entry", uuid4(), {"number": number})


def sealed_up_to(store: Store, workspace: UUID, size: int) -> None:
    """Seal until the log has that size; the stack's own sealer and its other transactions may come in between."""
    for _ in repeat(None):
        with store.transaction(workspace) as sealer:
            sealer.events.seal(link, NOW)
            if sealer.events.head().size >= size:
                return


def test_events_of_transactions_that_overlap_are_sealed_once_in_an_unbroken_chain(
    store: Store, workspace: UUID
) -> None:
    with store.transaction(workspace) as early:
        early.events.append([event(1)])
        with store.transaction(workspace) as late:
            late.events.append([event(2), event(3)])
        with store.transaction(workspace) as sealer:
            # What an older transaction can still precede must wait for it.
            assert (sealer.events.seal(link, NOW), sealer.events.head().size) == (0, 0)
    sealed_up_to(store, workspace, 3)
    with store.transaction(workspace) as tx:
        tx.events.append([event(4)])
    sealed_up_to(store, workspace, 4)
    with store.transaction(workspace) as tx:
        head = tx.events.head()
        page = tx.events.browse(sealed_only=True, oldest_first=True, limit=10, cursor=None)
    log = [Sealed(e.number or 0, e.content, e.link or "") for e in page.items]
    assert checked(log) == Checked(4, head.link)
    assert [e.content["facts"]["number"] for e in page.items] == [1, 2, 3, 4]


@pytest.mark.parametrize("many", [FEW, FEW + 1])
def test_what_is_stored_in_one_go_comes_back_just_as_it_was(store: Store, workspace: UUID, many: int) -> None:
    provider = Provider(uuid4(), "Ticket Desk", "feed", {})
    gate = account(provider_id=provider.id)
    people = [
        party(name=f"O\\t'{n}\t{{}} \N{SNOWMAN}", addresses=(f'"a,b"{n}@x.example', "NULL", "")) for n in range(many)
    ]
    rich: dict[str, Any] = {
        "hours": Hours("Europe/Lisbon", (Window(frozenset({1, 4}), time(19), time(4)),)),
        "uses": {Power.VIEW: ago(2)},
        "stated": (),
        "permissions": ("a, b", "{}"),
        "dependencies": (Dependency("payment", "Hall rent \\N", ago(-3)),),
        "reviewed_at": (ago(9),),
    }
    entries = [
        entry(provider_id=provider.id, account_id=gate.id, party_id=who.id, **(rich if n % 2 else {}))
        for n, who in enumerate(people)
    ]
    with store.transaction(workspace) as tx:
        tx.providers.add(provider, b"")
        tx.accounts.add([gate])
        tx.parties.add(people, [(Identifier("address", who.addresses[0]), who.id) for who in people])
        tx.entries.add(entries, {entries[0].key: b"\0\\x"})
    with store.transaction(workspace) as tx:
        assert tx.parties.some(who.id for who in people) == {who.id: who for who in people}
        assert {e.id: e for e in tx.entries.standing(provider.id)} == {e.id: e for e in entries}
        assert tx.entries.digests(provider.id)[entries[0].key] == b"\0\\x"
        later = {e.id: replace(e, level="cashier \r\n", hours=None, version=2) for e in entries}
        tx.entries.save_all(later.values())
    with store.transaction(workspace) as tx:
        assert {e.id: e for e in tx.entries.standing(provider.id)} == later


def test_an_entry_that_changed_meanwhile_is_not_overwritten(store: Store, workspace: UUID) -> None:
    provider = Provider(uuid4(), "Ticket Desk", "feed", {})
    gate, who = account(provider_id=provider.id), party()
    the_entry = entry(provider_id=provider.id, account_id=gate.id, party_id=who.id)
    with store.transaction(workspace) as tx:
        tx.providers.add(provider, b"")
        tx.accounts.add([gate])
        tx.parties.add([who], [])
        tx.entries.add([the_entry])
    with store.transaction(workspace) as reading:
        (seen,) = reading.entries.standing(provider.id)
        with store.transaction(workspace) as person:
            person.entries.save(replace(seen, state=State.ENDING, version=2))
        for late in (reading.entries.save, lambda late: reading.entries.save_all([late])):
            with pytest.raises(Changed):
                late(replace(seen, level="cashier", version=2))
    with store.transaction(workspace) as tx:
        assert tx.entries.lock(the_entry.id) == replace(the_entry, state=State.ENDING, version=2)


@pytest.mark.parametrize(
    "statement",
    [
        "update events set content = '{}'",
        "update events set number = 7, link = 'x' where number is not null",
        "delete from events",
    ],
)
def test_the_log_refuses_to_be_altered(blank: Ridge, store: Store, workspace: UUID, statement: str) -> None:
    with store.transaction(workspace) as tx:
        tx.events.append([event(1)])
    sealed_up_to(store, workspace, 1)
    with raw(blank, workspace) as connection, pytest.raises(psycopg.errors.IntegrityConstraintViolation):
        connection.execute(statement)


def test_a_login_that_passes_over_row_level_security_is_refused(databases: Databases) -> None:
    engine = create_engine(make_url(databases.admin).set(drivername="postgresql+psycopg"))
    with pytest.raises(Misconfigured, match="passes over row-level security"):
        Store(engine).migrate()
    engine.dispose()


@pytest.mark.parametrize(
    ("before", "found", "refusal"),
    [
        ("update alembic_version set version_num = '0036'", "the schema of an older version", ""),
        ("update alembic_version set version_num = '9999'", "the schema of a newer version", r"newer version \(9999\)"),
        ("update alembic_version set version_num = 'abcdef'", "not Open Latch", r"not Open Latch’s \(abcdef\)"),
        ("drop table alembic_version", "not Open Latch", "not Open Latch’s. Nothing"),
        ("drop schema public cascade; create schema public", "no tables yet", ""),
    ],
)
def test_a_schema_that_is_not_an_older_one_of_ours_is_told_apart_and_left_alone(
    databases: Databases, before: str, found: str, refusal: str
) -> None:
    with databases.copy(schema(databases)) as url, closing(service_on(url).store) as store:
        assert store.ready() == ""
        with psycopg.connect(url, autocommit=True) as connection:
            connection.execute(before)
        assert found in store.ready()
        if refusal:
            with pytest.raises(Misconfigured, match=refusal):
                store.migrate()
            assert found in store.ready()


stored = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\x00"))


@given(st.lists(st.lists(stored | st.sampled_from(["", "NULL", '"', "\\", "{}", ","]), max_size=3), max_size=5))
@settings(max_examples=50)
def test_lists_of_texts_are_written_down_as_the_database_reads_them(blank: Ridge, lists: list[list[str]]) -> None:
    with psycopg.connect(blank.service.settings.database_url) as connection:
        query = (
            "select cast(given as text[]) from unnest(cast(%s as text[])) with ordinality as g (given, n) order by n"
        )
        assert [row[0] for row in connection.execute(query, [[as_array(each) for each in lists]])] == lists


# Few different values, so that most rows are equal in what they are sorted by; and none at all.
rows = st.lists(
    st.tuples(
        st.sampled_from(["Orla", "orla", "Bram"]),
        st.sampled_from([None, ago(1), ago(2)]),
        st.sampled_from([None, NOW, datetime(2027, 1, 1, tzinfo=UTC)]),
        st.integers(0, 2),
    ),
    max_size=14,
)


@given(rows, st.sampled_from(sorted(SORTS)), st.integers(1, 5))
@settings(max_examples=40)
def test_pages_show_everything_once_and_in_order_however_many_rows_are_alike(
    blank: Ridge, found: list[tuple[str, datetime | None, datetime | None, int]], sort: str, limit: int
) -> None:
    store = blank.service.store
    made = Workspace(uuid4(), f"w-{uuid4().hex[:12]}", "Another holder")
    provider, gate = Provider(uuid4(), "Ticket Desk", "feed", {}), account(id=uuid4())
    people = [party(id=uuid4(), name=name) for name, *_ in found]
    entries = [
        entry(id=uuid4(), provider_id=provider.id, account_id=gate.id, party_id=who.id, last_used=used, ends_at=ends)
        for who, (_, used, ends, _) in zip(people, found, strict=True)
    ]
    with store.found(made, NOW) as tx:
        tx.providers.add(provider, b"")
        tx.accounts.add([replace(gate, provider_id=provider.id)])
        tx.parties.add(people, [])
        tx.entries.add(entries)
        tx.entries.mark(Mark(e.id, severity, outside=False) for e, (*_, severity) in zip(entries, found, strict=True))
    with store.transaction(made.id) as tx:
        whole = tx.entries.browse(EntryFilter(), sort=sort, limit=500, cursor=None)
        seen, cursor = [], None
        while True:
            page = tx.entries.browse(EntryFilter(), sort=sort, limit=limit, cursor=cursor)
            assert len(page.items) <= limit
            seen += [item.entry.id for item in page.items]
            cursor = page.next
            if cursor is None:
                break
    assert seen == [item.entry.id for item in whole.items]
    assert sorted(seen) == sorted(e.id for e in entries)


def test_ids_grow_even_inside_one_millisecond(blank: Ridge) -> None:
    made = [blank.service.services.new_id() for _ in range(5000)]
    assert made == sorted(set(made))
    assert {each_id.version for each_id in made} == {7}


def test_what_a_statement_was_first_executed_with_is_let_go_of(store: Store, workspace: UUID) -> None:
    """What saves making a statement ready twice keeps its first values too, and these may be very many."""
    store.forget_statements()
    one = uuid4()
    asked_for = weakref.ref(one)
    with store.transaction(workspace) as tx:
        assert not tx.parties.some([one])
    del one
    gc.collect()
    assert asked_for() is not None
    store.forget_statements()
    gc.collect()
    assert asked_for() is None
