"""What others look at is noted while a whole inventory is evaluated, so that nobody has to wait for that."""

from alembic import op

revision = "0040"
down_revision = "0039"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        create table looks (
            workspace_id uuid not null references workspaces,
            subject text not null,
            subject_id uuid not null,
            primary key (workspace_id, subject, subject_id)
        )
    """)
    op.execute("alter table looks enable row level security")
    op.execute("alter table looks force row level security")
    op.execute(
        "create policy own_workspace on looks "
        "using (workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
