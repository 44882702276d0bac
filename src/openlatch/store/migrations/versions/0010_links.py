"""Links that are answered once: what they are about, whom they were sent to, and what was answered."""

from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        create table links (
            workspace_id uuid not null references workspaces, id uuid not null,
            purpose text not null,
            subject_id uuid not null,
            address text not null,
            made_at timestamptz not null,
            lapses_at timestamptz not null,
            withdrawn_at timestamptz,
            used_at timestamptz,
            answer text not null,
            primary key (workspace_id, id)
        )
    """)
    op.execute("create index links_subject on links (workspace_id, subject_id)")
    op.execute("alter table links enable row level security")
    op.execute("alter table links force row level security")
    op.execute(
        "create policy own_workspace on links using "
        "(workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
