"""Policies, flags on accounts and parties too, their acceptance, risk, and when to look at what again."""

from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

POWERS = ("view", "edit", "publish", "export", "spend", "withdraw", "admit", "own")
NEW = ("policies", "upcoming", "account_risks")


def upgrade() -> None:
    op.execute("alter table workspaces add column policy integer not null default 0")
    op.execute("alter table workspaces add column circle_parties uuid[] not null default '{}'")
    op.execute("""
        create table policies (
            workspace_id uuid not null references workspaces,
            number integer not null check (number >= 0),
            text text not null,
            note text not null,
            adopted_by text not null,
            adopted_at timestamptz not null,
            changes jsonb not null,
            constraint policies_pkey primary key (workspace_id, number)
        )
    """)
    # The bits of the powers, so that the rules read one number and not a list.
    bits = " + ".join(f"case when '{power}' = any(powers) then {1 << n} else 0 end" for n, power in enumerate(POWERS))
    op.execute(f"alter table entries add column power_bits smallint not null generated always as ({bits}) stored")
    op.execute("alter table entries add column risk smallint not null default 0")
    op.execute("create index entries_risk on entries (workspace_id, risk desc, id) where state <> 'ended'")
    _everywhere(
        "entries",
        "update entries set reviewed_at = (select array_agg(at order by at) from unnest(reviewed_at) as at) "
        "where cardinality(reviewed_at) > 1",
    )
    # 0005 meant to do this, and row-level security kept it from seeing any row.
    _everywhere(
        "providers",
        """update providers set abilities = '{"narrows": [], "pauses": [], "dates": []}'::jsonb || abilities""",
    )
    op.execute("alter table accounts add column risk smallint not null default 0")
    op.execute("""
        alter table parties add column outside boolean not null default true,
            add column near text, add column near_how text, add column risk smallint not null default 0
    """)
    op.execute("""
        create table account_risks (
            workspace_id uuid not null, account_id uuid not null,
            at timestamptz not null,
            risk smallint not null,
            primary key (workspace_id, account_id, at),
            foreign key (workspace_id, account_id) references accounts
        )
    """)
    op.execute("""
        create table upcoming (
            workspace_id uuid not null references workspaces, subject_id uuid not null,
            subject text not null,
            at timestamptz not null,
            primary key (workspace_id, subject_id)
        )
    """)
    op.execute("create index upcoming_at on upcoming (at)")
    _flags()
    for table in NEW:
        op.execute(f"alter table {table} enable row level security")
        op.execute(f"alter table {table} force row level security")
        op.execute(
            f"create policy own_workspace on {table} using "
            "(workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
        )
    op.execute(
        "create policy housekeeping on upcoming for select "
        "using (current_setting('openlatch.housekeeping', true) = 'on')"
    )


def _everywhere(table: str, statement: str) -> None:
    """Change the rows of all workspaces, which row-level security hides from everyone, the owner too."""
    op.execute(f"alter table {table} no force row level security")
    op.execute(statement)
    op.execute(f"alter table {table} force row level security")


def _flags() -> None:
    op.execute("alter table flags drop constraint flags_workspace_id_entry_id_fkey")
    op.execute("drop index flags_one_standing")
    op.execute("alter table flags rename column entry_id to subject_id")
    op.execute("alter table flags add column subject text not null default 'entry'")
    op.execute("alter table flags alter column subject drop default")
    op.execute("""
        alter table flags alter column severity type smallint
        using (case severity when 'low' then 1 when 'medium' then 2 when 'high' then 3 else 4 end)
    """)
    # As text, which keeps the letters of what was found: a flag has changed when they have.
    op.execute("alter table flags alter column facts type text using facts::text")
    op.execute("alter table flags drop column clears")
    op.execute("""
        alter table flags add column ref text not null default '', add column policy integer not null default 0,
            add column accepted_by text, add column accepted_at timestamptz, add column accepted_until timestamptz,
            add column accepted_why text, add column accepted_severity smallint
    """)
    op.execute(
        "create unique index flags_one_standing on flags (workspace_id, subject_id, rule) where cleared_at is null"
    )
    op.execute("create index flags_ref on flags (workspace_id, ref)")
    op.execute("create index flags_worst on flags (workspace_id, severity desc, id desc) where cleared_at is null")
