"""Things in batches that a reading has to show, and things that are left open, with who sees to them."""

from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table batch_items add column membership_id uuid, add column left_open jsonb")
    op.execute("alter table batch_items add foreign key (workspace_id, membership_id) references memberships")
