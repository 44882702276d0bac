"""What a reading has to show of batches, what is left open in them and who sees to it; each secret by itself."""

from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table batch_items add column membership_id uuid, add column left_open jsonb")
    op.execute("alter table batches add column over_at timestamptz")
    op.execute("alter table batch_items add foreign key (workspace_id, membership_id) references memberships")
    # Row-level security keeps even the owner of the table from rows of workspaces.
    op.execute("alter table entries no force row level security")
    op.execute(
        "update entries set key = key || ':' || lower(level) "
        "where kind = 'secret' and by_hand and key like 'hand:secret:%' and level <> ''"
    )
    op.execute("alter table entries force row level security")
