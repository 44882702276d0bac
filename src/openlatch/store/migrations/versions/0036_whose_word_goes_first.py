"""One provider of a workspace can be the one whose word on who people are goes first."""

from alembic import op

revision = "0036"
down_revision = "0035"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table providers add column says_who boolean not null default false")
    op.execute("create unique index providers_says_who on providers (workspace_id) where says_who")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
