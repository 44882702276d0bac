"""Views are saved of accounts and parties too, these are listed by their risk, and the log is by its time."""

from alembic import op

revision = "0033"
down_revision = "0032"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table views add column of text not null default 'entries'")
    op.execute("alter table views drop constraint views_name")
    op.execute("alter table views add constraint views_name unique (workspace_id, person_id, of, name)")
    op.execute("create index accounts_risk on accounts (workspace_id, risk)")
    op.execute("create index parties_risk on parties (workspace_id, risk)")
    op.execute("create index events_time on events (workspace_id, at, id)")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
