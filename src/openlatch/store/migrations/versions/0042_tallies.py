"""How many entries stand, are flagged, and on how many accounts, is kept and not counted anew for every page."""

from alembic import op

revision = "0042"
down_revision = "0041"
branch_labels = None
depends_on = None

ADDED = """
    insert into tallies (workspace_id, subject, subject_id, entries, flagged, severe)
    select workspace_id, subject, subject_id, sum(sign), sum(sign) filter (where severity > 0),
        sum(sign) filter (where severity > 2)
    from ({}) changed
    cross join lateral (values ('account', account_id), ('party', party_id)) about (subject, subject_id)
    group by workspace_id, subject, subject_id
    having sum(sign) <> 0 or coalesce(sum(sign) filter (where severity > 0), 0) <> 0
        or coalesce(sum(sign) filter (where severity > 2), 0) <> 0
"""
"""What is added to what is kept, of rows that are counted as more or as less."""
ROWS = "select workspace_id, account_id, party_id, severity, {} as sign from {} where state <> 'ended'"


def upgrade() -> None:
    op.execute("""
        create table tallies (
            workspace_id uuid not null references workspaces,
            number bigint generated always as identity,
            subject text not null,
            subject_id uuid not null,
            entries bigint not null,
            flagged bigint,
            severe bigint,
            primary key (workspace_id, number)
        )
    """)
    op.execute("alter table entries no force row level security")
    op.execute(ADDED.format(ROWS.format(1, "entries")))
    op.execute("alter table entries force row level security")
    op.execute("alter table tallies enable row level security")
    op.execute("alter table tallies force row level security")
    op.execute(
        "create policy own_workspace on tallies "
        "using (workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )
    # Whatever changes entries of several workspaces, as a later migration may, writes here as well.
    # By the owner's right: a service that runs while this is carried out has not been given any here yet.
    # Only ever added to, so that two who change something of one account do not wait for each other.
    after, before = ROWS.format(1, "after"), ROWS.format(-1, "before")
    for event, tables, rows in (
        ("insert", "new table as after", after),
        ("update", "old table as before new table as after", f"{before} union all {after}"),
        ("delete", "old table as before", before),
    ):
        op.execute(
            f"create function entries_tallied_on_{event}() returns trigger language plpgsql security definer "
            "set search_path = public, pg_temp as "
            f"$$ begin {ADDED.format(rows)}; return null; end $$"
        )
        op.execute(
            f"create trigger tallied_on_{event} after {event} on entries referencing {tables} "
            f"for each statement execute function entries_tallied_on_{event}()"
        )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
