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
