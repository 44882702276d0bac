"""Migrations over data: what row-level security hides from the owner of a table is changed all the same."""

from __future__ import annotations

import importlib
from typing import Any

import psycopg
import pytest

from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge

TABLES = ("identifiers", "entries", "parties")
WRITTEN = "select scheme, value from identifiers where value like 'hand:%' order by scheme, value"


def secure(database: psycopg.Connection[Any], *, forced: bool) -> None:
    for table in TABLES:
        database.execute(f"alter table {table} {'' if forced else 'no'} force row level security")


def test_what_people_wrote_down_is_told_from_what_providers_name(
    furnished: Ridge, things: Furniture, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert things.entry
    migration = importlib.import_module("openlatch.store.migrations.versions.0016_parted")
    with psycopg.connect(furnished.service.settings.database_url) as database:
        secure(database, forced=False)
        before = database.execute(WRITTEN).fetchall()
        assert before
        database.execute("update identifiers set value = substr(value, 6) where value like 'hand:%'")
        secure(database, forced=True)
        monkeypatch.setattr(migration, "op", database)
        migration.upgrade()
        secure(database, forced=False)
        assert database.execute(WRITTEN).fetchall() == before
        database.rollback()


def test_entries_learn_whom_their_provider_named_and_anyone_becomes_one_party(
    furnished: Ridge, things: Furniture, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert things.entry
    migration = importlib.import_module("openlatch.store.migrations.versions.0017_sameness")
    subjects = "select id, subject from entries where kind <> 'offer' and subject <> '' order by id"
    anyone = "select distinct party_id from entries where kind = 'open'"
    with psycopg.connect(furnished.service.settings.database_url) as database:
        # What counts the entries of a workspace came later.
        for table in (*migration.READ, "tallies"):
            database.execute(f"alter table {table} no force row level security")
        before = database.execute(subjects).fetchall()
        assert before
        ((value,),) = database.execute(anyone).fetchall()
        database.execute("update entries set subject = ''")
        database.execute("delete from identifiers where scheme = 'anyone'")
        twin = "ffffffff-ffff-7fff-bfff-ffffffffffff"
        database.execute(
            "insert into parties "
            "(workspace_id, id, ref, kind, name, addresses, status, verified, publisher, home, version) "
            "select workspace_id, %s, 'ZZZZ-ZZZZ', kind, name, addresses, status, verified, publisher, home, 1 "
            "from parties where id = %s",
            [twin, value],
        )
        # As it was before: anyone at one provider was another party than anyone at the next.
        (place,) = database.execute("select provider_id from entries where kind = 'open' limit 1").fetchone() or (None,)
        for moved in (
            "update entries set party_id = %s where kind = 'open' and provider_id = %s",
            "update identifiers set party_id = %s where value = 'anyone' and scheme = %s::text",
        ):
            database.execute(moved, [twin, place])
        assert len(database.execute(anyone).fetchall()) == 2
        monkeypatch.setattr(migration, "op", database)
        migration._name_subjects()
        migration._one_anyone()
        assert database.execute(subjects).fetchall() == before
        assert database.execute(anyone).fetchall() == [(value,)]
        assert database.execute("select joined_into from parties where id = %s", [twin]).fetchall() == [(value,)]
        named = database.execute("select party_id from identifiers where scheme = 'anyone'").fetchall()
        assert named == [(value,)]
        database.rollback()


def test_what_there_was_before_counts_were_kept_is_counted_once(
    furnished: Ridge, things: Furniture, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert things.entry
    counts = importlib.import_module("openlatch.store.migrations.versions.0042_tallies")
    levels = importlib.import_module("openlatch.store.migrations.versions.0043_by_workspace")
    kept = (
        "select workspace_id, subject, subject_id, sum(entries), coalesce(sum(flagged), 0), coalesce(sum(severe), 0) "
        "from tallies group by 1, 2, 3 having sum(entries) <> 0 order by 1, 2, 3",
        "select workspace_id, provider_id, level, permissions, stated, kind, sum(entries) from held_levels "
        "group by 1, 2, 3, 4, 5, 6 having sum(entries) <> 0 order by 1, 2, 3, 4, 5, 6",
    )
    with psycopg.connect(furnished.service.settings.database_url) as database:
        for table in ("tallies", "held_levels"):
            database.execute(f"alter table {table} no force row level security")
        before = [database.execute(query).fetchall() for query in kept]
        assert all(before)
        database.execute("drop table tallies, held_levels")
        for event in ("insert", "update", "delete"):
            database.execute(f"drop function entries_tallied_on_{event}, entries_levelled_on_{event} cascade")
        for migration in (counts, levels):
            monkeypatch.setattr(migration, "op", database)
        counts.upgrade()
        levels._levels()
        for table in ("tallies", "held_levels"):
            database.execute(f"alter table {table} no force row level security")
        assert [database.execute(query).fetchall() for query in kept] == before
        database.rollback()
