"""Reports as they are printed, made by a job."""

from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        create table prints (
            workspace_id uuid not null references workspaces, id uuid not null,
            ref text not null,
            kind text not null,
            subject text not null,
            state text not null,
            asked_by text not null,
            asked_at timestamptz not null,
            finished_at timestamptz,
            name text not null,
            content bytea,
            trouble text not null,
            primary key (workspace_id, id)
        )
    """)
    op.execute("create index prints_asked on prints (workspace_id, asked_at)")
    op.execute("alter table prints enable row level security")
    op.execute("alter table prints force row level security")
    op.execute(
        "create policy own_workspace on prints "
        "using (workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
