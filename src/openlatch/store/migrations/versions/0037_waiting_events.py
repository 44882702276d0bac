"""What waits to be sealed is found in its order, without sorting all of it each time."""

from alembic import op

revision = "0037"
down_revision = "0036"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("drop index events_unsealed")
    op.execute("create index events_unsealed on events (workspace_id, written_by, id) where number is null")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
