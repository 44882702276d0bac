"""Providers that can let somebody in from here."""

from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Row-level security keeps the rows of a workspace even from the owner of the table.
    op.execute("alter table providers no force row level security")
    op.execute("""update providers set abilities = '{"gives": []}'::jsonb || abilities""")
    op.execute("alter table providers force row level security")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
