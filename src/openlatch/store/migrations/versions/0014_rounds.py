"""Things in rounds and batches are numbered from 1 on; reviews can be given up, and their names be used again."""

from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table in ("round_items", "batch_items"):
        # Row-level security keeps even the owner of the table from rows of workspaces.
        op.execute(f"alter table {table} no force row level security")
        # In two steps, since a number is taken for a moment by the one that is moved on to it.
        op.execute(f"update {table} set place = -(place + 1)")
        op.execute(f"update {table} set place = -place")
        op.execute(f"alter table {table} force row level security")
    op.execute("alter table review_plans add column removed_at timestamptz")
    op.execute("alter table review_plans drop constraint review_plans_workspace_id_name_key")
    op.execute("create unique index review_plans_name on review_plans (workspace_id, name) where removed_at is null")
