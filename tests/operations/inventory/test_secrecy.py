"""Canaries: a password that comes with a list is nowhere afterwards, neither kept nor told nor exported."""

from __future__ import annotations

import psycopg
import pytest
from psycopg import sql

from openlatch.client import Client
from openlatch.errors import Invalid
from tests.harness.ridge import Ridge

CANARY = "Gr4phite!Weasel7"
LIST = f"""Who,Address,Account,Level,Password,Notes
Wren Hale,wren@northcape-uni.example,Hill Road display,editor,{CANARY},Asked by Tobias
Una Park,una@northcape-uni.example,Hill Road display,editor,,the pw is {CANARY}
"""
SHORT = f"""Who,Address,Account,Level,Password
Wren Hale,Hill Road display,editor,{CANARY}
{CANARY},wren@northcape-uni.example,Hill Road display,editor,x
Una,una@northcape-uni.example,Hill Road display,{CANARY} fly,x
"""


def everything(ridge: Ridge) -> str:
    """Every row of every table that the workspace has, as text."""
    with ridge.call() as call:
        workspace = str(call.tx.workspace.id)
    rows: list[object] = []
    with psycopg.connect(ridge.service.settings.database_url) as connection:
        connection.execute("select set_config('openlatch.workspace', %s, false)", [workspace])
        tables = connection.execute("select tablename from pg_tables where schemaname = 'public'").fetchall()
        for (table,) in tables:
            each = sql.SQL("select to_jsonb(t) from {} t").format(sql.Identifier(table))
            rows += connection.execute(each).fetchall()
    return repr(rows)


def test_a_password_in_a_list_is_nowhere_afterwards(ridge: Ridge, client: Client) -> None:
    refused = client.import_list("Hill Road Signage", SHORT.encode(), "csv")
    assert [c.line for c in refused.complaints][:1] == [2]
    assert CANARY not in refused.model_dump_json()
    taken = client.import_list("Hill Road Signage", LIST.encode(), "csv")
    assert (taken.made and taken.made.state, taken.counts["new"]) == ("done", 2)
    seen = client.preview_import("Hill Road Signage", LIST.encode(), "csv")
    assert CANARY not in seen.model_dump_json(), "nor is it shown to whoever sent it"
    assert [c.header for c in taken.columns if c.secret] == ["Password"]
    assert [(c.line, c.column) for c in taken.remarks] == [(3, "Notes")]
    assert CANARY not in taken.model_dump_json()
    with pytest.raises(Invalid, match="seems to hold a password") as kept:
        client.keep("Hill Road Signage", account="Hill Road display", party="Una Park", basis=f"pw is {CANARY}")
    assert CANARY not in str(kept.value.fields) + str(kept.value)
    assert CANARY not in client.export().decode()
    assert "Wren Hale" in client.export().decode()
    held = everything(ridge)
    assert "Wren Hale" in held, "it looks where things are kept"
    assert CANARY not in held
