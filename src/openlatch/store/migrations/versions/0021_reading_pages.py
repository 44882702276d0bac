"""What a reading has seen so far, from which it goes on if its worker dies."""

from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        create table reading_pages (
            workspace_id uuid not null, reading_id uuid not null, place integer not null,
            body jsonb not null,
            seen_at timestamptz not null,
            primary key (workspace_id, reading_id, place),
            foreign key (workspace_id, reading_id) references readings
        )
    """)
    op.execute("alter table reading_pages enable row level security")
    op.execute("alter table reading_pages force row level security")
    op.execute(
        "create policy own_workspace on reading_pages "
        "using (workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
