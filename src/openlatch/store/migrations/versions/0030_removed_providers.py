"""A provider can be removed: what was read there stays for its history, and its name can be given again."""

from alembic import op

revision = "0030"
down_revision = "0029"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table providers add column removed_at timestamptz")
    op.execute("alter table accounts add column removed_at timestamptz")
    op.execute("alter table providers drop constraint providers_name")
    op.execute("create unique index providers_name on providers (workspace_id, name) where removed_at is null")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
