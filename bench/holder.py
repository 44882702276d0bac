"""A holder of any size, straight in the database: accounts are a tenth of the entries, parties a fifth."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg

from openlatch.core.model import Circle, Workspace
from openlatch.local.stack import Stack
from openlatch.operations.call import as_service
from openlatch.operations.people import people
from openlatch.wiring import Service
from openlatch.words import Role

__all__ = ["ADDRESS", "PASSWORD", "connected", "made", "settle", "stack"]

ADDRESS, PASSWORD = "o@kestrelridge.example", "a-password-for-this-run"
# Two providers, the second one of up to 10,000 entries; one party in twelve is from outside. About a third of the
# entries is flagged by the rules that come with the service, most of them for not being used.
HOLDER = """
create function pg_temp.short(id uuid) returns text language sql immutable as $$
    select left(letters, 4) || '-' || right(letters, 4) from (
        select string_agg(substr('0123456789ABCDEFGHJKMNPQRSTVWXYZ', (bits >> n & 31)::int + 1, 1), '' order by n desc)
            as letters
        from (select ('x' || right(replace(id::text, '-', ''), 10))::bit(40)::bigint as bits) b,
            generate_series(0, 35, 5) n
    ) l
$$;
insert into providers (workspace_id, id, name, connector, settings, secret, read_every, stale_after, abilities)
    values (%(w)s, md5('p')::uuid, 'Ticket Desk', 'feed', '{}', '', 60, 60, %(abilities)s),
        (%(w)s, md5('q')::uuid, 'Gate System', 'feed', '{}', '', 60, 60, %(abilities)s);
insert into accounts (workspace_id, id, ref, provider_id, key, name, criticality, practice, version)
    select %(w)s, md5('a' || n)::uuid, pg_temp.short(md5('a' || n)::uuid),
        md5(case when n < least(1000, %(n)s / 20) then 'q' else 'p' end)::uuid, n::text, 'account ' || n, 'normal',
        false, 1
    from generate_series(0, %(n)s / 10 - 1) n;
insert into parties (workspace_id, id, ref, kind, name, addresses, status, verified, outside, version)
    select %(w)s, md5('w' || n)::uuid, pg_temp.short(md5('w' || n)::uuid), 'person', 'party ' || n,
    array['p' || n || case when n %% 12 = 0 then '@birch.example' else '@kestrelridge.example' end], 'current', true,
    n %% 12 = 0, 1
    from generate_series(0, %(n)s / 5 - 1) n;
insert into entries (workspace_id, id, ref, provider_id, account_id, party_id, key, kind, level, powers, state,
    permissions, resources, given_at, given_by, last_used, use_known, ends_at, end_unknown, reviewed_at, basis,
    dependencies, device, network, first_seen, last_seen, version, severity, outside)
    select %(w)s, md5('e' || n)::uuid, pg_temp.short(md5('e' || n)::uuid),
        md5(case when n %% (%(n)s / 10) < least(1000, %(n)s / 20) then 'q' else 'p' end)::uuid,
        md5('a' || n %% (%(n)s / 10))::uuid, md5('w' || n %% (%(n)s / 5))::uuid, 'k' || n, 'delegate',
        'level ' || n / (%(n)s / 5), case when n %% 9 = 0 then array['view', 'spend'] else array['view'] end, 'live',
        '{}', '{}',
        now() - n %% 900 * interval '1 day', '', now() - n %% 120 * interval '1 day', true,
        case when n %% 5 = 0 then now() + n %% 200 * interval '1 day' end, false,
        case when n %% 6 > 0 then array[now() - n %% 300 * interval '1 day'] else '{}' end,
        case when n %% 4 > 0 then 'school groups' else '' end, '[]', '', '', now(), now(), 1,
        case when n %% 10 = 0 then n %% 4 + 1 else 0 end, n %% (%(n)s / 5) %% 12 = 0
    from generate_series(1, %(n)s) n;
"""
ABILITIES = json.dumps(
    {
        "lists": [],
        "ends": [],
        "at_once": True,
        "redone_by": "holder",
        "ends_teams": True,
        "consent": "",
        "consent_for": [],
        "narrows": [],
        "pauses": [],
        "dates": [],
    }
)


@contextmanager
def stack() -> Iterator[Stack]:
    """A service with a worker and a database of its own, without any data."""
    with tempfile.TemporaryDirectory(prefix="openlatch-bench-", dir="/tmp") as folder:
        Path(folder).chmod(0o711)
        with Stack(Path(folder) / "stack", fast=True, seeded=False) as running:
            yield running


@contextmanager
def connected(service: Service, workspace: Workspace) -> Iterator[psycopg.Connection]:
    """A connection to the database that sees one workspace; what it did is kept at its end."""
    with psycopg.connect(service.settings.database_url) as connection:
        connection.execute("select set_config('openlatch.workspace', %s, false)", [str(workspace.id)])
        yield connection


def made(running: Stack, size: int, slug: str = "") -> Workspace:
    """Found a workspace with so many entries and one owner."""
    service = running.service
    slug = slug or f"holder-{size}"
    workspace = Workspace(service.services.new_id(), slug, slug, circle=Circle(frozenset({"kestrelridge.example"})))
    with service.store.found(workspace, service.services.clock()) as tx:
        people.add_first(as_service(tx, service.services), "Owner", ADDRESS, Role.OWNER, PASSWORD)
    with psycopg.connect(service.settings.database_url, cursor_factory=psycopg.ClientCursor) as connection:
        connection.execute("select set_config('openlatch.workspace', %s, false)", [str(workspace.id)])
        connection.execute(HOLDER, {"w": workspace.id, "n": size, "abilities": ABILITIES})
    settle(service)
    return workspace


def settle(service: Service) -> None:
    """Do what the database does by itself within minutes after so many new rows; only the tables' owner can."""
    with psycopg.connect(service.settings.owner_url, autocommit=True) as connection:
        connection.execute("vacuum analyze")
