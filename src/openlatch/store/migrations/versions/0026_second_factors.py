"""Second factors, recovery codes, what a passkey is asked to sign, and for which roles a workspace demands one."""

from alembic import op

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None

TABLES = ("factors", "recovery_codes", "challenges")


def upgrade() -> None:
    op.execute("""
        create table factors (
            workspace_id uuid not null references workspaces,
            id uuid not null,
            person_id uuid not null,
            kind text not null,
            name text not null,
            secret bytea not null,
            key_id bytea,
            uses bigint not null,
            created_at timestamptz not null,
            proved_at timestamptz,
            last_used_at timestamptz,
            primary key (workspace_id, id),
            foreign key (workspace_id, person_id) references people
        )
    """)
    op.execute("create index factors_person on factors (workspace_id, person_id)")
    op.execute("create unique index factors_key on factors (workspace_id, key_id) where key_id is not null")
    op.execute("""
        create table recovery_codes (
            workspace_id uuid not null references workspaces,
            id uuid not null,
            person_id uuid not null,
            code_hash bytea not null,
            primary key (workspace_id, id),
            foreign key (workspace_id, person_id) references people
        )
    """)
    op.execute("create unique index recovery_codes_code on recovery_codes (workspace_id, person_id, code_hash)")
    op.execute("""
        create table challenges (
            workspace_id uuid not null references workspaces,
            id uuid not null,
            person_id uuid,
            challenge bytea not null,
            expires_at timestamptz not null,
            primary key (workspace_id, id)
        )
    """)
    for table in TABLES:
        op.execute(f"alter table {table} enable row level security")
        op.execute(f"alter table {table} force row level security")
        op.execute(
            f"create policy own_workspace on {table} "
            "using (workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
        )
    op.execute("alter table workspaces add column second_factor text[] not null default '{}'")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
