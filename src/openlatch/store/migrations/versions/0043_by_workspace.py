"""What is asked of all workspaces is asked of one after another, and the levels that entries have are kept.

A second policy, by which the owner's functions saw all workspaces at once, kept the database from looking up anything
of one workspace by an index that begins with it: of events, orders, readings and notices each page read the whole
table. Only the table of workspaces itself keeps that door.
"""

from alembic import op

revision = "0043"
down_revision = "0042"
branch_labels = None
depends_on = None

DOORS = ("events", "notices", "orders", "providers", "readings", "seals", "upcoming")
FOUND = {
    "openlatch_unsealed()": (
        "exists (select from events where number is null) or exists (select from seals where grown < size)"
    ),
    "openlatch_due(now timestamptz)": "exists (select from providers where next_reading <= now)",
    "openlatch_due_again(now timestamptz)": "exists (select from upcoming where at <= now)",
}
"""When a workspace is one of those that a function returns."""
COUNTED = """
    select 'orders', state, count(*)::float8 from orders where state not in ('proved', 'cancelled') group by state
    union all select 'readings_overdue', '', count(*) from providers
        where next_reading < now - late and removed_at is null and not paused
    union all select 'reading_age_seconds', '', coalesce(extract(epoch from now - min(last_complete)), 0)
        from providers where removed_at is null and not paused and next_reading is not null
    union all select 'readings_failed', '', count(*) from readings
        where state = 'failed' and finished_at > now - interval '1 hour'
    union all select 'events_waiting', '', count(*) from events where number is null
    union all select 'events_waiting_seconds', '', coalesce(extract(epoch from now - min(at)), 0)
        from events where number is null
    union all select 'letters_waiting', '', count(*) from notices where sent_at is null and due_at <= now
"""
MEASURED = "returns table (name text, label text, value float8)"
ADDED = """
    insert into held_levels (workspace_id, provider_id, level, permissions, stated, kind, entries)
    select workspace_id, provider_id, level, permissions, stated, kind, sum(sign)
    from ({}) changed
    group by workspace_id, provider_id, level, permissions, stated, kind
    having sum(sign) <> 0
"""
ROWS = "select workspace_id, provider_id, level, permissions, stated, kind, {} as sign from {} where state <> 'ended'"


def upgrade() -> None:
    _one_after_another()
    # By this a list is sorted; the one that was there was by another expression, and did not help.
    op.execute("drop index entries_risk")
    op.execute("create index entries_by_risk on entries (workspace_id, (-risk), id) where state <> 'ended'")
    _levels()


def _one_after_another() -> None:
    for table in DOORS:
        op.execute(f"drop policy housekeeping on {table}")
    for function, holds in FOUND.items():
        _replace(function, "returns setof uuid", f"if {holds} then return next one; end if;")
    _replace("openlatch_measured_each(now timestamptz, late interval)", MEASURED, f"return query {COUNTED};")
    op.execute(
        f"create or replace function openlatch_measured(now timestamptz, late interval) {MEASURED} "
        "language sql security definer set search_path = public, pg_temp as $$ "
        "select name, label, case when name like '%\\_seconds' then max(value) else sum(value) end "
        "from openlatch_measured_each(now, late) group by name, label $$"
    )


def _replace(function: str, returns: str, body: str) -> None:
    """Make a function do something in each workspace, seeing that one alone; afterwards all is as it was."""
    op.execute(
        f"create or replace function {function} {returns} language plpgsql security definer "
        "set search_path = public, pg_temp as $$ "
        "declare before text := coalesce(current_setting('openlatch.workspace', true), ''); every uuid[]; one uuid; "
        "begin "
        "perform set_config('openlatch.housekeeping', 'on', true); "
        "every := array(select workspace_id from workspaces); "
        "perform set_config('openlatch.housekeeping', '', true); "
        "foreach one in array every loop "
        "perform set_config('openlatch.workspace', one::text, true); "
        f"{body} "
        "end loop; "
        "perform set_config('openlatch.workspace', before, true); "
        "end $$"
    )


def _levels() -> None:
    op.execute("""
        create table held_levels (
            workspace_id uuid not null references workspaces,
            number bigint generated always as identity,
            provider_id uuid not null,
            level text not null,
            permissions text[] not null,
            stated text[],
            kind text not null,
            entries bigint not null,
            primary key (workspace_id, number)
        )
    """)
    op.execute("alter table entries no force row level security")
    op.execute(ADDED.format(ROWS.format(1, "entries")))
    op.execute("alter table entries force row level security")
    op.execute("alter table held_levels enable row level security")
    op.execute("alter table held_levels force row level security")
    op.execute(
        "create policy own_workspace on held_levels "
        "using (workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )
    after, before = ROWS.format(1, "after"), ROWS.format(-1, "before")
    for event, tables, rows in (
        ("insert", "new table as after", after),
        ("update", "old table as before new table as after", f"{before} union all {after}"),
        ("delete", "old table as before", before),
    ):
        op.execute(
            f"create function entries_levelled_on_{event}() returns trigger language plpgsql security definer "
            "set search_path = public, pg_temp as "
            f"$$ begin {ADDED.format(rows)}; return null; end $$"
        )
        op.execute(
            f"create trigger levelled_on_{event} after {event} on entries referencing {tables} "
            f"for each statement execute function entries_levelled_on_{event}()"
        )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
