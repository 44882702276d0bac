"""What anybody asks for without signing in is counted alike in workspaces that are here and in those that are not."""

from alembic import op

revision = "0032"
down_revision = "0031"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        create table strangers (
            id uuid primary key,
            digest bytea not null,
            at timestamptz not null
        )
    """)
    op.execute("create index strangers_digest on strangers (digest, at)")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
