"""Imports of lists as jobs that people can watch, and how a list of one form was taken the last time."""

from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        create table imports (
            workspace_id uuid not null references workspaces, id uuid not null,
            ref text not null,
            provider_id uuid not null,
            name text not null,
            state text not null,
            asked_by text not null,
            asked_by_id uuid,
            asked_at timestamptz not null,
            total integer not null,
            done integer not null,
            counts jsonb not null,
            trouble text not null,
            finished_at timestamptz,
            primary key (workspace_id, id),
            foreign key (workspace_id, provider_id) references providers
        )
    """)
    op.execute("create index imports_latest on imports (workspace_id, provider_id, id desc)")
    op.execute("""
        create table import_parts (
            workspace_id uuid not null, import_id uuid not null, place integer not null,
            body jsonb not null,
            primary key (workspace_id, import_id, place),
            foreign key (workspace_id, import_id) references imports
        )
    """)
    op.execute("""
        create table import_forms (
            workspace_id uuid not null, provider_id uuid not null, signature text not null,
            form jsonb not null,
            primary key (workspace_id, provider_id, signature),
            foreign key (workspace_id, provider_id) references providers
        )
    """)
    for table in ("imports", "import_parts", "import_forms"):
        op.execute(f"alter table {table} enable row level security")
        op.execute(f"alter table {table} force row level security")
        op.execute(
            f"create policy own_workspace on {table} "
            "using (workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
        )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
