"""Providers that are not read by themselves for a while."""

from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table providers add column paused boolean not null default false")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
