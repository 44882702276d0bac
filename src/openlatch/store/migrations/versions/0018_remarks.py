"""What of a reading could not be made out, while all else was read."""

from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table readings add column remarks text[] not null default '{}'")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
