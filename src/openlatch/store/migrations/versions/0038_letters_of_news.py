"""What goes out in one letter is found by it, without looking at everything that anybody was ever told."""

from alembic import op

revision = "0038"
down_revision = "0037"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("create index notices_letter on notices (workspace_id, letter_id) where letter_id is not null")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
