"""Databases as earlier versions left them, the demo in each, brought to the schema of this one.

Each file is what `pg_dump` wrote of a demo at that schema, its vault's key in the first line.
"""

from __future__ import annotations

import lzma
import re
import subprocess
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import psycopg
import pytest

from openlatch.cli.record.log import verified
from openlatch.local.postgres import programs
from openlatch.operations.rules import whole
from openlatch.web.app import description
from openlatch.wiring import now
from tests.harness import demo
from tests.harness.acts import review
from tests.harness.databases import Databases
from tests.harness.ridge import Ridge, ridge_on, service_on

EARLIER = sorted((Path(__file__).parent / "upgrades").glob("*.sql.xz"))
PATHS: dict[str, Any] = description()["paths"]  # type: ignore[assignment]
READ = [
    path
    for path, about in PATHS.items()
    if "get" in about and not any(asked["required"] for asked in about["get"].get("parameters", ()))
]
"""What can be read without naming anything."""


def rows(dump: str) -> Counter[str]:
    """How many rows of each table a dump holds."""
    found = re.findall(r"^COPY public\.(\w+) .*?;\n(.*?)^\\\.$", dump, re.MULTILINE | re.DOTALL)
    return Counter({table: lines.count("\n") for table, lines in found})


@pytest.fixture(scope="module", params=EARLIER, ids=lambda path: path.name[:4])
def earlier(request: pytest.FixtureRequest, databases: Databases) -> Iterator[tuple[Ridge, Counter[str]]]:
    key, _, dump = lzma.decompress(request.param.read_bytes()).decode().partition("\n")
    with databases.copy("template1") as url:
        loaded = subprocess.run(
            [programs() / "psql", "--quiet", "--set=ON_ERROR_STOP=1", url],
            input=dump,
            text=True,
            capture_output=True,
            check=False,
        )
        assert loaded.returncode == 0, loaded.stderr
        service = service_on(url, key.removeprefix("-- "))
        before, _ = service.store.migrate()
        assert before == request.param.name[:4]
        demo.as_if_working(url)
        ridge = ridge_on(service, now())
        yield ridge, rows(dump)
        ridge.close()


def test_all_of_it_is_there_and_the_log_still_proves_what_happened(
    earlier: tuple[Ridge, Counter[str]], databases: Databases
) -> None:
    ridge, before = earlier
    name = ridge.service.settings.database_url.rpartition("/")[2]
    with psycopg.connect(databases.admin.rpartition("/")[0] + f"/{name}") as everything:
        there = everything.execute("select tablename from pg_tables where schemaname = 'public'").fetchall()
        kept = before.keys() & {table for (table,) in there}
        after = {table: len(everything.execute(f"select from {table}").fetchall()) for table in kept}
    assert before["entries"] > 200
    assert {table: (count, after.get(table)) for table, count in before.items() if after.get(table, 0) < count} == {}
    with ridge.client() as owner:
        assert verified(owner).held >= before["events"]


def test_everything_can_be_read_and_is_counted_and_looked_at_as_if_it_had_always_been_there(
    earlier: tuple[Ridge, Counter[str]],
) -> None:
    ridge, _ = earlier
    with ridge.client() as owner, ridge.http(owner) as http:
        answers = {path: http.get(path).status_code for path in READ}
        assert {path: status for path, status in answers.items() if status != 200} == {}
        with ridge.call() as call:
            whole.evaluate_everything(call)
        seen = list(owner.entries())
        said = owner.summary()
        assert (said.entries, said.flagged) == (len(seen), sum(bool(entry.flags) for entry in seen))
        assert review(owner, "After it", "", where={}).count == len(seen)
