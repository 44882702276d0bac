"""A party can be a service account, with which a program signs in; where nobody has said so, that is not known."""

from alembic import op

revision = "0034"
down_revision = "0033"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table parties add column service boolean")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
